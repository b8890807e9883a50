import { stat } from 'node:fs/promises';
import {
  averageKbps,
  fail,
  kbpsBySecond,
  nearestKnownRate,
  ok,
  parseRate,
  peakKbps,
  type CodedPicture,
  type MeasuredFile,
  type Result,
} from '@mivvy/core';
import { eachProbeLine, inputArgs } from '../ffmpeg/run.ts';
import { probe } from '../ingest/probe.ts';
import { measureLoudnessOverTime } from './loudness-over-time.ts';
import { moovComesFirst, readStatement, topLevelBoxes } from './boxes.ts';

/** Levels as their standards write them, from the numbers that ffprobe gives. */
function levelText(codec: string, level: number | undefined): string | null {
  if (level === undefined || level <= 0) return null;
  if (codec === 'h264') return (level / 10).toFixed(1);
  if (codec === 'hevc') return (level / 30).toFixed(1);
  return null;
}

/** Length of a sound by its packets, for containers that state none of their own; undefined where they say nothing. */
async function soundSeconds(path: string, stream: number, signal?: AbortSignal): Promise<number | undefined> {
  let [first, last] = [Infinity, -Infinity];
  const read = await eachProbeLine(
    [
      '-v',
      'error',
      '-select_streams',
      String(stream),
      '-show_entries',
      'packet=pts_time,duration_time',
      '-of',
      'csv=p=0',
      ...inputArgs(path),
    ],
    (line) => {
      const [pts, duration] = line.split(',').map(Number);
      if (!Number.isFinite(pts)) return;
      first = Math.min(first, pts!);
      last = Math.max(last, pts! + (Number.isFinite(duration) ? duration! : 0));
    },
    signal,
  );
  return read.ok && last > first ? last - first : undefined;
}

/** The pictures of a film as they are stored, without decoding any. */
interface StoredPictures {
  pictures: CodedPicture[];
  /** When each is shown, seconds. */
  stored: number[];
  /** Which of them are keyframes. */
  keys: number[];
}

