import { stat } from 'node:fs/promises';
import * as z from 'zod';
import {
  fail,
  median,
  nearestKnownRate,
  ok,
  parseRate,
  rate,
  type MasterFacts,
  type Rate,
  type Result,
} from '@mivvy/core';
import { readTopLevel } from '../measure/boxes.ts';
import { eachPacket } from '../ffmpeg/packets.ts';
import { eachProbeLine, explainFailure, inputArgs, runFfprobe } from '../ffmpeg/run.ts';

const numeric = z.coerce.number().optional().catch(undefined);
const tag = z.string().optional();

const probedStream = z.object({
  index: z.number(),
  codec_type: z.string().optional(),
  codec_name: z.string().optional(),
  codec_tag_string: z.string().optional(),
  profile: z.string().optional(),
  level: z.number().optional(),
  pix_fmt: z.string().optional(),
  bits_per_raw_sample: numeric,
  width: z.number().optional(),
  height: z.number().optional(),
  sample_aspect_ratio: z.string().optional(),
  r_frame_rate: z.string().optional(),
  avg_frame_rate: z.string().optional(),
  nb_frames: numeric,
  start_time: numeric,
  duration: numeric,
  field_order: z.string().optional(),
  color_primaries: tag,
  color_transfer: tag,
  color_space: tag,
  color_range: tag,
  channels: z.number().optional(),
  sample_rate: numeric,
  disposition: z.record(z.string(), z.number()).optional(),
  side_data_list: z
    .array(z.looseObject({ rotation: z.number().optional(), displaymatrix: z.string().optional() }))
    .optional(),
});

/** What ffprobe says of a file, reduced to what is used. */
export const probedFile = z.object({
  streams: z.array(probedStream).default([]),
  format: z
    .object({ format_name: z.string(), start_time: numeric, duration: numeric, size: numeric })
    .optional(),
});
export type ProbedStream = z.infer<typeof probedStream>;

/** The largest side of a master in pixels; larger pictures cannot be decoded within a sane amount of memory. */
const largestSide = 8192;
/** The smallest side of a master in pixels: below this no window could be cut. */
const smallestSide = 16;

/** Asks ffprobe about a file. */
export async function probe(
  path: string,
  signal?: AbortSignal,
): Promise<Result<{ file: z.infer<typeof probedFile>; stderr: string }>> {
  const run = await runFfprobe(
    ['-v', 'error', '-show_streams', '-show_format', '-of', 'json', ...inputArgs(path)],
    signal,
  );
  if (!run.ok) return run;
  const { stdout, stderr, failed } = run.value;
  if (failed) return refusal(path, stderr);
  const parsed = probedFile.safeParse(JSON.parse(stdout || '{}'));
  if (!parsed.success)
    return fail(
      'probe-unreadable',
      'The file’s description could not be understood.',
      'Save it again from your editor as MP4 or MOV.',
    );
  return ok({ file: parsed.data, stderr });
}

/** A file that begins like an MP4 or MOV and lacks a part of what it says it holds; whatever else is wrong follows from that. */
async function brokenOff(path: string): Promise<Extract<Result<never>, { ok: false }> | null> {
  const { types, whole } = await readTopLevel(path).catch(() => ({ types: [] as string[], whole: true }));
  if (!['ftyp', 'mdat', 'moov'].includes(types[0] ?? '') || (types.includes('moov') && whole)) return null;
  const problem = {
    code: 'incomplete',
    sentence: 'The file is incomplete: a part of it is missing, as when a copy or a recording breaks off.',
    mend: 'Copy it again from where it was made.',
  };
  return { ok: false, problem };
}

/** Why ffprobe would not open a file, in words. */
async function refusal<T>(path: string, stderr: string): Promise<Result<T>> {
  if (/not on whitelist/i.test(stderr)) {
    return fail(
      'not-a-film-file',
      'This is not a film but a playlist, script or still picture; what it points at is not opened.',
      'Bring in the film itself, as MP4, MOV, MKV, WebM, MXF or AVI.',
    );
  }
  const broken = await brokenOff(path);
  if (broken) return broken;
  if (
    /moov atom not found|Invalid data found|could not find codec|End of file|Error opening|misdetection/i.test(
      stderr,
    )
  ) {
    return fail(
      'not-a-video',
      'This is not a video that can be read.',
      'Bring in a film as MP4, MOV, MKV, WebM, MXF or AVI.',
    );
  }
  return { ok: false, problem: explainFailure(stderr, 'it could not be opened') };
}

