import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import { canonicalJson } from '../canonical.ts';
import { sizeSchema, type MasterRect, type Size } from '../picture/geometry.ts';
import { frameForMaster } from '../picture/fit.ts';
import { deliveredLength, deliveredRate, sourceFrameAt, type DeliveredRate } from '../time/delivered-rate.ts';
import { fps, frameToSeconds, rateSchema, type Rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import {
  asEdited,
  joinKept,
  keptFrameAt,
  keptInOrder,
  keptLength,
  keptSchema,
  pace,
  pacedRate,
  paceSchema,
  paceValue,
  usualJoinMs,
  type Pace,
} from '../edits/cut.ts';
import type { Placement } from '../specs/schema.ts';
import { rateRule } from '../specs/book.ts';
import { pictureStartInSound, type MasterFacts } from '../masters/facts.ts';
import { framingSchema, layoutAt, type Framing, type Layout } from '../framing/framing.ts';
import { isStill } from '../framing/move.ts';
import { tidyFraming } from '../framing/shots-of.ts';
import { budgetRate, type RateBudget } from './budget.ts';
import { lowestH264Level } from './levels.ts';

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
    hdr: z.enum(['none', 'pq', 'hlg']),
    /** Colour matrix the picture is read with: as tagged, else by size (common practice). */
    matrix: z.enum(['bt709', 'bt601', 'bt2020']),
    range: z.enum(['tv', 'pc']),
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
}

/** Keyframe spacing where a placement states none, seconds (common practice). */
const defaultKeyframeSeconds = 2;

/** The matrix a picture's colours were coded with: as tagged; untagged, BT.709 from 720 lines up (common practice). */
function codedMatrix(facts: MasterFacts): RenderPlan['master']['matrix'] {
  const tag = facts.video.colour.matrix;
  if (tag === 'bt709') return 'bt709';
  if (tag === 'bt2020nc' || tag === 'bt2020c') return 'bt2020';
  if (tag === 'smpte170m' || tag === 'bt470bg' || tag === 'fcc') return 'bt601';
  return Math.min(facts.video.coded.width, facts.video.coded.height) >= 720 ? 'bt709' : 'bt601';
}

/** What a plan, and any other picture made from a master, needs to know of it. */
export function planMaster(facts: MasterFacts, hash: string): RenderPlan['master'] {
  const v = facts.video;
  return {
    sha256: hash,
    displayed: { width: v.displayed.width, height: v.displayed.height },
    rate: v.rate,
    frames: v.frames,
    videoStream: v.streamIndex,
    videoStartSeconds: pictureStartInSound(facts),
    squarePixels: v.pixelAspect.num === v.pixelAspect.den,
    rateVaries: v.rateVaries,
    interlaced: v.interlaced,
    ...(v.countedFromStart ? { countedFromStart: true as const } : {}),
    hdr: v.hdr,
    matrix: codedMatrix(facts),
    range: v.colour.range ?? (v.pixelFormat.startsWith('yuvj') ? 'pc' : 'tv'),
  };
}

/** What a plan is made from. */
export interface PlanInput {
  facts: MasterFacts;
  /** Of the master's bytes. */
  sha256: string;
  placement: Placement;
  framing: Framing;
  /** What of the master plays, in which order; the whole film where missing. Must lie inside the master. */
  kept?: readonly FrameSpan[];
  pace?: Pace;
  /** Length of the fade across each join of the sound, milliseconds. */
  joinMs?: number;
}

/**
 * The rate and the steps of a cut at a pace. A pace changes which frames are shown and not how many a second; only
 * where the film's own rate is not taken and the pace brings it to one that is (24 at 25/24) does it become that.
 */
export function pacedDelivery(
  master: Rate,
  p: Pace,
  rule: Parameters<typeof deliveredRate>[1],
): DeliveredRate {
  const own = deliveredRate(master, rule);
  if (p.num === p.den) return own;
  const paced = pacedRate(master, p);
  const at = deliveredRate(paced, rule);
  const target =
    own.step.kind === 'nearest' && at.step.kind === 'every' && at.step.n === 1 ? paced : own.rate;
  // Frames of the paced film that go by for each delivered one, as a fraction.
  const [num, den] = [paced.num * target.den, paced.den * target.num];
  const words = target === paced ? `as edited, at a pace of ${Number(paceValue(p).toFixed(4))}` : own.words;
  return num % den === 0
    ? { rate: target, step: { kind: 'every', n: num / den }, unevenPerSecond: 0, words }
    : { rate: target, step: { kind: 'nearest' }, unevenPerSecond: own.unevenPerSecond, words };
}