async function readPictures(
  path: string,
  stream: number | 'v:0',
  signal?: AbortSignal,
): Promise<Result<StoredPictures>> {
  const found: StoredPictures = { pictures: [], stored: [], keys: [] };
  const args = [
    '-v',
    'error',
    '-select_streams',
    String(stream),
    '-show_entries',
    'packet=pts_time,dts_time,size,flags',
    '-of',
    'csv=p=0',
    ...inputArgs(path),
  ];
  const read = await eachProbeLine(
    args,
    (line) => {
      const [pts, dts, size, flags = ''] = line.split(',');
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
function rankOf(times: readonly number[], time: number): number {
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
function groupsOf(stored: readonly number[], keys: readonly number[]) {
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

/** Measures a finished file: everything is read from the file itself, nothing is taken from what was asked for. */
export async function measureFile(path: string, signal?: AbortSignal): Promise<Result<MeasuredFile>> {
  const probed = await probe(path, signal);
  if (!probed.ok) return probed;
  const { streams, format } = probed.value.file;
  const video = streams.find((s) => s.codec_type === 'video' && !s.disposition?.attached_pic);
  const audio = streams.find((s) => s.codec_type === 'audio');
  if (!video?.width || !video.height || !video.codec_name)
    return fail('no-picture', 'The finished file holds no picture.', 'Export it again.');

  const [read, heard] = await Promise.all([
    readPictures(path, video.index, signal),
    audio ? measureLoudnessOverTime(path, audio.index, signal) : null,
  ]);
  if (!read.ok) return read;
  const { pictures, stored, keys } = read.value;
  const shown = stored.toSorted((a, b) => a - b);
  if (pictures.length === 0)
    return fail('no-picture', 'The finished file holds no picture.', 'Export it again.');

  const stated = parseRate(video.avg_frame_rate ?? '');
  const measured = shown.length > 1 ? (shown.length - 1) / (shown.at(-1)! - shown[0]!) : 0;
  const decimal = stated.ok ? stated.value.num / stated.value.den : measured;
  if (!(decimal > 0 && Number.isFinite(decimal)))
    return fail(
      'no-rate',
      'The finished file does not say how fast its pictures follow each other.',
      'Export it again.',
    );
  const rate = nearestKnownRate(decimal);
  // Matroska rounds times to milliseconds; anything beyond that is an uneven picture.
  const tolerance = 0.00151;
  const unevenAt = shown.findIndex((t, i) => Math.abs(t - shown[0]! - (i * rate.den) / rate.num) > tolerance);
  const seconds = (pictures.length * rate.den) / rate.num;
  const firstSeconds = Math.min(...pictures.slice(0, 64).map((p) => p.seconds));
  // Counted as they are shown: pictures that are stored after a keyframe may be shown before it.
  const shownKeys = keys.map((k) => rankOf(shown, stored[k]!)).sort((a, b) => a - b);
  const gaps = [...shownKeys, pictures.length].slice(1).map((k, i) => k - shownKeys[i]!);
  const clean = (value: string | undefined) => (value && value !== 'unknown' ? value : null);
  const { size } = await stat(path);
  const isIso = /mp4|mov/.test(format?.format_name ?? '');

  const longest = gaps.reduce((best, gap, i) => (gap > gaps[best]! ? i : best), 0);
  const groups = groupsOf(stored, keys);
  const bySecond = kbpsBySecond(
    pictures.map((p) => ({ ...p, seconds: p.seconds - firstSeconds })),
    seconds,
  );
  const aspect = /^(\d+):(\d+)$/.exec(video.sample_aspect_ratio ?? '');
  const { brand, whole } = await readStatement(path);

  let sound: MeasuredFile['audio'] = null;
  if (audio && heard) {
    if (!heard.ok) return heard;
    sound = {
      stream: audio.index,
      codec: audio.codec_name ?? 'unknown',
      channels: audio.channels ?? 0,
      sampleRate: audio.sample_rate ?? 0,
      seconds: audio.duration ?? (await soundSeconds(path, audio.index, signal)) ?? format?.duration ?? 0,
      ...heard.value,
    };
  }

  return ok({
    bytes: size,
    container: format?.format_name ?? 'unknown',
    brand,
    whole,
    moovFirst: isIso ? moovComesFirst(await topLevelBoxes(path)) : null,
    video: {
      stream: video.index,
      startSeconds: shown[0]! - (format?.start_time ?? 0),
      codec: video.codec_name,
      codecTag: video.codec_tag_string ?? '',
      profile: video.profile ?? null,
      level: levelText(video.codec_name, video.level),
      frame: { width: video.width, height: video.height },
      squarePixels:
        !video.sample_aspect_ratio ||
        video.sample_aspect_ratio === '1:1' ||
        video.sample_aspect_ratio === '0:1',
      pixelAspect:
        aspect && Number(aspect[1]) > 0 && Number(aspect[2]) > 0
          ? { num: Number(aspect[1]), den: Number(aspect[2]) }
          : { num: 1, den: 1 },
      rotation: video.side_data_list?.find((d) => d.rotation !== undefined)?.rotation ?? 0,
      rate,
      frames: pictures.length,
      evenlySpaced: unevenAt < 0,
      unevenAt: unevenAt < 0 ? null : unevenAt,
      pixelFormat: video.pix_fmt ?? 'unknown',
      primaries: clean(video.color_primaries),
      transfer: clean(video.color_transfer),
      matrix: clean(video.color_space),
      averageKbps: averageKbps(pictures, seconds),
      peakKbps: peakKbps(pictures, seconds),
      kbpsBySecond: bySecond,
      peakSecond: bySecond.indexOf(Math.max(...bySecond)),
      longestKeyframeGap: gaps[longest] ?? 0,
      longestGapAt: shownKeys[longest] ?? 0,
      ...groups,
    },
    audio: sound,
  });
}