const wholeRate = (text: string | undefined): Rate | undefined => {
  const parsed = text ? parseRate(text) : undefined;
  return parsed?.ok ? parsed.value : undefined;
};

/** A rate as stored, snapped to the common fraction that it stands for (a header's 2997/100 means 30000/1001). */
function snapped(r: Rate | undefined): Rate | undefined {
  return r && nearestKnownRate(r.num / r.den);
}

function bitDepth(stream: ProbedStream): number {
  if (stream.bits_per_raw_sample && stream.bits_per_raw_sample > 0) return stream.bits_per_raw_sample;
  const deep = /p(9|10|12|14|16)(le|be)?$|(?:p0|x2rgb|rgb)(10|12|16)|(48|64)(le|be)$/.exec(
    stream.pix_fmt ?? '',
  );
  return deep ? Number(deep[1] ?? deep[3] ?? 16) : 8;
}

/** How a player turns a stored picture: clockwise by quarters, and over where it is stored mirrored. */
interface Turn {
  rotation: 0 | 90 | 180 | 270;
  mirrored?: 'across' | 'down';
}

function turnOf(stream: ProbedStream): Turn {
  const side = stream.side_data_list?.find((d) => d.rotation !== undefined);
  const degrees = side?.rotation ?? 0;
  // ffprobe states counter-clockwise turns; a player's clockwise turn is the negative.
  const rotation = ((((Math.round(-degrees / 90) * 90) % 360) + 360) % 360) as Turn['rotation'];
  // Rows of the display matrix (ISO/IEC 14496-12, tkhd): a b u, c d v, x y w. A negative determinant mirrors.
  const [a, b, , c, d] = (side?.displaymatrix ?? '').split('\n').flatMap((row) =>
    row
      .replace(/^[^:]*:/, '')
      .trim()
      .split(/\s+/)
      .filter(Boolean)
      .map(Number),
  );
  if (a === undefined || b === undefined || c === undefined || d === undefined || a * d - b * c >= 0)
    return { rotation };
  // Mirrored and upright: ffprobe calls that half a turn, or none.
  if (rotation % 180 === 0) return { rotation: 0, mirrored: a < 0 ? 'across' : 'down' };
  return { rotation, mirrored: 'across' };
}

/** Containers without an index, where a seek lands on any packet: frames of these are counted from the start. */
const unindexed = /mpegts|mpeg\b|h264|hevc|m4v|ivf|dv|flv|yuv4mpegpipe/;

/**
 * Reads a master's facts from its headers: quick, whatever the length. The frame count may still be an estimate
 * (`framesCounted` false) until {@link countFrames} has read every packet.
 */
