import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { canonicalJson } from '../canonical.ts';
import type { Size } from '../picture/geometry.ts';
import { frameForMaster } from '../picture/fit.ts';
import { deliveredLength, deliveredRate, type DeliveredRate } from '../time/delivered-rate.ts';
import { fps, frameToSeconds, type Rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import {
  asEdited,
  joinKept,
  keptInOrder,
  keptLength,
  pace,
  pacedRate,
  paceValue,
  usualJoinMs,
  type Pace,
} from '../edits/cut.ts';
import type { Placement } from '../specs/schema.ts';
import { rateRule } from '../specs/book.ts';
import { pictureStartInSound, type MasterFacts } from '../masters/facts.ts';
import type { DrawnFrom } from '../masters/textless.ts';
import type { Framing } from '../framing/framing.ts';
import { tidyFraming } from '../framing/shots-of.ts';
import { budgetRate } from './budget.ts';
import { middleFrame, plannedCover } from './cover.ts';
import { levelKbps, lowestH264Level } from './levels.ts';
import type { PlannedVersion, RenderPlan } from './plan-schema.ts';

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
    ...((v.rateVaries || v.interlaced) && v.longestKeyframeDelay !== undefined
      ? { longestKeyframeDelay: v.longestKeyframeDelay }
      : {}),
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
  /** The master's frame that the cover shows, where the place asks for one; the middle of what plays where missing. */
  coverFrame?: number | null | undefined;
  /** How far the picture is sharpened; missing or null for not at all. */
  sharpen?: number | null | undefined;
  /** Whether the film is a textless master, or one is asked for and the film stands in for it. */
  textless?: DrawnFrom['textless'] | undefined;
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
  coverFrame,
  sharpen,
  textless,
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
  const { profile, maxLevel, bFrames, closedGop } = placement.video;
  // Without a ceiling no level can be promised for the bitrate: the encoder states the one that it needs. Where the
  // place limits the level, the level's own bitrate is the ceiling.
  const peak =
    budget.rate.maxKbps ?? (maxLevel === undefined ? undefined : levelKbps(maxLevel, profile ?? 'high'));
  const plan: RenderPlan = {
    format: 'mivvy-render-plan',
    version: 1,
    master: { ...planMaster(facts, hash), ...(textless === 'used' ? { textless: true as const } : {}) },
    frame: { width: frame.width, height: frame.height },
    rate: delivered.rate,
    frames,
    step: delivered.step,
    kept,
    pace: pace(p.num, p.den),
    framing: tidyFraming(framing, keptInOrder(kept), v.displayed, frame),
    ...(sharpen ? { sharpen } : {}),
    video: {
      codec,
      rate: peak === undefined ? budget.rate : { ...budget.rate, maxKbps: peak },
      keyframeFrames: Math.max(
        1,
        Math.round((placement.video.keyframeSeconds ?? defaultKeyframeSeconds) * fps(delivered.rate)),
      ),
      level:
        codec === 'h264' && peak !== undefined
          ? (lowestH264Level(frame, delivered.rate, peak, profile) ?? null)
          : null,
      ...(profile ? { profile } : {}),
      ...(bFrames === undefined ? {} : { bFrames }),
      ...(closedGop ? { closedGop } : {}),
    },
    audio,
    ...(placement.cover
      ? { cover: plannedCover(placement.cover, coverFrame ?? middleFrame(kept), framing, facts) }
      : {}),
    container: placement.container,
    maxBytes: placement.maxBytes ?? null,
  };
  return {
    plan,
    delivered,
    budget,
    soundMissing: wantsSound && !facts.audio,
    ...(textless === 'wanted' ? { textlessMissing: true as const } : {}),
  };
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
