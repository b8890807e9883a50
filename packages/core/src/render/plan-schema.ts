import * as z from 'zod';
import type { Cue } from '../interchange/captions.ts';
import { burnedCaptionsSchema } from '../captions/burned.ts';
import type { LaidLayer } from '../layers/lay-out.ts';
import type { ReadingLimits } from '../layers/layer.ts';
import { plannedLayerSchema } from '../layers/planned-layer.ts';
import { keptSchema, paceSchema } from '../edits/cut.ts';
import { framingSchema } from '../framing/framing.ts';
import { sizeSchema } from '../picture/geometry.ts';
import type { DeliveredRate } from '../time/delivered-rate.ts';
import { rateSchema } from '../time/rate.ts';
import type { RateBudget } from './budget.ts';
import { h264Profiles } from './levels.ts';
import { sharpenSchema } from './sharpen.ts';

/** A still picked from the master and framed as its version is there, without anything that is laid over the film. */
const coverSchema = z.object({
  size: sizeSchema,
  format: z.enum(['jpeg', 'png']),
  /** The master's frame that it shows. */
  frame: z.number().int().nonnegative(),
  /** What is shown of it: one stretch, settled for its own shape. */
  framing: framingSchema,
});

/**
 * What every frame of a delivered file is made of: plain data, complete and deterministic. The same master bytes with
 * the same plan give the same film, and equal plans have equal fingerprints.
 */
export const renderPlanSchema = z.object({
  format: z.literal('mivvy-render-plan'),
  version: z.literal(1),
  master: z.object({
    /** Of the master file's bytes, lower-case hexadecimal. */
    sha256: z.string().regex(/^[0-9a-f]{64}$/),
    displayed: sizeSchema,
    rate: rateSchema,
    frames: z.number().int().positive(),
    videoStream: z.number().int().nonnegative(),
    /** Where the first picture stands in the sound; below zero where the sound starts later. */
    videoStartSeconds: z.number(),
    squarePixels: z.boolean(),
    rateVaries: z.boolean(),
    interlaced: z.boolean(),
    /** Its frames are counted from its first picture: it is never entered in the middle. Missing: it may be. */
    countedFromStart: z.literal(true).optional(),
    /**
     * How much later a keyframe is shown than it is decoded at most, seconds: so much earlier a film is entered whose
     * pictures are told by their times (its rate varies, or it is interlaced). Missing: such a film is counted from its start.
     */
    longestKeyframeDelay: z.number().nonnegative().optional(),
    hdr: z.enum(['none', 'pq', 'hlg']),
    /** Colour matrix the picture is read with: as tagged, else by size (common practice). */
    matrix: z.enum(['bt709', 'bt601', 'bt2020']),
    range: z.enum(['tv', 'pc']),
    /** It is the textless master of the film that the version belongs to. Missing: it is that film. */
    textless: z.literal(true).optional(),
  }),
  frame: sizeSchema,
  rate: rateSchema,
  /** Length of the delivered file in frames at `rate`. */
  frames: z.number().int().positive(),
  step: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('every'), n: z.number().int().positive() }),
    z.object({ kind: z.literal('nearest') }),
  ]),
  /** The master frames that are delivered: kept spans in the order in which they play. */
  kept: keptSchema,
  /** Playback speed with the pitch kept. */
  pace: paceSchema,
  /** What is shown of each of them: settled and tidied, so that equal pictures make equal plans. */
  framing: framingSchema,
  /** How far the picture is sharpened after it was sized, up to 1; not at all where missing. */
  sharpen: sharpenSchema.optional(),
  video: z.object({
    codec: z.enum(['h264', 'hevc', 'vp9', 'av1']),
    rate: z.discriminatedUnion('mode', [
      z.object({ mode: z.literal('two-pass'), targetKbps: z.number(), maxKbps: z.number() }),
      z.object({ mode: z.literal('quality'), crf: z.number(), maxKbps: z.number().optional() }),
    ]),
    /** Frames between keyframes at most. */
    keyframeFrames: z.number().int().positive(),
    /** H.264 only. */
    level: z.string().nullable(),
    /** H.264 only; High where missing. */
    profile: z.enum(h264Profiles).optional(),
    /** Pictures in a row that look both ways, at most; as many as the encoder likes where missing. */
    bFrames: z.number().int().nonnegative().optional(),
    /** No picture looks past a keyframe; left to the encoder where missing. */
    closedGop: z.literal(true).optional(),
  }),
  audio: z
    .object({
      stream: z.number().int().nonnegative(),
      codec: z.enum(['aac', 'opus']),
      kbps: z.number(),
      sampleRate: z.number().int(),
      channels: z.number().int(),
      loudness: z.object({ integratedLufs: z.number(), truePeakDbtp: z.number() }).nullable(),
      /** Length of the fade across each join of the cut, milliseconds. */
      joinMs: z.number().min(0).max(500),
    })
    .nullable(),
  /** Captions that are drawn into the picture; missing where there are none. */
  captions: burnedCaptionsSchema.optional(),
  /** Captions that go beside it in a file of their own; missing where there are none. Seconds of the delivered film. */
  sidecar: z
    .object({
      format: z.enum(['srt', 'vtt']),
      language: z.string().optional(),
      cues: z.array(z.object({ from: z.number(), to: z.number(), lines: z.array(z.string()) })),
    })
    .optional(),
  /** What else is laid over the picture, the nearest first; missing where nothing is. */
  layers: z.array(plannedLayerSchema).optional(),
  /** The still that goes beside it; missing where none is asked for. */
  cover: coverSchema.optional(),
  container: z.enum(['mp4', 'mov', 'webm']),
  maxBytes: z.number().int().positive().nullable(),
});
export type RenderPlan = z.infer<typeof renderPlanSchema>;

/** A plan with what was decided on the way and is worth saying. */
export interface PlannedVersion {
  plan: RenderPlan;
  delivered: DeliveredRate;
  budget: RateBudget;
  /** The placement wants sound and the master has none. */
  soundMissing: boolean;
  /** It is to be drawn from a textless master, and there is none that counts. */
  textlessMissing?: true;
  /** Captions as they play in it, seconds; missing where none were given. */
  captions?: readonly Cue[];
  /** Letters of drawn captions that no typeface has. */
  captionsMissing?: readonly string[];
  /** What of its captions can be read in time; the usual limits where missing. */
  reading?: ReadingLimits;
  /** Layers as they are laid out in it; missing where there are none. */
  laid?: readonly LaidLayer[];
}
