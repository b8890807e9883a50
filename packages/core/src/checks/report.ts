import { z } from 'zod';
import { sizeSchema } from '../picture/geometry.ts';
import { channelsLabel, codecLabel, decibelLabel, loudnessSchema, sizeLabel } from '../masters/facts.ts';
import { compareRates, rateLabel, rateSchema } from '../time/rate.ts';
import { planSeconds, type RenderPlan } from '../render/plan.ts';
import { bitrateLabel, bytesLabel } from './troubles.ts';

/** What was measured from a finished file, and nothing else. */
export const measuredFileSchema = z.object({
  bytes: z.number().int(),
  container: z.string(),
  /** `moov` before `mdat` (ISO/IEC 14496-12); null for containers that have neither. */
  moovFirst: z.boolean().nullable(),
  video: z.object({
    codec: z.string(),
    codecTag: z.string(),
    profile: z.string().nullable(),
    /** As H.264 writes it, e.g. `4.0`; null where the codec has none. */
    level: z.string().nullable(),
    frame: sizeSchema,
    squarePixels: z.boolean(),
    rotation: z.number(),
    rate: rateSchema,
    /** Pictures counted one by one. */
    frames: z.number().int(),
    /** True when every picture lasts exactly one frame of `rate`. */
    evenlySpaced: z.boolean(),
    pixelFormat: z.string(),
    primaries: z.string().nullable(),
    transfer: z.string().nullable(),
    matrix: z.string().nullable(),
    averageKbps: z.number(),
    peakKbps: z.number(),
    kbpsBySecond: z.array(z.number()),
    /** Frames between keyframes at most. */
    longestKeyframeGap: z.number().int(),
  }),
  audio: z
    .object({
      codec: z.string(),
      channels: z.number().int(),
      sampleRate: z.number().int(),
      seconds: z.number(),
      loudness: loudnessSchema,
    })
    .nullable(),
});
export type MeasuredFile = z.infer<typeof measuredFileSchema>;

/** One line of a check report: what was wanted beside what was measured. */
export const checkLineSchema = z.object({
  name: z.string(),
  expected: z.string(),
  measured: z.string(),
  ok: z.boolean(),
});
export type CheckLine = z.infer<typeof checkLineSchema>;

/** What was measured from a finished file, against what was asked for. */
export const checkReportSchema = z.object({
  passed: z.boolean(),
  checks: z.array(checkLineSchema),
  measured: measuredFileSchema,
});
export type CheckReport = z.infer<typeof checkReportSchema>;

/** How far integrated loudness may lie from its target, LU (common practice). */
export const loudnessToleranceLu = 1;
/** How far a two-pass average may exceed its target: short films leave the encoder little room (common practice). */
const averageTolerance = 1.1;

const codecNames: Record<RenderPlan['video']['codec'], string> = {
  h264: 'h264',
  hevc: 'hevc',
  vp9: 'vp9',
  av1: 'av1',
};

/** How far the sound's length may lie from the picture's, seconds: coders pad the last of their blocks (common practice). */
const soundLengthTolerance = 0.1;

/** What is known of the part of the master that the file was made from. */
export interface MadeFrom {
  /** Something is heard in it. */
  heard: boolean;
}

