import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { layoutAt, type Fill, type Framing, type Layout, type Move, type Pose, type Size } from '@mivvy/core';
import { guardedKernel } from '../testing/guarded-kernel.ts';
import { loadKernel, pictureBytes, Resampler, ResamplerRefusal, type Chroma } from './resampler.ts';

// Every read and write of the resampler stays inside its memory, whatever the film, the frame and the move.

const even = (most: number) => fc.integer({ min: 4, max: most / 2 }).map((n) => n * 2);
/** Odd and even sizes; up to 8K wide or high, and small enough the other way to be drawn often. */
const masterSizes: fc.Arbitrary<Size> = fc.oneof(
  fc.record({ width: fc.integer({ min: 8, max: 400 }), height: fc.integer({ min: 8, max: 400 }) }),
  fc.record({ width: fc.integer({ min: 1000, max: 8192 }), height: fc.integer({ min: 8, max: 60 }) }),
  fc.record({ width: fc.integer({ min: 8, max: 60 }), height: fc.integer({ min: 1000, max: 8192 }) }),
);
const frameSizes: fc.Arbitrary<Size> = fc.record({ width: even(260), height: even(260) });
/** Edges and corners more often than by chance, and places that rounding puts beyond them. */
const coordinate = fc.oneof(
  fc.constantFrom(0, 1, 0.5, 1e-12, 1 - 1e-12),
  fc.double({ min: 0, max: 1, noNaN: true }),
);
const poses: fc.Arbitrary<Pose> = fc.record({
  x: coordinate,
  y: coordinate,
  zoom: fc.oneof(fc.constant(1), fc.double({ min: 1, max: 8, noNaN: true })),
});
/** Frames of a move: more tables than are kept. */
const length = 40;
const moves: fc.Arbitrary<Move> = fc.oneof(
  poses.map((pose): Move => ({ kind: 'hold', pose })),
  fc.tuple(poses, poses, fc.boolean()).map(([a, b, soft]): Move => ({
    kind: 'glide',
    a,
    b,
    start: 0,
    end: length,
    ease: soft ? 'soft' : 'even',
  })),
  fc.tuple(poses, poses, poses).map(([a, b, c]): Move => ({
    kind: 'path',
    keys: [
      { at: 0, pose: a },
      { at: 7, pose: b },
      { at: length, pose: c },
    ],
  })),
  fc
    .record({
      x: fc.array(coordinate, { minLength: 4, maxLength: 8 }),
      y: fc.array(coordinate, { minLength: 4, maxLength: 8 }),
      zoom: fc.double({ min: 1, max: 3, noNaN: true }),
    })
    .map(({ x, y, zoom }): Move => ({
      kind: 'follow',
      start: 0,
      step: 4,
      zoom,
      x,
      y,
      points: [],
      spans: [],
    })),
);
const fills: fc.Arbitrary<Fill> = fc.oneof(
  fc.constant<Fill>({ kind: 'filled' }),
  fc.constant<Fill>({ kind: 'soft' }),
  fc.constant<Fill>({ kind: 'bars', colour: '#204060' }),
  fc
    .tuple(fc.double({ min: 0.2, max: 0.8, noNaN: true }), moves)
    .map(([divide, lower]): Fill => ({ kind: 'stacked', divide, lower })),
);

function noise(size: Size, chroma: Chroma): Uint8Array {
  const picture = new Uint8Array(pictureBytes(size, chroma));
  let state = 12345;
  for (let i = 0; i < picture.length; i++) {
    state = (state * 1103515245 + 12345) & 0x7fffffff;
    picture[i] = state >> 16;
  }
  return picture;
}

const drawAll = async (master: Size, chroma: Chroma, frame: Size, layouts: Layout[], value: number) => {
  const { kernel, broken } = await guardedKernel(value);
  const resampler = await Resampler.open(master, chroma, frame, kernel);
  const picture = noise(master, chroma);
  const drawn = layouts.map((layout) => resampler.draw(picture, layout).slice());
  return { drawn, broken: broken() };
};

