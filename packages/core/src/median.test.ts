import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { median } from './median.ts';

test('the middle of some numbers stands in the middle when they are sorted, whatever kind of list they lie in', () => {
  const numbers = fc.array(
    fc.double({ noNaN: true }).map((n) => n + 0),
    { minLength: 1, maxLength: 60 },
  );
  fc.assert(
    fc.property(numbers, (some) => {
      const before = [...some];
      const sorted = Float64Array.from(some).sort();
      expect(median(some)).toBe(sorted[some.length >> 1]);
      expect(median(Float64Array.from(some))).toBe(sorted[some.length >> 1]);
      expect(some).toEqual(before);
    }),
  );
});

test('of an even count it is the upper one of two, and of nothing there is none', () => {
  expect(median([4, 1, 3, 2])).toBe(3);
  expect(median([7])).toBe(7);
  expect(median([])).toBeUndefined();
});