/** Compares a measured file with its plan, line by line; `source` where it is known what it was made from. */
export function checkFile(plan: RenderPlan, measured: MeasuredFile, source?: MadeFrom | null): CheckReport {
  const v = measured.video;
  const checks: CheckLine[] = [];
  const line = (name: string, expected: string, value: string, ok: boolean) =>
    checks.push({ name, expected, measured: value, ok });

  line(
    'Frame size',
    sizeLabel(plan.frame),
    sizeLabel(v.frame),
    v.frame.width === plan.frame.width && v.frame.height === plan.frame.height,
  );
  line(
    'Pixels',
    'square, upright',
    `${v.squarePixels ? 'square' : 'stretched'}, ${v.rotation === 0 ? 'upright' : `turned ${v.rotation}°`}`,
    v.squarePixels && v.rotation === 0,
  );
  line('Length', `${plan.frames} frames`, `${v.frames} frames`, v.frames === plan.frames);
  line(
    'Frame rate',
    `${rateLabel(plan.rate)}, steady`,
    `${rateLabel(v.rate)}, ${v.evenlySpaced ? 'steady' : 'uneven'}`,
    compareRates(v.rate, plan.rate) === 0 && v.evenlySpaced,
  );
  line(
    'Codec',
    codecLabel(codecNames[plan.video.codec]),
    codecLabel(v.codec),
    v.codec === codecNames[plan.video.codec],
  );
  if (plan.video.codec === 'h264') {
    line('Profile', 'High', v.profile ?? 'none', v.profile === 'High');
    line(
      'Level',
      plan.video.level ?? 'as its encoder states',
      v.level ?? 'none',
      plan.video.level === null || v.level === plan.video.level,
    );
  }
  line(
    'Colour',
    'BT.709, 8 bit, 4:2:0',
    `${[v.primaries, v.transfer, v.matrix].every((c) => c === 'bt709') ? 'BT.709' : [v.primaries, v.transfer, v.matrix].map((c) => c ?? 'untagged').join(' ')}, ${v.pixelFormat === 'yuv420p' ? '8 bit, 4:2:0' : v.pixelFormat}`,
    v.primaries === 'bt709' && v.transfer === 'bt709' && v.matrix === 'bt709' && v.pixelFormat === 'yuv420p',
  );
  line(
    'Keyframes',
    `at least every ${plan.video.keyframeFrames} frames`,
    `every ${v.longestKeyframeGap} at most`,
    v.longestKeyframeGap <= plan.video.keyframeFrames,
  );
  if (plan.video.rate.mode === 'two-pass') {
    line(
      'Bitrate, average',
      `≤ ${bitrateLabel(plan.video.rate.targetKbps)}`,
      bitrateLabel(v.averageKbps),
      v.averageKbps <= plan.video.rate.targetKbps * averageTolerance,
    );
  } else {
    line('Bitrate, average', `as quality ${plan.video.rate.crf} needs`, bitrateLabel(v.averageKbps), true);
  }
  if (plan.video.rate.maxKbps !== undefined) {
    line(
      'Bitrate, ceiling',
      `≤ ${bitrateLabel(plan.video.rate.maxKbps)}`,
      bitrateLabel(v.peakKbps),
      v.peakKbps <= plan.video.rate.maxKbps * 1.01,
    );
  }
  line(
    'File size',
    plan.maxBytes === null ? 'no limit' : `≤ ${bytesLabel(plan.maxBytes)}`,
    bytesLabel(measured.bytes),
    plan.maxBytes === null || measured.bytes <= plan.maxBytes,
  );
  if (measured.moovFirst !== null)
    line('Starts before it is all loaded', 'yes', measured.moovFirst ? 'yes' : 'no', measured.moovFirst);

  if (plan.audio === null) {
    line(
      'Sound',
      'none',
      measured.audio ? codecLabel(measured.audio.codec) : 'none',
      measured.audio === null,
    );
  } else if (!measured.audio) {
    line('Sound', codecLabel(plan.audio.codec), 'none', false);
  } else {
    const a = measured.audio;
    line(
      'Sound',
      `${codecLabel(plan.audio.codec)}, ${channelsLabel(plan.audio.channels)}, ${plan.audio.sampleRate / 1000} kHz`,
      `${codecLabel(a.codec)}, ${channelsLabel(a.channels)}, ${a.sampleRate / 1000} kHz`,
      a.codec === plan.audio.codec &&
        a.channels === plan.audio.channels &&
        a.sampleRate === plan.audio.sampleRate,
    );
    const seconds = planSeconds(plan);
    line(
      'Sound, length',
      `${seconds.toFixed(2)} ± ${soundLengthTolerance} s`,
      `${a.seconds.toFixed(2)} s`,
      Math.abs(a.seconds - seconds) <= soundLengthTolerance + 1e-6,
    );
    const { loudness } = plan.audio;
    const { integratedLufs, truePeakDbtp } = a.loudness;
    // A silent master makes a silent file; one in which something is heard does not.
    if (source)
      line(
        'Sound, heard',
        source.heard ? 'yes, as in the master' : 'silence, as in the master',
        integratedLufs === null ? 'silence' : 'yes',
        !source.heard || integratedLufs !== null,
      );
    if (loudness) {
      // Silence has no loudness: there is nothing to normalise, and nothing wrong with that where the master is silent too.
      line(
        'Loudness',
        `${decibelLabel(loudness.integratedLufs)} ± ${loudnessToleranceLu} LUFS`,
        integratedLufs === null ? 'silence' : `${decibelLabel(integratedLufs)} LUFS`,
        integratedLufs === null || Math.abs(integratedLufs - loudness.integratedLufs) <= loudnessToleranceLu,
      );
      line(
        'True peak',
        `≤ ${decibelLabel(loudness.truePeakDbtp)} dBTP`,
        truePeakDbtp !== null
          ? `${decibelLabel(truePeakDbtp)} dBTP`
          : integratedLufs === null
            ? 'silence'
            : 'not known',
        truePeakDbtp === null ? integratedLufs === null : truePeakDbtp <= loudness.truePeakDbtp + 0.05,
      );
    }
  }
  return { passed: checks.every((c) => c.ok), checks, measured };
}
