import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { facts, story } from '../testing/samples.ts';
import { heldFraming } from '../framing/framing.ts';
import { pace } from '../edits/cut.ts';
import { effortGains, effortGainWords, type EffortTrial } from './effort.ts';
import { makePlan } from './plan.ts';
import { masterFrameAt } from './read-plan.ts';
import { stripPlan } from './strip.ts';

describe('a strip', () => {
  const cuts = fc
    .uniqueArray(fc.integer({ min: 0, max: 999 }), { minLength: 2, maxLength: 8 })
    .map((edges) => {
      const sorted = [...edges].sort((a, b) => a - b);
      return sorted.slice(1).map((to, i) => ({ from: sorted[i]!, to }));
    });
  const planFor = (kept: readonly { from: number; to: number }[], num = 1, den = 1) =>
    makePlan({
      facts: facts(),
      sha256: 'a'.repeat(64),
      placement: story(),
      framing: heldFraming(),
      // Every other span, so that something is left out between them.
      kept: kept.filter((_, i) => i % 2 === 0),
      pace: pace(num, den),
    }).plan;

  test('shows the frames that the film shows there', () => {
    fc.assert(
      fc.property(cuts, fc.nat(999), fc.integer({ min: 1, max: 200 }), (kept, at, length) => {
        const plan = planFor(kept);
        const from = at % plan.frames;
        const strip = stripPlan(plan, { from, to: from + length });
        expect(strip.frames).toBe(Math.min(length, plan.frames - from));
        for (let k = 0; k < strip.frames; k++)
          expect(masterFrameAt(strip, k)).toBe(masterFrameAt(plan, from + k));
      }),
    );
  });

  test('at a pace it is never more than one kept frame beside it, and nothing is asked for that is not kept', () => {
    fc.assert(
      fc.property(cuts, fc.nat(999), (kept, at) => {
        const plan = planFor(kept, 11, 10);
        const from = at % plan.frames;
        const strip = stripPlan(plan, { from, to: from + 30 });
        const order = plan.kept.flatMap((span) =>
          Array.from({ length: span.to - span.from }, (_, i) => span.from + i),
        );
        for (let k = 0; k < strip.frames; k++) {
          const [there, here] = [masterFrameAt(plan, from + k), masterFrameAt(strip, k)];
          expect(Math.abs(order.indexOf(there) - order.indexOf(here))).toBeLessThanOrEqual(1);
        }
      }),
    );
  });
});

describe('efforts', () => {
  /** An encoder whose likeness in decibels grows by 10 for every tenfold of its bits, with so many bits at the first. */
  const encoder = (effort: EffortTrial['effort'], seconds: number, bits: number): EffortTrial[] =>
    [12, 18].map((db) => ({
      effort,
      seconds: seconds / 2,
      bytes: bits * 10 ** (db / 10),
      likeness: 1 - 10 ** (-db / 10),
    }));

  test('sizes are compared at the same likeness, times as they were', () => {
    const gains = effortGains([
      ...encoder('quick', 2, 130),
      ...encoder('usual', 4, 100),
      ...encoder('thorough', 10, 90),
    ]);
    expect(gains.map((g) => [g.effort, g.time.toFixed(3), g.size.toFixed(3)])).toEqual([
      ['quick', '0.500', '1.300'],
      ['usual', '1.000', '1.000'],
      ['thorough', '2.500', '0.900'],
    ]);
    expect(gains.map(effortGainWords)).toEqual([
      'about 0.50 × as long, 30 % larger at the same quality',
      'about 1.0 × as long, the same size at the same quality',
      'about 2.5 × as long, 10 % smaller at the same quality',
    ]);
  });

  test('also where the efforts were tried at other likenesses', () => {
    const shifted = encoder('thorough', 8, 90).map((trial, i) => {
      const db = [14, 17][i]!;
      return { ...trial, bytes: 90 * 10 ** (db / 10), likeness: 1 - 10 ** (-db / 10) };
    });
    const gains = effortGains([...encoder('quick', 2, 130), ...encoder('usual', 4, 100), ...shifted]);
    expect(gains[2]!.size).toBeCloseTo(0.9, 6);
  });

  test('one encode of an effort says nothing', () => {
    expect(() => effortGains([...encoder('quick', 2, 130), ...encoder('usual', 4, 100)])).toThrow(RangeError);
  });
});
