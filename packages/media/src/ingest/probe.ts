import { stat } from 'node:fs/promises';
import { z } from 'zod';
import { fail, nearestKnownRate, ok, parseRate, rate, type MasterFacts, type Rate, type Result } from '@mivvy/core';
import { topLevelBoxes } from '../measure/boxes.ts';
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
  side_data_list: z.array(z.looseObject({ rotation: z.number().optional() })).optional(),
});

/** What ffprobe says of a file, reduced to what is used. */
export const probedFile = z.object({
  streams: z.array(probedStream).default([]),
  format: z.object({ format_name: z.string(), start_time: numeric, duration: numeric, size: numeric }).optional(),
});
export type ProbedStream = z.infer<typeof probedStream>;

/** The largest side of a master in pixels; larger pictures cannot be decoded within a sane amount of memory. */
const largestSide = 8192;
/** The smallest side of a master in pixels: below this no window could be cut. */
const smallestSide = 16;

/** Asks ffprobe about a file. */
export async function probe(path: string, signal?: AbortSignal): Promise<Result<{ file: z.infer<typeof probedFile>; stderr: string }>> {
  const run = await runFfprobe(['-v', 'error', '-show_streams', '-show_format', '-of', 'json', ...inputArgs(path)], signal);
  if (!run.ok) return run;
  const { stdout, stderr, failed } = run.value;
  if (failed) return refusal(path, stderr);
  const parsed = probedFile.safeParse(JSON.parse(stdout || '{}'));
  if (!parsed.success) return fail('probe-unreadable', 'The file’s description could not be understood.', 'Save it again from your editor as MP4 or MOV.');
  return ok({ file: parsed.data, stderr });
}