export async function probeMaster(path: string, signal?: AbortSignal): Promise<Result<MasterFacts>> {
  const { size } = await stat(path);
  if (size === 0)
    return fail(
      'empty-file',
      'The file is empty: it holds no bytes at all.',
      'Copy it again from where it was made.',
    );
  const probed = await probe(path, signal);
  if (!probed.ok) return probed;
  const { streams, format } = probed.value.file;
  const picture = streams.find((s) => s.codec_type === 'video' && !s.disposition?.attached_pic);
  const sounds = streams.filter((s) => s.codec_type === 'audio' && s.codec_name && s.channels);
  if (!picture?.codec_name || !picture.width || !picture.height || !picture.pix_fmt) {
    const broken = await brokenOff(path);
    if (broken) return broken;
  }
  if (!picture) {
    return sounds.length
      ? fail(
          'audio-only',
          'This file has sound but no picture.',
          'Bring in the film; a sound file alone cannot be framed.',
        )
      : fail(
          'not-a-video',
          'This is not a video that can be read.',
          'Bring in a film as MP4, MOV, MKV, WebM, MXF or AVI.',
        );
  }
  if (!picture.codec_name || !picture.width || !picture.height || !picture.pix_fmt) {
    return fail(
      'codec-unknown',
      'The picture is coded in a way that cannot be read here.',
      'Save it from your editor as H.264, or in an editing codec.',
    );
  }
  const coded = { width: picture.width, height: picture.height };
  const turn = turnOf(picture);
  const { rotation } = turn;
  const sar = /^(\d+):(\d+)$/.exec(picture.sample_aspect_ratio ?? '');
  const pixelAspect =
    sar && Number(sar[1]) > 0 && Number(sar[2]) > 0
      ? rate(Number(sar[1]), Number(sar[2]))
      : { num: 1, den: 1 };
  const square = {
    width: Math.round((coded.width * pixelAspect.num) / pixelAspect.den),
    height: coded.height,
  };
  const displayed = rotation % 180 === 0 ? square : { width: square.height, height: square.width };
  if (Math.max(displayed.width, displayed.height) > largestSide) {
    return fail(
      'too-large',
      `At ${displayed.width} × ${displayed.height} the picture is larger than can be worked on.`,
      `Bring in a file of at most ${largestSide} pixels a side.`,
    );
  }
  if (Math.min(displayed.width, displayed.height) < smallestSide) {
    return fail(
      'too-small',
      `At ${displayed.width} × ${displayed.height} the picture is too small to cut a frame from.`,
      `Bring in a file of at least ${smallestSide} pixels a side.`,
    );
  }
  const nominal = snapped(wholeRate(picture.r_frame_rate));
  const average = snapped(wholeRate(picture.avg_frame_rate)) ?? nominal;
  if (!average)
    return fail(
      'no-rate',
      'The file does not say how fast its pictures follow each other.',
      'Save it again from your editor with a fixed frame rate.',
    );
  // Headers of a steady film agree on its rate; where they do not, the packets decide later.
  const close = nominal && Math.abs(nominal.num / nominal.den / (average.num / average.den) - 1) < 0.002;
  const masterRate = close ? nominal : average;
  const fileStart = format?.start_time ?? 0;
  // Matroska states where the film ends, counted from zero; its length is that without what lies before its start.
  const stated = format?.duration ?? 0;
  const seconds =
    picture.duration ??
    (/matroska/.test(format?.format_name ?? '') && stated > fileStart ? stated - fileStart : stated);
  const frames =
    picture.nb_frames && picture.nb_frames > 0
      ? picture.nb_frames
      : Math.round((seconds * masterRate.num) / masterRate.den);
  const transfer =
    picture.color_transfer && picture.color_transfer !== 'unknown' ? picture.color_transfer : null;
  const known = (value: string | undefined) =>
    value && value !== 'unknown' && value !== 'reserved' ? value : null;
  const sound = sounds[0];
  return ok({
    container: format?.format_name ?? 'unknown',
    bytes: size,
    video: {
      streamIndex: picture.index,
      codec: picture.codec_name,
      profile: picture.profile ?? null,
      pixelFormat: picture.pix_fmt,
      bitDepth: bitDepth(picture),
      coded,
      displayed,
      ...turn,
      ...(unindexed.test(format?.format_name ?? '') ? { countedFromStart: true } : {}),
      pixelAspect,
      rate: masterRate,
      rateVaries: !close,
      frames: Math.max(1, frames),
      framesCounted: false,
      interlaced: ['tt', 'bb', 'tb', 'bt'].includes(picture.field_order ?? ''),
      startSeconds: Math.max(0, (picture.start_time ?? fileStart) - fileStart),
      colour: {
        primaries: known(picture.color_primaries),
        transfer,
        matrix: known(picture.color_space),
        range: picture.color_range === 'pc' ? 'pc' : picture.color_range === 'tv' ? 'tv' : null,
      },
      hdr: transfer === 'smpte2084' ? 'pq' : transfer === 'arib-std-b67' ? 'hlg' : 'none',
    },
    audio: sound
      ? {
          streamIndex: sound.index,
          codec: sound.codec_name!,
          channels: sound.channels!,
          sampleRate: sound.sample_rate ?? 48000,
          startSeconds: (sound.start_time ?? fileStart) - fileStart,
          loudness: null,
        }
      : null,
    audioStreams: sounds.length,
  });
}

/** A picture may sit this share of a frame from its even place before the rate counts as varying. */
const unevenness = 0.3;
/** A film keeps to a rate when this share of the distances between its pictures does; the others are gaps. */
const nearlyAll = 0.98;
/** A distance keeps to a rate when it is no further than this from it, as a share of a frame, or than rounding makes it. */
const distanceTolerance = 0.1;
const roundingSeconds = 0.0011;
/** So far the usual distance may lie from a rate's, as a share of it: rounding to milliseconds moves the mean by less. */
const meanTolerance = 0.0008;

/** The packets of a film's picture, as far as they tell when it is shown. */
interface PacketTimes {
  /** When each is shown, seconds; not a number where the file does not say. */
  shown: number[];
  /** When each is decoded. */
  decoded: number[];
  lastDuration: number;
  longestKeyframeGap: number;
  /** Seconds from a keyframe's decoding to its showing at most. */
  longestKeyframeDelay: number;
}

