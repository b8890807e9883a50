import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { bearsAnother, type MachineNow } from './bears.ts';

const idle: MachineNow = { running: 1, cores: 16, idleCores: 10, secondsSince: 20, freeBytes: 8e9 };

test('a first export is begun on any machine', () => {
  fc.assert(
    fc.property(
      fc.record({
        running: fc.constant(0),
        cores: fc.integer({ min: 1, max: 128 }),
        idleCores: fc.double({ min: 0, max: 128, noNaN: true }),
        secondsSince: fc.nat({ max: 100 }),
        freeBytes: fc.nat(),
      }),
      (now) => expect(bearsAnother(now)).toBe(true),
    ),
  );
});

test('another one where cores, time and memory are left', () => {
  expect(bearsAnother(idle)).toBe(true);
  expect(bearsAnother({ ...idle, idleCores: 1.4 })).toBe(false);
  expect(bearsAnother({ ...idle, secondsSince: 7 })).toBe(false);
  expect(bearsAnother({ ...idle, freeBytes: 1e9 })).toBe(false);
});

test('never a second one on two or three cores, and never more than half as many as there are cores', () => {
  for (const cores of [1, 2, 3]) expect(bearsAnother({ ...idle, cores })).toBe(false);
  expect(bearsAnother({ ...idle, running: 7 })).toBe(true);
  expect(bearsAnother({ ...idle, running: 8 })).toBe(false);
});