/** Works out everything about a version's file. Rules that are broken are not errors here: see `troublesOf`. */
export function makePlan({
  facts,
  sha256: hash,
  placement,
  framing,
  kept: wanted,
  pace: p = asEdited,
  joinMs = usualJoinMs,
}: PlanInput): PlannedVersion {
  const v = facts.video;
  const frame: Size = frameForMaster(v.displayed, placement.frame, placement.largerFrame);
  const kept = joinKept(wanted?.length ? wanted : [{ from: 0, to: v.frames }]);
  const delivered = pacedDelivery(v.rate, p, rateRule(placement));
  const frames = deliveredLength(keptLength(kept), pacedRate(v.rate, p), delivered.rate, delivered.step);
  const seconds = frameToSeconds(frames, delivered.rate);
  const wantsSound = placement.audio !== null;
  const audio =
    placement.audio && facts.audio
      ? {
          stream: facts.audio.streamIndex,
          codec: placement.audio.codec,
          kbps: placement.audio.kbps,
          sampleRate: placement.audio.sampleRate,
          channels: placement.audio.channels,
          loudness: placement.audio.loudness
            ? {
                integratedLufs: placement.audio.loudness.integratedLufs,
                truePeakDbtp: placement.audio.loudness.truePeakDbtp,
              }
            : null,
          joinMs: kept.length > 1 ? joinMs : 0,
        }
      : null;
  const codec = placement.video.codec;
  const budget = budgetRate(
    placement.video.rate,
    codec,
    frame,
    delivered.rate,
    seconds,
    audio?.kbps ?? 0,
    placement.maxBytes,
  );
  // Without a ceiling no level can be promised for the bitrate: the encoder states the one that it needs.
  const peak = budget.rate.maxKbps;
  const plan: RenderPlan = {
    format: 'mivvy-render-plan',
    version: 1,
    master: planMaster(facts, hash),
    frame: { width: frame.width, height: frame.height },
    rate: delivered.rate,
    frames,
    step: delivered.step,
    kept,
    pace: pace(p.num, p.den),
    framing: tidyFraming(framing, keptInOrder(kept), v.displayed, frame),
    video: {
      codec,
      rate: budget.rate,
      keyframeFrames: Math.max(
        1,
        Math.round((placement.video.keyframeSeconds ?? defaultKeyframeSeconds) * fps(delivered.rate)),
      ),
      level:
        codec === 'h264' && peak !== undefined
          ? (lowestH264Level(frame, delivered.rate, peak) ?? null)
          : null,
    },
    audio,
    container: placement.container,
    maxBytes: placement.maxBytes ?? null,
  };
  return { plan, delivered, budget, soundMissing: wantsSound && !facts.audio };
}

/** Which of the kept frames a delivered frame shows, counted in playing order. */
export function keptIndexAt(plan: RenderPlan, deliveredFrame: number): number {
  return sourceFrameAt(
    deliveredFrame,
    keptLength(plan.kept),
    pacedRate(plan.master.rate, plan.pace),
    plan.rate,
    plan.step,
  );
}

/** The master frame that a delivered frame shows. */
export function masterFrameAt(plan: RenderPlan, deliveredFrame: number): number {
  return keptFrameAt(plan.kept, keptIndexAt(plan, deliveredFrame)).frame;
}

/** What a delivered frame is made of. */
export function planLayout(plan: RenderPlan, deliveredFrame: number): Layout {
  return layoutAt(plan.framing, masterFrameAt(plan, deliveredFrame), plan.master.displayed, plan.frame);
}

/** The one window that fills the frame from the first picture to the last, or null where anything moves or changes. */
export function stillWindow(plan: RenderPlan): MasterRect | null {
  const [only, ...more] = plan.framing.stretches;
  if (!only || more.length || !isStill(only.move) || (only.fill && only.fill.kind !== 'filled')) return null;
  return planLayout(plan, 0).panels[0]!.source;
}

/** Length of the delivered file in seconds. */
export function planSeconds(plan: RenderPlan): number {
  return frameToSeconds(plan.frames, plan.rate);
}

/**
 * Raised by hand whenever the renderer changes what it makes of the same plan,
 * so that files made before are known to be behind.
 */
export const rendererRevision = 1;

/** A plan's fingerprint: SHA-256 of its canonical JSON and the renderer's revision, lower-case hexadecimal. */
export function planFingerprint(plan: RenderPlan): string {
  return bytesToHex(sha256(utf8ToBytes(`${rendererRevision}\n${canonicalJson(plan)}`)));
}