describe('the resampler’s memory', () => {
  test('is never left, and no picture depends on what lies beside it or was there before', async () => {
    await fc.assert(
      fc.asyncProperty(masterSizes, frameSizes, moves, fills, async (master, frame, move, fill) => {
        const chroma = master.width % 2 || master.height % 2 ? '444' : '420';
        const framing: Framing = { version: 1, stretches: [{ from: 0, move, fill }] };
        const layouts = Array.from({ length }, (_, k) => layoutAt(framing, k, master, frame));
        const one = await drawAll(master, chroma, frame, layouts, 0);
        // Backwards, other tables have been kept or thrown away when a picture is drawn.
        const other = await drawAll(master, chroma, frame, layouts.toReversed(), 0xa5);
        expect([one.broken, other.broken]).toEqual([0, 0]);
        other.drawn.reverse();
        expect(one.drawn.findIndex((picture, k) => Buffer.compare(picture, other.drawn[k]!) !== 0)).toBe(-1);
      }),
      { numRuns: 60 },
    );
  });

  test.each<[string, Size, Size]>([
    ['16:9', { width: 1080, height: 1920 }, { width: 640, height: 360 }],
    ['square', { width: 1080, height: 1920 }, { width: 360, height: 360 }],
    ['header of a wide film', { width: 2560, height: 1440 }, { width: 720, height: 240 }],
  ])(
    'a full-width window that glides down is drawn alike forwards and backwards: %s',
    async (_name, master, frame) => {
      const a = { x: 0.5, y: 0.25, zoom: 1 };
      const move: Move = { kind: 'glide', a, b: { ...a, y: 0.7 }, start: 0, end: 99, ease: 'even' };
      const framing: Framing = { version: 1, stretches: [{ from: 0, move }] };
      const layouts = Array.from({ length: 100 }, (_, k) => layoutAt(framing, k, master, frame));
      const { drawn } = await drawAll(master, '420', frame, layouts, 0xa5);
      const backwards = (await drawAll(master, '420', frame, layouts.toReversed(), 0)).drawn.reverse();
      expect(drawn.findIndex((picture, k) => Buffer.compare(picture, backwards[k]!) !== 0)).toBe(-1);
    },
  );

  test('a window outside the picture, or a panel outside the frame, is refused by name and nothing is drawn', async () => {
    const [master, frame] = [
      { width: 64, height: 48 },
      { width: 32, height: 24 },
    ];
    const { kernel, broken } = await guardedKernel(7);
    const resampler = await Resampler.open(master, '420', frame, kernel);
    const layout = (into: { x: number; y: number; width: number; height: number }): Layout => ({
      panels: [{ source: { x: 0, y: 0, width: 64, height: 48 }, into }],
      ground: null,
    });
    const outside = layout({ x: 0, y: 8, width: 32, height: 48 });
    expect(() => resampler.draw(noise(master, '420'), outside)).toThrow(ResamplerRefusal);
    expect(() => resampler.draw(noise({ width: 64, height: 96 }, '420'), outside)).toThrow(ResamplerRefusal);
    expect(broken()).toBe(0);
  });

  test('the loops themselves refuse tables that lead outside their blocks', async () => {
    const kernel = await loadKernel();
    const ints = (values: number[]) => {
      const at = kernel.reserve(values.length * 4);
      new Int32Array(kernel.memory.buffer, at, values.length).set(values);
      return at;
    };
    const [src, out, weights] = [kernel.reserve(64), kernel.reserve(64), kernel.reserve(256)];
    const across = (starts: number[], rows: number) =>
      kernel.across(src, 64, 16, 0, rows, ints(starts), weights, 8, starts.length, out, 64, 8);
    expect(across([0, 8], 4)).toBe(0);
    expect(across([0, 80], 4)).toBe(1);
    expect(across([-1, 8], 4)).toBe(1);
    expect(across([0, 8], 9)).toBe(1);
    const down = (starts: number[], top: number) =>
      kernel.down(src, 64, 8, top, ints(starts), weights, 2, starts.length, 8, out, 64, 8);
    expect(down([0, 2], 0)).toBe(0);
    expect(down([0, 3], 0)).toBe(1);
    expect(down([0, 2], 1)).toBe(1);
    expect(kernel.flood(out, 64, 8, 8, 9, 1)).toBe(1);
  });
});