/** Why ffprobe would not open a file, in words. */
async function refusal<T>(path: string, stderr: string): Promise<Result<T>> {
  if (/not on whitelist/i.test(stderr)) {
    return fail('not-a-film-file', 'This is not a film but a playlist, script or still picture; what it points at is not opened.', 'Bring in the film itself, as MP4, MOV, MKV, WebM, MXF or AVI.');
  }
  // ffmpeg says this of anything named .mp4; only a file that begins like one is an incomplete film.
  if (/moov atom not found/i.test(stderr) && (await topLevelBoxes(path)).some((box) => box === 'ftyp' || box === 'mdat')) {
    return fail('incomplete', 'The file is incomplete: its index is missing, as when a copy or a recording breaks off.', 'Copy it again from where it was made.');
  }
  if (/moov atom not found|Invalid data found|could not find codec|End of file|Error opening|misdetection/i.test(stderr)) {
    return fail('not-a-video', 'This is not a video that can be read.', 'Bring in a film as MP4, MOV, MKV, WebM, MXF or AVI.');
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
  const deep = /p(9|10|12|14|16)(le|be)?$|(?:p0|x2rgb|rgb)(10|12|16)|(48|64)(le|be)$/.exec(stream.pix_fmt ?? '');
  return deep ? Number(deep[1] ?? deep[3] ?? 16) : 8;
}

function rotationOf(stream: ProbedStream): 0 | 90 | 180 | 270 {
  const degrees = stream.side_data_list?.find((d) => d.rotation !== undefined)?.rotation ?? 0;
  // ffprobe states counter-clockwise turns; a player's clockwise turn is the negative.
  const clockwise = (((Math.round(-degrees / 90) * 90) % 360) + 360) % 360;
  return clockwise as 0 | 90 | 180 | 270;
}

/**
 * Reads a master's facts from its headers: quick, whatever the length. The frame count may still be an estimate
 * (`framesCounted` false) until {@link countFrames} has read every packet.
 */
export async function probeMaster(path: string, signal?: AbortSignal): Promise<Result<MasterFacts>> {
  const { size } = await stat(path);
  if (size === 0) return fail('empty-file', 'The file is empty: it holds no bytes at all.', 'Copy it again from where it was made.');
  const probed = await probe(path, signal);
  if (!probed.ok) return probed;
  const { streams, format } = probed.value.file;
  const picture = streams.find((s) => s.codec_type === 'video' && !s.disposition?.attached_pic);
  const sounds = streams.filter((s) => s.codec_type === 'audio' && s.codec_name && s.channels);
  if (!picture) {
    return sounds.length
      ? fail('audio-only', 'This file has sound but no picture.', 'Bring in the film; a sound file alone cannot be framed.')
      : fail('not-a-video', 'This is not a video that can be read.', 'Bring in a film as MP4, MOV, MKV, WebM, MXF or AVI.');
  }
  if (!picture.codec_name || !picture.width || !picture.height || !picture.pix_fmt) {
    return fail('codec-unknown', 'The picture is coded in a way that cannot be read here.', 'Save it from your editor as H.264 or ProRes.');
  }
  const coded = { width: picture.width, height: picture.height };
  const rotation = rotationOf(picture);
  const sar = /^(\d+):(\d+)$/.exec(picture.sample_aspect_ratio ?? '');
  const pixelAspect = sar && Number(sar[1]) > 0 && Number(sar[2]) > 0 ? rate(Number(sar[1]), Number(sar[2])) : { num: 1, den: 1 };
  const square = { width: Math.round((coded.width * pixelAspect.num) / pixelAspect.den), height: coded.height };
  const displayed = rotation % 180 === 0 ? square : { width: square.height, height: square.width };
  if (Math.max(displayed.width, displayed.height) > largestSide) {
    return fail('too-large', `At ${displayed.width} × ${displayed.height} the picture is larger than can be worked on.`, `Bring in a file of at most ${largestSide} pixels a side.`);
  }
  if (Math.min(displayed.width, displayed.height) < smallestSide) {
    return fail('too-small', `At ${displayed.width} × ${displayed.height} the picture is too small to cut a frame from.`, `Bring in a file of at least ${smallestSide} pixels a side.`);
  }
  const nominal = snapped(wholeRate(picture.r_frame_rate));
  const average = snapped(wholeRate(picture.avg_frame_rate)) ?? nominal;
  if (!average) return fail('no-rate', 'The file does not say how fast its pictures follow each other.', 'Save it again from your editor with a fixed frame rate.');
  // Headers of a steady film agree on its rate; where they do not, the packets decide later.
  const close = nominal && Math.abs(nominal.num / nominal.den / (average.num / average.den) - 1) < 0.002;
  const masterRate = close ? nominal : average;
  const seconds = picture.duration ?? format?.duration ?? 0;
  const frames = picture.nb_frames && picture.nb_frames > 0 ? picture.nb_frames : Math.round((seconds * masterRate.num) / masterRate.den);
  const transfer = picture.color_transfer && picture.color_transfer !== 'unknown' ? picture.color_transfer : null;
  const known = (value: string | undefined) => (value && value !== 'unknown' && value !== 'reserved' ? value : null);
  const sound = sounds[0];
  const fileStart = format?.start_time ?? 0;
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
      rotation,
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

/**
 * Reads every packet of the picture (without decoding) and settles length, rate and whether it varies. A film whose
 * header promises clearly more than the file holds is refused: it broke off while being copied.
 */
export async function countFrames(path: string, facts: MasterFacts, signal?: AbortSignal): Promise<Result<MasterFacts>> {
  const times: number[] = [];
  let lastDuration = 0;
  let sinceKey = 0;
  let longestKeyframeGap = 1;
  const args = ['-v', 'error', '-select_streams', String(facts.video.streamIndex), '-show_entries', 'packet=pts_time,duration_time,flags', '-of', 'csv=p=0', ...inputArgs(path)];
  const read = await eachProbeLine(args, (line) => {
    const [pts, duration, flags = ''] = line.split(',');
    // Some containers put empty lines between their packets.
    if (!pts || flags.includes('D') || pts === 'N/A') return;
    times.push(Number(pts));
    sinceKey = flags.includes('K') ? 1 : sinceKey + 1;
    longestKeyframeGap = Math.max(longestKeyframeGap, sinceKey);
    if (Number(duration) > 0) lastDuration = Number(duration);
  }, signal);
  if (!read.ok) return read;
  if (times.length === 0) return fail('no-pictures', 'The file holds no picture that can be shown.', 'Copy it again from where it was made.');
  const headerSeconds = (facts.video.frames * facts.video.rate.den) / facts.video.rate.num;
  times.sort((a, b) => a - b);
  const first = times[0]!;
  const span = times.at(-1)! - first;
  const count = times.length;
  const held = span + lastDuration;
  if (count < facts.video.frames * 0.98 && held < headerSeconds - 1) {
    return fail('breaks-off', `The file breaks off after ${held.toFixed(1)} s of ${headerSeconds.toFixed(1)} s.`, 'Copy it again from where it was made.');
  }
  facts = { ...facts, video: { ...facts.video, longestKeyframeGap } };
  if (count === 1) return ok({ ...facts, video: { ...facts.video, frames: 1, framesCounted: true, rateVaries: false } });
  const steady = steadyRate(times, [facts.video.rate, nearestKnownRate((count - 1) / span)]);
  if (steady) {
    return ok({ ...facts, video: { ...facts.video, rate: steady, rateVaries: false, frames: count, framesCounted: true } });
  }
  const conformed = usualRate(times);
  const frames = Math.max(1, Math.round(((span + (lastDuration || conformed.den / conformed.num)) * conformed.num) / conformed.den));
  return ok({ ...facts, video: { ...facts.video, rate: conformed, rateVaries: true, frames, framesCounted: true } });
}

/** The first of some rates at which every picture sits close to its even place, if there is one. */
function steadyRate(times: readonly number[], candidates: readonly Rate[]): Rate | undefined {
  const start = times[0]!;
  return candidates.find((r) => times.every((t, i) => Math.abs(((t - start) * r.num) / r.den - i) <= unevenness));
}

/** The rate that most neighbouring pictures of an uneven film keep (the median distance). */
function usualRate(times: readonly number[]): Rate {
  const gaps = times.slice(1).map((t, i) => t - times[i]!).filter((g) => g > 0).sort((a, b) => a - b);
  const median = gaps[Math.floor(gaps.length / 2)] ?? 1 / 25;
  // Timestamps are often rounded to milliseconds; look for a common rate within that error before taking the decimal.
  const decimal = 1 / median;
  const common = [24, 25, 30, 50, 60].find((r) => Math.abs(1 / r - median) < 0.0011);
  return common ? rate(common) : nearestKnownRate(Math.min(decimal, 120));
}
