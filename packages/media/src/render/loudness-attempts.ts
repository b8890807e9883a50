import type { Loudness, RenderPlan } from '@mivvy/core';

/** How near integrated loudness is brought to its target, LU. */
const closeEnough = 0.2;
/** Coding moves peaks; the limiter starts this far under the ceiling, dB. */
const firstHeadroom = 0.6;
/** Coding that raises the limiter's ceiling by more than this has made peaks of its own, dB. From trials with speech. */
const codedPeaks = 1;
/** A decibel more adds at least so many; the gain is changed by no more at once, dB. */
const leastEffect = 0.2;
const mostStep = 6;
/** Beyond what one gain would take, dB. */
const mostLimited = 12;
/** A decibel above the ceiling counts as much as so many of loudness. */
const overWeight = 20;

/** How a sound is brought to its loudness. */
export interface Attempt {
  /** Decibels. */
  gain: number;
  /** A limiter holds peaks this far under the ceiling, dB, where there is one. */
  headroom: number;
  limiting: boolean;
  /** Coded in the way that makes no peaks of its own, where the usual one does. */
  steady: boolean;
}

/** An attempt and what came of it. */
export interface Try extends Attempt {
  /** What the loudness lacks of its target, LU. */
  off: number;
  /** What the true peak lies over its ceiling, dB. */
  over: number;
}

/** What a placement asks of a sound. */
type Target = NonNullable<NonNullable<RenderPlan['audio']>['loudness']>;

/** What is tried first: one gain for the whole of a sound, as it was measured before. */
export const firstAttempt = (before: Loudness, target: Target): Attempt => {
  const gain = target.integratedLufs - before.integratedLufs!;
  const limiting =
    before.truePeakDbtp !== null && before.truePeakDbtp + gain > target.truePeakDbtp - firstHeadroom;
  return { gain, headroom: firstHeadroom, limiting, steady: false };
};

/** A limiter is asked for so much at most, dB over what one gain would take: more would be heard. */
export const mostGain = (first: Attempt): number => first.gain + mostLimited;

/** Filters of an attempt. */
export function limited({ gain, headroom, limiting }: Attempt, target: Target, sampleRate: number): string[] {
  const ceiling = 10 ** ((target.truePeakDbtp - headroom) / 20);
  return [
    `volume=${gain.toFixed(3)}dB:precision=float`,
    // The limiter works at four times the rate, where peaks between samples show.
    ...(limiting
      ? [
          `aresample=${sampleRate * 4}`,
          `alimiter=limit=${Math.max(0.0625, ceiling).toFixed(5)}:level=false:attack=2:release=60`,
          `aresample=${sampleRate}`,
        ]
      : []),
  ];
}

/** How far an attempt is from what was wanted, 0 for not at all. A peak above its ceiling is worse than any loudness. */
export const missedBy = ({ off, over }: Try): number =>
  Math.max(0, Math.abs(off) - closeEnough) + overWeight * Math.max(0, over);

/** What is tried after an attempt that missed, by what the one before it came to, with a gain of at most `most`, dB. */
export function nextAttempt(now: Try, before: Try | null, most: number): Attempt {
  const { headroom, limiting, steady, off, over } = now;
  // A limiter takes some of each decibel: how much is told by what the last step came to.
  const isLike = before?.limiting === limiting && before.headroom === headroom && before.steady === steady;
  const step = isLike ? now.gain - before.gain : 0;
  const effect = step ? Math.max(leastEffect, Math.min(1, (before!.off - off) / step)) : 1;
  const louder = Math.abs(off) > closeEnough ? Math.max(-mostStep, Math.min(mostStep, off / effect)) : 0;
  const gain = Math.min(most, now.gain + louder);
  if (over <= 0) return { gain, headroom, limiting, steady };
  if (!limiting) return { gain, headroom, limiting: true, steady };
  // Peaks that coding itself makes are not got under by limiting harder: that takes loudness away and leaves them.
  if (!steady && over + headroom > codedPeaks) return { gain, headroom, limiting, steady: true };
  return { gain, headroom: headroom + over + 0.2, limiting, steady };
}
