import { compareRates, fps, rate, rateLabel, type Rate } from './rate.ts';

/** A placement's word on frame rates; missing fields mean any. */
export interface RateRule {
  max?: Rate | undefined;
  allowed?: readonly Rate[] | undefined;
}

/**
 * How master frames become delivered frames.
 * - `every`: each `n`-th master frame, unblended (1 keeps them all).
 * - `nearest`: the master frame nearest in time, so frames are repeated or dropped.
 */
export type FrameStep = { kind: 'every'; n: number } | { kind: 'nearest' };

/** The rate a version is delivered at, how it is reached, and in plain words why. */
export interface DeliveredRate {
  rate: Rate;
  step: FrameStep;
  /** Frames a second that are repeated (positive) or dropped (negative) by a `nearest` step; else 0. */
  unevenPerSecond: number;
  words: string;
}

/** Below this a halved or thirded rate looks like a fault, so frames are dropped unevenly instead (common practice). */
const slowestEvenRate = 20;

/**
 * Chooses the delivered rate: the edit's own where the rule allows it; else every n-th frame (50 under a cap of 30
 * becomes 25); else the nearest allowed rate with frames repeated or dropped.
 */
export function deliveredRate(master: Rate, rule: RateRule | undefined): DeliveredRate {
  const fits = (r: Rate) =>
    (!rule?.max || compareRates(r, rule.max) <= 0) &&
    (!rule?.allowed?.length || rule.allowed.some((a) => compareRates(a, r) === 0));
  if (fits(master)) {
    return { rate: master, step: { kind: 'every', n: 1 }, unevenPerSecond: 0, words: 'as edited' };
  }
  for (let n = 2; fps(master) / n >= slowestEvenRate; n++) {
    const part = rate(master.num, master.den * n);
    if (fits(part)) {
      const ordinal = n === 2 ? 'second' : n === 3 ? 'third' : n === 4 ? 'fourth' : `${n}th`;
      return { rate: part, step: { kind: 'every', n }, unevenPerSecond: 0, words: `every ${ordinal} frame` };
    }
  }
  const candidates = (rule?.allowed?.length ? [...rule.allowed] : rule?.max ? [rule.max] : []).filter(
    (r) => !rule?.max || compareRates(r, rule.max) <= 0,
  );
  candidates.sort((a, b) => Math.abs(fps(a) - fps(master)) - Math.abs(fps(b) - fps(master)));
  const nearest = candidates[0] ?? rule?.max ?? master;
  const uneven = fps(nearest) - fps(master);
  const count = Number(Math.abs(uneven).toFixed(2));
  return {
    rate: nearest,
    step: { kind: 'nearest' },
    unevenPerSecond: uneven,
    words: `${count} frame${count === 1 ? '' : 's'} a second ${uneven > 0 ? 'repeated' : 'dropped'} to reach ${rateLabel(nearest)}`,
  };
}

/** How many delivered frames a run of `length` master frames becomes; at least one. */
export function deliveredLength(length: number, master: Rate, delivered: Rate, step: FrameStep): number {
  if (step.kind === 'every') return Math.ceil(length / step.n);
  return Math.max(1, Math.round((length * master.den * delivered.num) / (master.num * delivered.den)));
}

/**
 * The master frame, counted from the start of its run, that delivered frame `k` of the run shows.
 * For `nearest` this is the last master frame whose time, rounded to delivered frames with halves going up,
 * is not after `k`: the rule that ffmpeg's fps filter follows, so that file and proof agree.
 */
export function sourceFrameAt(
  k: number,
  length: number,
  master: Rate,
  delivered: Rate,
  step: FrameStep,
): number {
  if (step.kind === 'every') return Math.min(k * step.n, length - 1);
  const n = Math.ceil(((2 * k + 1) * master.num * delivered.den) / (2 * master.den * delivered.num)) - 1;
  return Math.max(0, Math.min(n, length - 1));
}
