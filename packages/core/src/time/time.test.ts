import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { deliveredLength, deliveredRate, sourceFrameAt } from './delivered-rate.ts';
import {
  fps,
  frameToSeconds,
  framesWithin,
  nearestKnownRate,
  parseRate,
  rate,
  rateLabel,
  rateText,
  secondsToFrame,
  withinSeconds,
  type Rate,
} from './rate.ts';
import { durationLabel, frameToTimecode, mayDropFrames, parseTimecode } from './timecode.ts';

const ntsc = rate(30000, 1001);
const value = <T>(result: { ok: true; value: T } | { ok: false }): T => {
  if (!result.ok) throw new Error('refused');
  return result.value;
};

describe('limits (common practice)', () => {
  test('15 s at 60 a second: 899 frames are inside, 900 are exactly at the limit and inside, 901 are not', () => {
    expect([899, 900, 901].map((n) => withinSeconds(n, rate(60), 15))).toEqual([true, true, false]);
    expect(framesWithin(15, rate(60))).toBe(900);
    expect(frameToTimecode(899, rate(60))).toBe('00:00:14:59');
  });
  test('15 s at 29.97: 449 frames are inside, 450 last 15.015 s', () => {
    expect(framesWithin(15, ntsc)).toBe(449);
    expect(frameToSeconds(450, ntsc)).toBeCloseTo(15.015, 6);
  });
});

describe('delivered rates (common practice)', () => {
  const cap30 = { max: rate(30) };
  test.each([[24], [25], [30]])('%i stays under a cap of 30', (n) => {
    expect(deliveredRate(rate(n), cap30)).toMatchObject({
      rate: rate(n),
      step: { kind: 'every', n: 1 },
      words: 'as edited',
    });
  });
  test.each<[Rate, Rate, number]>([
    [rate(50), rate(25), 2],
    [rate(60), rate(30), 2],
    [rate(60000, 1001), ntsc, 2],
    [rate(120), rate(30), 4],
    [rate(48), rate(24), 2],
  ])('%j under a cap of 30 becomes %j: every n-th frame', (master, expected, n) => {
    expect(deliveredRate(master, cap30)).toMatchObject({
      rate: expected,
      step: { kind: 'every', n },
      unevenPerSecond: 0,
    });
  });
  test('25 where only 24 and 30 are taken: the nearer one, unevenly, and said', () => {
    const got = deliveredRate(rate(25), { allowed: [rate(24), rate(30)] });
    expect(got).toMatchObject({ rate: rate(24), step: { kind: 'nearest' }, unevenPerSecond: -1 });
    expect(got.words).toBe('1 frame a second dropped to reach 24');
  });
  test('24 under a cap of 20 is not halved to 12', () => {
    expect(deliveredRate(rate(24), { max: rate(20) })).toMatchObject({
      rate: rate(20),
      step: { kind: 'nearest' },
    });
  });
  test('every second frame: which one is shown, and how many there are', () => {
    const step = { kind: 'every', n: 2 } as const;
    expect(deliveredLength(15, rate(50), rate(25), step)).toBe(8);
    expect([0, 1, 7].map((k) => sourceFrameAt(k, 15, rate(50), rate(25), step))).toEqual([0, 2, 14]);
  });
  test('nearest frames never go back, never leave the run, and are at most half a frame off', () => {
    const anyRate = fc.constantFrom(
      rate(24),
      rate(25),
      rate(30),
      ntsc,
      rate(50),
      rate(60),
      rate(24000, 1001),
    );
    fc.assert(
      fc.property(anyRate, anyRate, fc.integer({ min: 1, max: 400 }), (master, delivered, length) => {
        const step = { kind: 'nearest' } as const;
        const count = deliveredLength(length, master, delivered, step);
        let last = -1;
        for (let k = 0; k < count; k++) {
          const n = sourceFrameAt(k, length, master, delivered, step);
          expect(n).toBeGreaterThanOrEqual(last < 0 ? 0 : last);
          expect(n).toBeLessThan(length);
          // Unless the run has ended, the frame started at most half a delivered frame after k, and the next one later.
          expect((n / fps(master)) * fps(delivered)).toBeLessThan(k + 0.5 + 1e-6);
          last = n;
        }
      }),
    );
  });
});

