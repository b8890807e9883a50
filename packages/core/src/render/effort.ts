import * as z from 'zod';

/** How much time an encoder may take to make a film smaller at the same quality. */
export const efforts = ['quick', 'usual', 'thorough'] as const;
export const effortSchema = z.enum(efforts);
export type Effort = z.infer<typeof effortSchema>;

/** What each of them is called. */
export const effortWords: Readonly<Record<Effort, string>> = {
  quick: 'quickly',
  usual: 'as usual',
  thorough: 'thoroughly',
};

/** One encode of a strip: what it cost, and what came of it. */
export interface EffortTrial {
  effort: Effort;
  /** Time that it took. */
  seconds: number;
  bytes: number;
  /** Structural similarity to what was encoded, below 1. */
  likeness: number;
}

/** What an effort costs and gains beside the usual one. */
export const effortGainSchema = z.object({
  effort: effortSchema,
  /** Its time, by the usual one's. */
  time: z.number().positive(),
  /** Its size at the same likeness, by the usual one's. */
  size: z.number().positive(),
});
export type EffortGain = z.infer<typeof effortGainSchema>;

/** Likeness as a distance that grows evenly with the bits that are spent: decibels of what is not alike. */
const decibels = (likeness: number) => -10 * Math.log10(Math.max(1e-6, 1 - likeness));

/**
 * What each effort costs and gains, from two encodes of each at qualities of their own. Size is compared where both are
 * alike: along the straight line through an effort's two points (logarithm of size over decibels of likeness).
 *
 * @throws RangeError where an effort has fewer than two encodes, or both of them are equally alike
 */
export function effortGains(trials: readonly EffortTrial[]): EffortGain[] {
  const lines = efforts.map((effort) => {
    const of = trials.filter((trial) => trial.effort === effort);
    const [a, b] = of;
    if (!a || !b || decibels(a.likeness) === decibels(b.likeness))
      throw new RangeError(`two different encodes are needed for ${effort}`);
    const slope = (Math.log(b.bytes) - Math.log(a.bytes)) / (decibels(b.likeness) - decibels(a.likeness));
    return {
      effort,
      seconds: of.reduce((sum, trial) => sum + trial.seconds, 0),
      middle: of.reduce((sum, trial) => sum + decibels(trial.likeness), 0) / of.length,
      sizeAt: (db: number) => Math.exp(Math.log(a.bytes) + slope * (db - decibels(a.likeness))),
    };
  });
  const usual = lines.find((line) => line.effort === 'usual')!;
  return lines.map(({ effort, seconds, sizeAt }) => ({
    effort,
    time: seconds / usual.seconds,
    size: sizeAt(usual.middle) / usual.sizeAt(usual.middle),
  }));
}

/** A gain in words: “about 1.6 × as long, 4 % smaller at the same quality”. */
export function effortGainWords({ time, size }: EffortGain): string {
  const percent = Math.round(Math.abs(1 - size) * 100);
  const smaller = percent === 0 ? 'the same size' : `${percent} % ${size < 1 ? 'smaller' : 'larger'}`;
  return `about ${time.toFixed(time < 0.95 ? 2 : 1)} × as long, ${smaller} at the same quality`;
}
