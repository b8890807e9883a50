import { describe, expect, test } from '@jest/globals';
import { dice } from '../testing/pictures.ts';
import { gradeOf, type TonePair, type Tones } from './grade.ts';

/** Pictures of many tones and colours, in 64 cells; strength 0 is grey. */
function pictures(strength: number, spread = 60): Tones[] {
  const roll = dice(4);
  const plane = (middle: number, by: number) =>
    Float32Array.from({ length: 64 }, () => middle + by * (roll() - 0.5));
  return Array.from(
    { length: 6 },
    () => [plane(120, spread), plane(122, strength), plane(133, strength)] as const,
  );
}

/** The same as a file shows it: each level made into another one, with a little noise of coding. */
const shown = (
  plans: readonly Tones[],
  luma: (y: number) => number,
  colour: (b: number, r: number) => [number, number],
) => {
  const roll = dice(8);
  return plans.map((plan): TonePair => {
    const noise = () => 2 * (roll() - 0.5);
    const both = [...plan[1]].map((b, i) => colour(b - 128, plan[2][i]! - 128));
    return {
      plan,
      file: [
        plan[0].map((y) => luma(y) + noise()),
        Float32Array.from(both, ([b]) => b + 128 + noise()),
        Float32Array.from(both, ([, r]) => r + 128 + noise()),
      ],
    };
  });
};
const same = (b: number, r: number): [number, number] => [b, r];
const turned =
  (degrees: number) =>
  (b: number, r: number): [number, number] => {
    const a = (degrees * Math.PI) / 180;
    return [b * Math.cos(a) - r * Math.sin(a), b * Math.sin(a) + r * Math.cos(a)];
  };

describe('how a file is graded beside its plan', () => {
  const plan = pictures(70);

  test('as planned', () => {
    const { contrast, tint } = gradeOf(shown(plan, (y) => y, same));
    expect(Math.abs(contrast!)).toBeLessThan(0.01);
    expect(tint).toBeLessThan(0.01);
  });

  test('contrast is the slope, however light the whole is', () => {
    expect(gradeOf(shown(plan, (y) => 20 + y * 0.86, same)).contrast).toBeCloseTo(-0.14, 2);
    expect(gradeOf(shown(plan, (y) => (y - 16) * 1.164, same)).contrast).toBeCloseTo(0.164, 2);
  });

  test('fainter colours, and colours of another hue', () => {
    expect(
      gradeOf(
        shown(
          plan,
          (y) => y,
          (b, r) => [b * 0.8, r * 0.8],
        ),
      ).tint,
    ).toBeCloseTo(0.2, 2);
    // A turn by an angle moves a colour by twice the sine of half of it.
    expect(gradeOf(shown(plan, (y) => y, turned(12))).tint).toBeCloseTo(2 * Math.sin(Math.PI / 30), 2);
  });

  test('colour that was coded for BT.601 and is read as BT.709', () => {
    // What a colour becomes so: Rec. ITU-R BT.601's weights 0.299, 0.114, and BT.709's 0.2126, 0.0722.
    const [kr6, kb6, kr7, kb7] = [0.299, 0.114, 0.2126, 0.0722];
    const asRead = (b: number, r: number): [number, number] => {
      // With the same luma: from differences to R and B by BT.709, and back by BT.601.
      const [red, blue] = [2 * (1 - kr7) * r, 2 * (1 - kb7) * b];
      const green = -(kr7 * red + kb7 * blue) / (1 - kr7 - kb7);
      const luma = kr6 * red + kb6 * blue + (1 - kr6 - kb6) * green;
      return [(blue - luma) / (2 * (1 - kb6)), (red - luma) / (2 * (1 - kr6))];
    };
    const { tint } = gradeOf(shown(plan, (y) => y, asRead));
    expect(tint).toBeGreaterThan(0.08);
    expect(tint).toBeLessThan(0.2);
  });

  test('a grey film tells nothing of colours, a flat one nothing of contrast', () => {
    expect(gradeOf(shown(pictures(6), (y) => y, same)).tint).toBeNull();
    expect(gradeOf(shown(pictures(70, 8), (y) => y, same)).contrast).toBeNull();
    expect(gradeOf([])).toEqual({ contrast: null, tint: null });
  });
});