async function readPacketTimes(
  path: string,
  streamIndex: number,
  signal: AbortSignal | undefined,
): Promise<Result<PacketTimes>> {
  const times: PacketTimes = {
    shown: [],
    decoded: [],
    lastDuration: 0,
    longestKeyframeGap: 1,
    longestKeyframeDelay: 0,
  };
  let sinceKey = 0;
  const read = await eachPacket(
    path,
    streamIndex,
    ['pts_time', 'dts_time', 'duration_time', 'flags'],
    ({ pts_time: pts, dts_time: dts, duration_time: duration, flags = '' }) => {
      // Some containers put empty lines between their packets.
      if (!pts || flags.includes('D')) return;
      times.shown.push(pts === 'N/A' ? NaN : Number(pts));
      times.decoded.push(dts === undefined || dts === 'N/A' ? NaN : Number(dts));
      const isKey = flags.includes('K');
      const delay = times.shown.at(-1)! - times.decoded.at(-1)!;
      if (isKey && delay > times.longestKeyframeDelay) times.longestKeyframeDelay = delay;
      sinceKey = isKey ? 1 : sinceKey + 1;
      times.longestKeyframeGap = Math.max(times.longestKeyframeGap, sinceKey);
      if (Number(duration) > 0) times.lastDuration = Number(duration);
    },
    signal,
  );
  return read.ok ? ok(times) : read;
}

/**
 * When each picture is shown, in order. Where a file does not say it of all, when they are decoded tells as much (AVI
 * knows nothing else); where it says neither of some, these stand at their even places beside the others.
 */
function timesOfPictures(
  { shown, decoded }: PacketTimes,
  stated: Rate,
): { times: number[]; untimed: number } {
  const known = (times: number[]) => times.filter((t) => !Number.isNaN(t)).length;
  const best = known(shown) >= known(decoded) ? shown : decoded;
  const untimed = shown.length - known(shown);
  if (known(best) === best.length) return { times: Array.from(Float64Array.from(best).sort()), untimed };
  const frame = stated.den / stated.num;
  const first = best.findIndex((t) => !Number.isNaN(t));
  if (first < 0) return { times: best.map((_, i) => i * frame), untimed };
  const filled: number[] = [];
  for (let i = 0; i < best.length; i++) {
    const t = best[i]!;
    filled.push(
      !Number.isNaN(t) ? t : i < first ? best[first]! - (first - i) * frame : filled[i - 1]! + frame,
    );
  }
  return { times: filled.sort((a, b) => a - b), untimed };
}

/** Packets that are decoded to learn in which order their pictures are shown. */
const orderTold = 120;

/**
 * Whether a film's pictures come out of a decoder in another order than its times say. Some programs write each picture
 * down with the time at which it is decoded; what its times say of a picture is then wrong by some frames.
 */
async function timesAreOfDecoding(
  path: string,
  { shown, longestKeyframeGap }: PacketTimes,
  streamIndex: number,
  signal: AbortSignal | undefined,
): Promise<boolean> {
  const asStored = shown.every((time, i) => i === 0 || time > shown[i - 1]!);
  // Times that go back and forth are those of showing; pictures that lean on no other are shown as they are stored.
  if (!asStored || longestKeyframeGap === 1) return false;
  let [latest, isBehind] = [-Infinity, false];
  const args = [
    ...['-v', 'quiet', '-select_streams', String(streamIndex), '-read_intervals', `%+#${orderTold}`],
    ...['-show_entries', 'frame=pts_time', '-of', 'csv=p=0', ...inputArgs(path)],
  ];
  const read = await eachProbeLine(
    args,
    (line) => {
      const time = Number.parseFloat(line);
      if (time < latest) isBehind = true;
      else if (time > latest) latest = time;
    },
    signal,
  );
  // What cannot be decoded here says nothing of the order.
  return read.ok && isBehind;
}

/**
 * Reads every packet of the picture (without decoding more than a few) and settles length, rate and whether it varies. A film whose
 * header promises clearly more than the file holds is refused: it broke off while being copied.
 */
