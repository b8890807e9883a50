import fc from 'fast-check';
import { describe, expect, test } from '@jest/globals';
import { heldFraming } from '../framing/framing.ts';
import { makePlan } from '../render/plan.ts';
import { facts, story } from '../testing/samples.ts';
import type { Placement } from '../specs/schema.ts';
import { forecast, type MadeFile } from './forecast.ts';

const planOf = (over: Partial<Placement> = {}, frames = 250) =>
  makePlan({
    facts: facts({ frames }),
    sha256: 'a'.repeat(64),
    placement: story(over),
    framing: heldFraming(),
  }).plan;
const made = (plan: MadeFile['plan'], bytes: number, tookSeconds: number): MadeFile => ({
  plan,
  bytes,
  tookSeconds,
});
const quality = (crf: number, maxKbps?: number): Partial<Placement> => ({
  audio: null,
  video: { codec: 'h264', rate: { mode: 'quality', crf, ...(maxKbps ? { maxKbps } : {}) } },
});

describe('what a file will become', () => {
  test('before anything was made, two passes are expected at their target: 10 s at 3500 + 128 kbit/s are 4.535 MB (arithmetic)', () => {
    const told = forecast([], planOf());
    expect(told.bytes?.expected).toBe(4_535_000);
    expect(told.seconds).toBeNull();
    expect(told.bytes!.least).toBeLessThan(told.bytes!.expected);
  });
  test('before anything was made, nothing is said of a quality', () =>
    expect(forecast([], planOf(quality(20))).bytes).toBeNull());
  test('a film twice as long takes twice as long', () => {
    const told = forecast([made(planOf(), 4_500_000, 30)], planOf({ duration: undefined }, 500));
    expect(told.seconds).toBeCloseTo(60, 6);
  });
  test('six steps of quality are half the bits', () => {
    const told = forecast([made(planOf(quality(20)), 8_000_000, 30)], planOf(quality(26)));
    expect(told.bytes?.expected).toBe(4_000_000);
    expect(told.bitsPerPixel).toBeCloseTo((4_000_000 * 8) / (1080 * 1920 * 250), 9);
  });
  test('a ceiling bounds what a quality comes to: 10 s under 1 Mbit/s are 1.25 MB (arithmetic)', () =>
    expect(
      forecast([made(planOf(quality(20)), 8_000_000, 30)], planOf(quality(20, 1000))).bytes?.expected,
    ).toBe(1_250_000));
  test('another codec tells nothing', () => {
    const hevc = planOf({ video: { ...story().video, codec: 'hevc' } });
    expect(forecast([made(hevc, 4_000_000, 90)], planOf()).seconds).toBeNull();
  });
  test('what was learnt from files that came out as asked lies about what is asked, between its bounds', () =>
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0.8, max: 1.1, noNaN: true }), { minLength: 1, maxLength: 30 }),
        (ratios) => {
          const plan = planOf();
          const told = forecast(
            ratios.map((r) => made(plan, 4_535_000 * r, 30)),
            plan,
          ).bytes!;
          expect(told.least).toBeLessThanOrEqual(told.expected);
          expect(told.most).toBeGreaterThanOrEqual(told.expected);
          expect(told.expected).toBeGreaterThan(4_535_000 * 0.79);
          expect(told.expected).toBeLessThan(4_535_000 * 1.11);
        },
      ),
    ));
});