describe('timecode, SMPTE ST 12-1, drop-frame at 30000/1001 (from memory)', () => {
  test.each([
    [0, '00:00:00;00'],
    [1799, '00:00:59;29'],
    [1800, '00:01:00;02'],
    [17982, '00:10:00;00'],
    [107892, '01:00:00;00'],
  ])('frame %i is %s', (frame, text) => {
    expect(frameToTimecode(frame, ntsc)).toBe(text);
    expect(value(parseTimecode(text, ntsc))).toBe(frame);
  });
  test.each([
    [3599, '00:00:59;59'],
    [3600, '00:01:00;04'],
    [35964, '00:10:00;00'],
  ])('SMPTE ST 12-1, drop-frame at 60000/1001: frame %i is %s', (frame, text) => {
    expect(frameToTimecode(frame, rate(60000, 1001))).toBe(text);
    expect(value(parseTimecode(text, rate(60000, 1001)))).toBe(frame);
  });
  test('00:01:00;00 does not exist', () => {
    const refused = parseTimecode('00:01:00;00', ntsc);
    expect(refused.ok).toBe(false);
    expect(!refused.ok && refused.problem.sentence).toMatch(/leaves that number out/);
  });
  test('every frame survives a round trip, at every rate, counted with and without drop', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 400_000 }),
        fc.constantFrom(rate(24), rate(25), ntsc, rate(50), rate(60000, 1001), rate(24000, 1001)),
        fc.boolean(),
        (frame, r, drop) => {
          expect(value(parseTimecode(frameToTimecode(frame, r, drop), r))).toBe(frame);
        },
      ),
    );
  });
  test('only the 30000/1001 family drops', () => {
    expect([ntsc, rate(60000, 1001), rate(24000, 1001), rate(30)].map(mayDropFrames)).toEqual([
      true,
      true,
      false,
      false,
    ]);
  });
  test.each(['', 'soon', '00:00:00', '00:61:00:00', '00:00:00:25', '00:00:00;03', '-1s'])(
    '“%s” is refused at 25',
    (text) => {
      expect(parseTimecode(text, rate(25)).ok).toBe(false);
    },
  );
  test('seconds are read too', () => {
    expect(value(parseTimecode('5.4s', rate(25)))).toBe(135);
    expect(value(parseTimecode('0.3 s', rate(10)))).toBe(3);
  });
});

describe('rates', () => {
  test.each([
    ['25', '25'],
    ['30000/1001', '30000/1001'],
    ['29.97', '30000/1001'],
    ['23.976', '24000/1001'],
    ['50/2', '25'],
    ['12.5', '25/2'],
  ])('%s is read as %s', (text, written) => {
    expect(rateText(value(parseRate(text)))).toBe(written);
  });
  test.each(['0', '-25', 'fast', '25/0', ''])('“%s” is refused', (text) =>
    expect(parseRate(text).ok).toBe(false),
  );
  test('labels', () =>
    expect([rate(25), ntsc, rate(24000, 1001), rate(25, 2)].map(rateLabel)).toEqual([
      '25',
      '29.97',
      '23.976',
      '12.5',
    ]));
  test('measured decimals find their fraction', () => {
    expect(nearestKnownRate(29.9702)).toEqual(ntsc);
    expect(nearestKnownRate(17.123)).toEqual({ num: 17123, den: 1000 });
  });
  test('a frame’s own start belongs to it, in spite of decimals', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 200_000 }), fc.constantFrom(ntsc, rate(25), rate(60)), (n, r) =>
        expect(secondsToFrame(Number(frameToSeconds(n, r).toFixed(9)), r)).toBe(n),
      ),
    );
  });
});

test('lengths are said as people say them', () => {
  expect([42.4, 59.96, 60, 72, 3840].map(durationLabel)).toEqual([
    '42.4 s',
    '60 s',
    '1 min',
    '1 min 12 s',
    '1 h 04 min',
  ]);
});
