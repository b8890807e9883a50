import { stat } from 'node:fs/promises';
import {
  averageKbps,
  fail,
  kbpsBySecond,
  nearestKnownRate,
  ok,
  peakKbps,
  type MeasuredFile,
  type Rate,
  type Result,
} from '@mivvy/core';
import { eachPacket } from '../ffmpeg/packets.ts';
import { moovComesFirst, readStatement, topLevelBoxes } from './boxes.ts';
import { readHead, stated, type FileHead } from './file-head.ts';
import { measureLoudnessOverTime } from './loudness-over-time.ts';
import { groupsOf, rankOf, readPictures } from './stored-pictures.ts';

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
  const read = await eachPacket(
    path,
    stream,
    ['pts_time', 'duration_time'],
    (packet) => {
      const [pts, duration] = [Number(packet.pts_time), Number(packet.duration_time)];
      if (!Number.isFinite(pts)) return;
      first = Math.min(first, pts);
      last = Math.max(last, pts + (Number.isFinite(duration) ? duration : 0));
    },
    signal,
  );
  return read.ok && last > first ? last - first : undefined;
}

/** The rate of pictures by when each is shown, seconds in order; null for one alone. */
function rateOf(shown: readonly number[]): Rate | null {
  const decimal = (shown.length - 1) / (shown.at(-1)! - shown[0]!);
  return decimal > 0 && Number.isFinite(decimal) ? nearestKnownRate(decimal) : null;
}

/** Measures a finished file: everything is read from the file itself, nothing is taken from what was asked for. */
export async function measureFile(path: string, signal?: AbortSignal): Promise<Result<MeasuredFile>> {
  const head = await readHead(path, signal);
  return head.ok ? measureFrom(head.value, signal) : head;
}

/** Measures a finished file whose head has been read. */
export async function measureFrom(head: FileHead, signal?: AbortSignal): Promise<Result<MeasuredFile>> {
  const { path, video, audio, shown: asShown } = head;
  const [read, heard] = await Promise.all([
    readPictures(path, video.index, signal),
    audio ? measureLoudnessOverTime(path, audio.index, signal) : null,
  ]);
  if (!read.ok) return read;
  const { pictures, stored, keys } = read.value;
  const shown = stored.toSorted((a, b) => a - b);
  if (pictures.length === 0)
    return fail('no-picture', 'The finished file holds no picture.', 'Export it again.');

  const rate = head.rate ?? rateOf(shown);
  if (!rate)
    return fail(
      'no-rate',
      'The finished file does not say how fast its pictures follow each other.',
      'Export it again.',
    );
  // Matroska rounds times to milliseconds; anything beyond that is an uneven picture.
  const tolerance = 0.00151;
  const unevenAt = shown.findIndex((t, i) => Math.abs(t - shown[0]! - (i * rate.den) / rate.num) > tolerance);
  const seconds = (pictures.length * rate.den) / rate.num;
  const firstSeconds = Math.min(...pictures.slice(0, 64).map((p) => p.seconds));
  // Counted as they are shown: pictures that are stored after a keyframe may be shown before it.
  const shownKeys = keys.map((k) => rankOf(shown, stored[k]!)).sort((a, b) => a - b);
  const gaps = [...shownKeys, pictures.length].slice(1).map((k, i) => k - shownKeys[i]!);
  const { size } = await stat(path);
  const isIso = /mp4|mov/.test(head.container);

  const longest = gaps.reduce((best, gap, i) => (gap > gaps[best]! ? i : best), 0);
  const groups = groupsOf(stored, keys);
  const bySecond = kbpsBySecond(
    pictures.map((p) => ({ ...p, seconds: p.seconds - firstSeconds })),
    seconds,
  );
  const { brand, whole } = await readStatement(path);

  let sound: MeasuredFile['audio'] = null;
  if (audio && heard) {
    if (!heard.ok) return heard;
    sound = {
      stream: audio.index,
      codec: audio.codec_name ?? 'unknown',
      channels: audio.channels ?? 0,
      sampleRate: audio.sample_rate ?? 0,
      seconds: audio.duration ?? (await soundSeconds(path, audio.index, signal)) ?? head.length ?? 0,
      ...heard.value,
    };
  }

  return ok({
    bytes: size,
    container: head.container,
    brand,
    whole,
    moovFirst: isIso ? moovComesFirst(await topLevelBoxes(path)) : null,
    video: {
      stream: video.index,
      startSeconds: shown[0]! - head.start,
      codec: video.codec_name,
      codecTag: video.codec_tag_string ?? '',
      profile: video.profile ?? null,
      level: levelText(video.codec_name, video.level),
      ...asShown,
      squarePixels: asShown.pixelAspect.num === asShown.pixelAspect.den,
      rate,
      frames: pictures.length,
      evenlySpaced: unevenAt < 0,
      unevenAt: unevenAt < 0 ? null : unevenAt,
      pixelFormat: video.pix_fmt ?? 'unknown',
      primaries: stated(video.color_primaries),
      transfer: stated(video.color_transfer),
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
