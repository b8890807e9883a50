import { rateText, type Effort, type RenderPlan, type Size } from '@mivvy/core';
import { colourTags } from './colour-tags.ts';

/** What the encoders call each effort: names of x264 and x265, numbers of the others, where less is more. */
const presets: Readonly<Record<Effort, { x264: string; x265: string; vp9: string; av1: string }>> = {
  quick: { x264: 'veryfast', x265: 'veryfast', vp9: '4', av1: '9' },
  usual: { x264: 'medium', x265: 'medium', vp9: '2', av1: '7' },
  thorough: { x264: 'slower', x265: 'slow', vp9: '1', av1: '5' },
};

/** Length of the decoder buffer that a bitrate ceiling refers to, seconds (common practice). */
const bufferSeconds = 1;

/** Which pass of an encode is being run: 1 and 2 of a two-pass rate, `sketch` for a first one that is smaller, or `only`. */
export type Pass = 'sketch' | 1 | 2 | 'only';

/** True for a pass that only tells the next one where the bits are needed, and makes no file. */
export const isFirstPass = (pass: Pass): boolean => pass === 1 || pass === 'sketch';

/** A frame whose shorter side is less than this is too small to be sketched, pixels. */
const leastSketched = 480;

/**
 * The size of a first pass: half the frame each way where the encoder carries what it learns over to the frame itself,
 * as x264 does (its rate control scales bits and macroblock tree by the resolution). Null where it does not.
 */
export function sketchSize({ video, frame }: RenderPlan): Size | null {
  if (video.codec !== 'h264' || Math.min(frame.width, frame.height) < leastSketched) return null;
  const half = (n: number) => 2 * Math.round(n / 4);
  return { width: half(frame.width), height: half(frame.height) };
}

/** The passes that a plan needs with the encoder at hand. */
export function passesOf(plan: RenderPlan): Pass[] {
  // ffmpeg 5.1's SVT-AV1 has no two-pass mode; it aims for the target in one.
  if (plan.video.rate.mode !== 'two-pass' || plan.video.codec === 'av1') return ['only'];
  return [sketchSize(plan) ? 'sketch' : 1, 2];
}

/** The pass as encoders number it, for their options. */
const passNumber = (pass: 'sketch' | 1 | 2): string => (isFirstPass(pass) ? '1' : '2');

/**
 * How far a second pass may stray from its rate before it is brought back, as x264 counts it (1 by itself): what a
 * sketch tells is less exact than what a whole first pass does. Measured: hard edges come to within 5 % of their target
 * and not to 9 to 20 % above it, a film of mixed scenes to 4 to 9 % below it and not to 13 to 18 %; they are as alike to
 * their films as after a whole first pass.
 */
const afterSketch = ['-x264-params', 'ratetol=0.2'];

/** Arguments that make a sketch of the picture. */
function sketchArgs(plan: RenderPlan, pass: Pass): string[] {
  const size = pass === 'sketch' ? sketchSize(plan) : null;
  return size ? ['-s', `${size.width}x${size.height}`, '-sws_flags', 'fast_bilinear'] : [];
}

/** Encoder arguments for the picture, at the plan's rate or a lower one. Pass logs lie in the working folder under the name `pass`. */
export function pictureArgs(
  plan: RenderPlan,
  pass: Pass,
  rate = plan.video.rate,
  effort: Effort = 'usual',
): string[] {
  const preset = presets[effort];
  const { codec, keyframeFrames } = plan.video;
  const kbit = (n: number) => `${Math.round(n * 1000)}`;
  const ceiling =
    rate.maxKbps === undefined
      ? []
      : ['-maxrate', kbit(rate.maxKbps), '-bufsize', kbit(rate.maxKbps * bufferSeconds)];
  const amount = rate.mode === 'two-pass' ? ['-b:v', kbit(rate.targetKbps)] : ['-crf', String(rate.crf)];
  const gop = ['-g', String(keyframeFrames)];
  // x264 closes its groups of pictures by itself.
  const groups = plan.video.bFrames === undefined ? [] : ['-bf', String(plan.video.bFrames)];
  const common = ['-pix_fmt', 'yuv420p', '-r', rateText(plan.rate), '-fps_mode', 'cfr', ...colourTags];
  switch (codec) {
    case 'h264':
      return [
        '-c:v',
        'libx264',
        '-preset',
        preset.x264,
        // Every level holds four pictures of the largest frame that it allows (Rec. ITU-T H.264, Table A-1).
        ...(effort === 'thorough' ? ['-refs', '4'] : []),
        '-profile:v',
        plan.video.profile ?? 'high',
        ...groups,
        ...(plan.video.level ? ['-level:v', plan.video.level] : []),
        ...amount,
        ...ceiling,
        ...gop,
        ...(pass === 'only' ? [] : ['-pass', passNumber(pass), '-passlogfile', 'pass']),
        ...(pass === 2 && sketchSize(plan) ? afterSketch : []),
        ...sketchArgs(plan, pass),
        ...common,
      ];
    case 'hevc': {
      const params = [
        `keyint=${keyframeFrames}`,
        'log-level=error',
        ...(plan.video.bFrames === undefined ? [] : [`bframes=${plan.video.bFrames}`]),
        ...(plan.video.closedGop ? ['open-gop=0'] : []),
        ...(pass === 'only' ? [] : [`pass=${passNumber(pass)}`, 'stats=pass.log']),
      ];
      return [
        '-c:v',
        'libx265',
        '-preset',
        preset.x265,
        '-tag:v',
        'hvc1',
        ...amount,
        ...ceiling,
        ...gop,
        '-x265-params',
        params.join(':'),
        ...common,
      ];
    }
    case 'vp9':
      return [
        '-c:v',
        'libvpx-vp9',
        '-deadline',
        'good',
        '-cpu-used',
        isFirstPass(pass) ? '4' : preset.vp9,
        '-row-mt',
        '1',
        ...(rate.mode === 'quality' && rate.maxKbps === undefined ? ['-b:v', '0'] : []),
        ...amount,
        ...ceiling,
        ...gop,
        ...(pass === 'only' ? [] : ['-pass', passNumber(pass), '-passlogfile', 'pass']),
        ...common,
      ];
    case 'av1':
      // Only a quality encode takes a ceiling here; a target is held by variable bitrate control.
      return [
        '-c:v',
        'libsvtav1',
        '-preset',
        preset.av1,
        ...amount,
        ...(rate.mode === 'quality' ? ceiling : []),
        ...gop,
        ...common,
      ];
  }
}

/** Container arguments: no foreign metadata, nothing that differs between two runs, the index first. */
export function containerArgs(plan: RenderPlan): string[] {
  const clean = [
    '-map_metadata',
    '-1',
    '-map_chapters',
    '-1',
    '-fflags',
    '+bitexact',
    '-flags:v',
    '+bitexact',
    '-flags:a',
    '+bitexact',
  ];
  switch (plan.container) {
    case 'mp4':
      return [...clean, '-movflags', '+faststart+write_colr', '-f', 'mp4'];
    case 'mov':
      return [...clean, '-movflags', '+faststart+write_colr', '-f', 'mov'];
    case 'webm':
      return [...clean, '-f', 'webm'];
  }
}