export async function countFrames(
  path: string,
  facts: MasterFacts,
  signal?: AbortSignal,
): Promise<Result<MasterFacts>> {
  const read = await readPacketTimes(path, facts.video.streamIndex, signal);
  if (!read.ok) return read;
  const { lastDuration, longestKeyframeGap, longestKeyframeDelay } = read.value;
  const ofDecoding = await timesAreOfDecoding(path, read.value, facts.video.streamIndex, signal);
  const { times, untimed: withoutTime } = timesOfPictures(read.value, facts.video.rate);
  const count = times.length;
  // A time that is another picture's is none.
  const untimed = ofDecoding ? count : withoutTime;
  if (count === 0)
    return fail(
      'no-pictures',
      'The file holds no picture that can be shown.',
      'Copy it again from where it was made.',
    );
  const headerSeconds = (facts.video.frames * facts.video.rate.den) / facts.video.rate.num;
  const span = times[count - 1]! - times[0]!;
  const held = span + lastDuration;
  if (count < facts.video.frames * 0.98 && held < headerSeconds - 1) {
    return fail(
      'breaks-off',
      `The file breaks off after ${held.toFixed(1)} s of ${headerSeconds.toFixed(1)} s.`,
      'Copy it again from where it was made.',
    );
  }
  const video = {
    ...facts.video,
    longestKeyframeGap,
    longestKeyframeDelay: Number(longestKeyframeDelay.toFixed(6)),
    framesCounted: true,
    ...(untimed > 0 ? { countedFromStart: true, untimed } : {}),
  };
  const settled = (change: Partial<MasterFacts['video']>): Result<MasterFacts> =>
    ok({ ...facts, video: { ...video, ...change } });
  if (count === 1) return settled({ frames: 1, rateVaries: false });

  const distance = usualDistance(times);
  // A rate that only the mean says, because a few gaps lengthen it, is no rate of the film.
  const candidates = [facts.video.rate, nearestKnownRate(1 / distance)].filter(
    (r) => Math.abs(r.den / r.num / distance - 1) < meanTolerance,
  );
  const steady = candidates.find((r) => sitsEvenly(times, r));
  if (steady) return settled({ rate: steady, rateVaries: false, frames: count });
  const conformedFrames = (r: Rate) =>
    Math.max(1, Math.round(((span + (lastDuration || r.den / r.num)) * r.num) / r.den));
  const gapped = candidates.find((r) => keepsTo(times, r, nearlyAll));
  if (gapped)
    return settled({
      rate: gapped,
      rateVaries: true,
      gaps: oddDistances(times, gapped),
      frames: conformedFrames(gapped),
    });
  const conformed = usualRate(times);
  return settled({ rate: conformed, rateVaries: true, frames: conformedFrames(conformed) });
}

/** How many distances between neighbouring pictures are clearly not those of a rate. */
function oddDistances(times: readonly number[], r: Rate): number {
  const frame = r.den / r.num;
  const tolerance = Math.max(distanceTolerance * frame, roundingSeconds);
  let odd = 0;
  for (let i = 1; i < times.length; i++) if (Math.abs(times[i]! - times[i - 1]! - frame) > tolerance) odd++;
  return odd;
}

/** Whether at least a share of the distances between neighbouring pictures are those of a rate. */
function keepsTo(times: readonly number[], r: Rate, share: number): boolean {
  return oddDistances(times, r) <= (1 - share) * (times.length - 1);
}

/** Whether every picture sits close to its even place at a rate. */
function sitsEvenly(times: readonly number[], r: Rate): boolean {
  const start = times[0]!;
  return times.every((t, i) => Math.abs(((t - start) * r.num) / r.den - i) <= unevenness);
}

/** The mean of the distances between neighbouring pictures without the few shortest and longest, seconds. */
function usualDistance(times: readonly number[]): number {
  const distances = Float64Array.from(times.slice(1), (t, i) => t - times[i]!).sort();
  const cut = Math.floor(distances.length * 0.02);
  const middle = distances.subarray(cut, distances.length - cut);
  return middle.reduce((sum, d) => sum + d, 0) / middle.length || 1 / 25;
}

/** The rate that most neighbouring pictures of an uneven film keep (the median distance). */
function usualRate(times: readonly number[]): Rate {
  const gaps = times
    .slice(1)
    .map((t, i) => t - times[i]!)
    .filter((g) => g > 0);
  const usual = median(gaps) ?? 1 / 25;
  // Timestamps are often rounded to milliseconds; look for a common rate within that error before taking the decimal.
  const decimal = 1 / usual;
  const common = [24, 25, 30, 50, 60].find((r) => Math.abs(1 / r - usual) < roundingSeconds);
  return common ? rate(common) : nearestKnownRate(Math.min(decimal, 120));
}
