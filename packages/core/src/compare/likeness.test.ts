import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Size } from '../picture/geometry.ts';
import { structuralSimilarity } from './likeness.ts';

/** The index as its paper states it (Wang et al., 2004, equation 13), square by square: slow, and nothing shared. */
function stated(
  a: readonly number[],
  b: readonly number[],
  { width, height }: Size,
  known: readonly number[],
) {
  const all: number[] = [];
  for (let top = 0; top + 8 <= height; top += 4)
    for (let left = 0; left + 8 <= width; left += 4) {
      const at = Array.from({ length: 64 }, (_, i) => (top + (i >> 3)) * width + left + (i & 7));
      if (at.some((i) => !known[i])) continue;
      const mean = (of: (i: number) => number) => at.reduce((sum, i) => sum + of(i), 0) / 64;
      const [ma, mb] = [mean((i) => a[i]!), mean((i) => b[i]!)];
      const va = mean((i) => (a[i]! - ma) ** 2);
      const vb = mean((i) => (b[i]! - mb) ** 2);
      const both = mean((i) => (a[i]! - ma) * (b[i]! - mb));
      const [c1, c2] = [(0.01 * 255) ** 2, (0.03 * 255) ** 2];
      all.push(((2 * ma * mb + c1) * (2 * both + c2)) / ((ma ** 2 + mb ** 2 + c1) * (va + vb + c2)));
    }
  return all.length ? all.reduce((sum, one) => sum + one, 0) / all.length : null;
}

const pictures = fc
  .record({ width: fc.integer({ min: 3, max: 30 }), height: fc.integer({ min: 3, max: 30 }) })
  .chain((size) => {
    const samples = { minLength: size.width * size.height, maxLength: size.width * size.height };
    const plane = fc.array(fc.integer({ min: 0, max: 255 }), samples);
    // Most of it is known.
    const known = fc.array(
      fc.integer({ min: 0, max: 40 }).map((n) => (n > 0 ? 1 : 0)),
      samples,
    );
    return fc.tuple(plane, plane, fc.constant(size), known);
  });

test('the index of two planes of any size is the stated one, over what is known of them', () => {
  fc.assert(
    fc.property(pictures, ([a, b, size, known]) => {
      const wanted = stated(a, b, size, known);
      const found = structuralSimilarity(a, b, size, Uint8Array.from(known));
      if (wanted === null) expect(found).toBeNull();
      else expect(found).toBeCloseTo(wanted, 9);
    }),
  );
});

test('a plane is wholly like itself, and nothing is more so', () => {
  fc.assert(
    fc.property(pictures, ([a, b, size]) => {
      if (size.width < 8 || size.height < 8) return;
      expect(structuralSimilarity(a, a, size)).toBeCloseTo(1, 9);
      expect(structuralSimilarity(a, b, size)).toBeLessThanOrEqual(1);
    }),
  );
});
