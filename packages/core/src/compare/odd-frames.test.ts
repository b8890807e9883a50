import { describe, expect, test } from '@jest/globals';
import { dice } from '../testing/pictures.ts';
import { oddFrames } from './odd-frames.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { sin, cos, floor } = Math;

const size = { width: 28, height: 50 };
const cells = size.width * size.height;

/** Two shots: something bright goes over a textured ground, and then over another one. */
const plan = Array.from({ length: 120 }, (_, k) =>
  Float32Array.from({ length: cells }, (__, i) => {
    const [x, y] = [i % size.width, floor(i / size.width)];
    const ground = (k < 70 ? 80 : 150) + 30 * sin(x * (k < 70 ? 0.9 : 0.4)) * cos(y * 0.7);
    const thing = (x - ((k * 0.6) % 28)) ** 2 + (y - 25) ** 2 < 16 ? 70 : 0;
    return ground + thing;
  }),
);
const shows = Int32Array.from(plan, (_, k) => k);
const blind = new Uint8Array(plan.length);

/** The plan as it comes out of an encoder, with what else there is in some frames. */
const coded = (over: (v: number, k: number, x: number, y: number) => number = (v) => v) => {
  const roll = dice(5);
  return plan.map((picture, k) =>
    Float32Array.from(
      picture,
      (v, i) => over(v, k, i % size.width, floor(i / size.width)) + 8 * (roll() - 0.5),
    ),
  );
};
const odd = (file: Float32Array[], hidden = blind) => oddFrames(file, plan, shows, hidden, size);

describe('frames that show what no frame of the plan around them does', () => {
  test('none of a film that is as planned, however its shots lie beside the plan', () => {
    expect(odd(coded())).toEqual([]);
    expect(odd(coded((v, k) => (k < 70 ? v + 12 : v * 0.9)))).toEqual([]);
    // A mark that is there all through is told by the frames that are looked at closely.
    expect(odd(coded((v, _k, x, y) => (x > 22 && y > 44 ? 235 : v)))).toEqual([]);
  });

  test('none of a frame that is shown a little sooner, or between two', () => {
    const sooner = coded().map((picture, k, all) => (k === 30 ? all[31]! : picture));
    expect(odd(sooner)).toEqual([]);
    const between = coded().map((picture, k, all) =>
      k === 30 ? picture.map((v, i) => (v + all[31]![i]!) / 2) : picture,
    );
    expect(odd(between)).toEqual([]);
  });

  test('a flash of one frame, and one of another picture for half a second', () => {
    expect(odd(coded((v, k) => (k === 44 ? 235 : v)))).toEqual([{ from: 44, to: 45 }]);
    const slate = coded((v, k, x) => (k >= 90 && k < 102 ? 120 + 60 * sin(x) : v));
    expect(odd(slate)).toEqual([{ from: 90, to: 102 }]);
  });

  test('a few broken parts of one frame; not where nothing is asked', () => {
    const broken = coded((v, k, x, y) => (k === 20 && x < 4 && y < 3 ? 20 : v));
    expect(odd(broken)).toEqual([{ from: 20, to: 21 }]);
    const hidden = blind.slice();
    hidden[20] = 1;
    expect(odd(broken, hidden)).toEqual([]);
  });
});
