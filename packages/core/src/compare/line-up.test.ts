import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { lineUp } from './line-up.ts';
import type { Thumb } from './thumbs.ts';

/** A film of blobs that wander over a textured ground; every frame differs a little from the next. */
function film(frames: number, speed = 0.7): Float32Array[] {
  const [width, height] = [24, 32];
  return Array.from({ length: frames }, (_, k) =>
    Float32Array.from({ length: width * height }, (__, i) => {
      const [x, y] = [i % width, Math.floor(i / width)];
      const ground = 90 + 20 * Math.sin(x * 1.7) * Math.cos(y * 0.9);
      const blob = (cx: number, cy: number) => 90 * Math.exp(-((x - cx) ** 2 + (y - cy) ** 2) / 18);
      return ground + blob(12 + 8 * Math.sin((k * speed) / 9), 16 + 10 * Math.cos((k * speed) / 13));
    }),
  );
}

/** Coding noise that is the same in every run. */
function noisy(pictures: readonly Thumb[], amount: number): Float32Array[] {
  let seed = 7;
  const random = () => {
    seed = (seed * 1664525 + 1013904223) >>> 0;
    return seed / 2 ** 32 - 0.5;
  };
  return pictures.map((picture) => Float32Array.from(picture, (v) => v + amount * random()));
}

const blind = (length: number) => new Uint8Array(length);
const plan = film(160);
/** One frame that is shown twice can only be told where frames differ well. */
const quick = film(160, 3);

describe('lining a file up with its plan', () => {
  test('a slow change of light that goes the way of what coding did to a shot sets nothing out of step', () => {
    // Two frames a drawing, as animators draw; the last shot grows lighter where its coding is lighter all along.
    const [width, height] = [24, 32];
    const shot = (light: (step: number) => number) =>
      Array.from({ length: 60 }, (_, k) =>
        Float32Array.from(
          { length: width * height },
          (__, i) => 90 + 30 * Math.sin(i * 0.37) + (i % 3 ? 0 : light(Math.floor(k / 2))),
        ),
      );
    const planned = [...plan.slice(0, 60), ...shot((step) => 0.9 * step)];
    const coded = planned.map((picture, k) =>
      k < 60 ? picture : Float32Array.from(picture, (v, i) => v + [2, 3, 0][i % 3]!),
    );
    for (const amount of [0, 1]) {
      const { held, missing } = lineUp(noisy(coded, amount), planned, blind(120));
      expect([held, missing]).toEqual([[], []]);
    }
    // Frames that really are another's are told all the same.
    const late = coded.map((picture, k) => (k > 80 && k < 100 ? coded[k - 8]! : picture));
    expect(lineUp(noisy(late, 1), planned, blind(120)).held.length).toBeGreaterThan(0);
  });

  test('a file that is as planned has no gaps, however noisy', () => {
    for (const amount of [0, 2, 6]) {
      const { shows, held, missing } = lineUp(noisy(plan, amount), plan, blind(160));
      expect([...shows]).toEqual([...plan.keys()]);
      expect([held, missing]).toEqual([[], []]);
    }
  });

  test('light that changes slowly, coded a little too dark, is not a later picture of it', () => {
    const dusk = Array.from({ length: 160 }, (_, k) =>
      Float32Array.from({ length: 768 }, (__, i) => 60 + (i % 24) * 0.8 - k * 0.06),
    );
    // As dark as six frames later: too little to be seen, and enough to lie better there.
    const coded = dusk.map((picture) => picture.map((v) => v - 0.36));
    const { shows, held, missing } = lineUp(noisy(coded, 0.2), dusk, blind(160));
    expect([held, missing]).toEqual([[], []]);
    expect([...shows]).toEqual([...dusk.keys()]);
  });

  test('frames that are left out are found where they are missing', () => {
    fc.assert(
      fc.property(fc.integer({ min: 5, max: 150 }), fc.integer({ min: 1, max: 4 }), (at, count) => {
        const file = noisy([...plan.slice(0, at), ...plan.slice(at + count)], 1.5);
        const { missing, held } = lineUp(file, plan, blind(file.length));
        expect(held).toEqual([]);
        expect(missing).toHaveLength(1);
        expect(missing[0]!.count).toBe(count);
        expect(Math.abs(missing[0]!.at - at)).toBeLessThanOrEqual(2);
      }),
      { numRuns: 15 },
    );
  });

  test('frames that are shown again are found, put between others or in place of them', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 5, max: 150 }),
        fc.integer({ min: 1, max: 5 }),
        fc.boolean(),
        (at, count, instead) => {
          const again = Array.from({ length: count }, () => quick[at]!);
          const file = noisy(
            [...quick.slice(0, at + 1), ...again, ...quick.slice(at + 1 + (instead ? count : 0))],
            1.5,
          );
          const { missing, held } = lineUp(file, quick, blind(file.length));
          expect(missing).toEqual([]);
          expect(held.reduce((sum, s) => sum + s.to - s.from, 0)).toBe(count);
          expect(Math.abs(held[0]!.from - at - 1)).toBeLessThanOrEqual(2);
        },
      ),
      { numRuns: 15 },
    );
  });

  test('what lies a little beside the plan all along makes no gaps', () => {
    // Brighter and of another ground, far more than two frames differ: as when something lies over it.
    const beside = plan.map((picture) =>
      Float32Array.from(picture, (v, i) => v * 0.9 + 25 + 15 * Math.sin(i * 0.37)),
    );
    const { held, missing } = lineUp(noisy(beside, 1.5), plan, blind(160));
    expect([held, missing]).toEqual([[], []]);
  });

  test('a slow picture that coding has bent by more than it moves is not taken for another frame', () => {
    const slow = film(160, 0.18);
    // As at the end of a fade: spread unevenly, and a little more like the frame before.
    const bent = slow.map((picture, k) =>
      Float32Array.from(picture, (v, i) => {
        const lag = k >= 60 && k < 85 ? 1 * (slow[k - 1]![i]! - v) : 0;
        return v + lag + (k >= 50 && k < 95 ? 4 * Math.sin(i * 0.61) : 0);
      }),
    );
    const { held, missing } = lineUp(bent, slow, blind(160));
    expect([held, missing]).toEqual([[], []]);
  });

  test('where nothing moves only the length can tell', () => {
    const still = Array.from({ length: 60 }, () => plan[0]!);
    const { missing } = lineUp(noisy(still.slice(1), 1), noisy(still, 1), blind(59));
    expect(missing.reduce((sum, m) => sum + m.count, 0)).toBe(1);
    expect(lineUp(noisy(still, 1), still, blind(60)).held).toEqual([]);
  });

  test('frames that say nothing are passed over', () => {
    const black = plan.map((picture, k) =>
      k >= 40 && k < 52 ? new Float32Array(picture.length).fill(16) : picture,
    );
    const hidden = blind(160).fill(1, 40, 52);
    const { held, missing } = lineUp(noisy(black, 1), plan, hidden);
    expect([held, missing]).toEqual([[], []]);
  });
});
