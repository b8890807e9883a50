import { ok, peakKbps, type CodedPicture, type Result } from '@mivvy/core';
import { eachPacket } from '../ffmpeg/packets.ts';

/** The pictures of a film as they are stored, without decoding any. */
export interface StoredPictures {
  pictures: CodedPicture[];
  /** When each is shown, seconds. */
  stored: number[];
  /** Which of them are keyframes. */
  keys: number[];
}

/** Reads the sizes and times of a film's pictures, as they are stored. */
export async function readPictures(
  path: string,
  stream: number | 'v:0',
  signal?: AbortSignal,
): Promise<Result<StoredPictures>> {
  const found: StoredPictures = { pictures: [], stored: [], keys: [] };
  const read = await eachPacket(
    path,
    stream,
    ['pts_time', 'dts_time', 'size', 'flags'],
    ({ pts_time: pts, dts_time: dts, size, flags = '' }) => {
      if (size === undefined || flags.includes('D')) return;
      if (flags.includes('K')) found.keys.push(found.pictures.length);
      found.pictures.push({ seconds: Number(dts === 'N/A' ? pts : dts), bytes: Number(size) });
      found.stored.push(Number(pts === 'N/A' ? dts : pts));
    },
    signal,
  );
  return read.ok ? ok(found) : read;
}

/** The highest bitrate of a film's picture over any second, kbit/s. */
export async function measurePeak(
  path: string,
  seconds: number,
  signal?: AbortSignal,
): Promise<Result<number>> {
  const read = await readPictures(path, 'v:0', signal);
  return read.ok ? ok(peakKbps(read.value.pictures, seconds)) : read;
}

/** The bitrate of a film's picture over its whole length, kbit/s. */
export async function measureAverage(
  path: string,
  seconds: number,
  signal?: AbortSignal,
): Promise<Result<number>> {
  const read = await readPictures(path, 'v:0', signal);
  if (!read.ok) return read;
  const bytes = read.value.pictures.reduce((sum, picture) => sum + picture.bytes, 0);
  return ok((bytes * 8) / 1000 / seconds);
}

/** How many of some times, in order, come before one of them. */
export function rankOf(times: readonly number[], time: number): number {
  let [low, high] = [0, times.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (times[middle]! < time) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * How pictures lean on each other, from the order in which they are stored: one that is shown before another that was
 * stored earlier looks both ways, and one that is stored after a keyframe and shown before it looks past that.
 */
export function groupsOf(stored: readonly number[], keys: readonly number[]) {
  let [latest, run, longestBRun] = [-Infinity, 0, 0];
  for (const time of stored) {
    run = time < latest ? run + 1 : 0;
    longestBRun = Math.max(longestBRun, run);
    latest = Math.max(latest, time);
  }
  const isLookedPast = (key: number, i: number) =>
    stored.slice(key + 1, keys[i + 1] ?? stored.length).some((time) => time < stored[key]!);
  return { longestBRun, openGopAt: keys.find(isLookedPast) ?? null };
}
