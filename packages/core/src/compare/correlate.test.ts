import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { correlate } from './correlate.ts';

/** By its definition, one product at a time. */
function summed(piece: Float32Array, around: Float32Array): number[] {
  const places = Math.max(0, around.length - piece.length + 1);
  return Array.from({ length: piece.length ? places : 0 }, (_, at) =>
    piece.reduce((sum, value, i) => sum + value * around[at + i]!, 0),
  );
}

const signal = (most: number) =>
  fc.array(fc.float({ min: -1, max: 1, noNaN: true }), { maxLength: most }).map((s) => Float32Array.from(s));

test('it is the sum of the products at every place', () => {
  fc.assert(
    fc.property(signal(60), signal(200), (piece, around) => {
      const [found, wanted] = [correlate(piece, around), summed(piece, around)];
      expect(found.length).toBe(wanted.length);
      wanted.forEach((sum, i) => expect(Math.abs(found[i]! - sum)).toBeLessThan(1e-6));
    }),
  );
});

test('a piece of seconds of sound is found where it was taken from', () => {
  let seed = 7;
  const around = Float32Array.from({ length: 20_000 }, () => {
    seed = (seed * 1103515245 + 12345) % 2 ** 31;
    return seed / 2 ** 30 - 1;
  });
  const sums = correlate(around.slice(4321, 4321 + 12_000), around);
  expect(sums.indexOf(Math.max(...sums))).toBe(4321);
});
