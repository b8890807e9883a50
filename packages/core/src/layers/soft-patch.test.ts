import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { fillFromRing, ringSources, softPatch, type SoftPatch } from './soft-patch.ts';

const even = (n: number) => n % 2 === 0;
const frames = fc.record({
  width: fc.integer({ min: 60, max: 2000 }).map((n) => 2 * n),
  height: fc.integer({ min: 60, max: 2000 }).map((n) => 2 * n),
});
const patched = frames.chain((frame) =>
  fc
    .record({
      x: fc.integer({ min: 0, max: frame.width - 1 }),
      y: fc.integer({ min: 0, max: frame.height - 1 }),
      width: fc.integer({ min: 1, max: frame.width }),
      height: fc.integer({ min: 1, max: frame.height }),
    })
    .map((box) => ({ frame, box, patch: softPatch(box, frame) })),
);
const isHidden = ({ ring, columns, rows }: SoftPatch, x: number, y: number) =>
  x >= ring.left && x < columns - ring.right && y >= ring.top && y < rows - ring.bottom;

describe('where a soft patch lies', () => {
  test('it hides all of its box that the frame has, on even pixels, and its region lies in the frame', () => {
    fc.assert(
      fc.property(patched, ({ frame, box, patch: { hidden, region } }) => {
        expect(hidden.x).toBeLessThanOrEqual(box.x);
        expect(hidden.y).toBeLessThanOrEqual(box.y);
        expect(hidden.x + hidden.width).toBeGreaterThanOrEqual(Math.min(frame.width, box.x + box.width));
        expect(hidden.y + hidden.height).toBeGreaterThanOrEqual(Math.min(frame.height, box.y + box.height));
        for (const part of [hidden, region]) {
          expect(Object.values(part).every(even)).toBe(true);
          expect(Math.min(part.x, part.y)).toBeGreaterThanOrEqual(0);
          expect(part.x + part.width).toBeLessThanOrEqual(frame.width);
          expect(part.y + part.height).toBeLessThanOrEqual(frame.height);
        }
      }),
    );
  });

  test('no cell of its ring shows anything of what is hidden', () => {
    fc.assert(
      fc.property(patched, ({ patch: { hidden, region, columns, rows, ring } }) => {
        const [width, height] = [region.width / columns, region.height / rows];
        if (ring.left) expect(region.x + width).toBeLessThanOrEqual(hidden.x + 1e-9);
        if (ring.top) expect(region.y + height).toBeLessThanOrEqual(hidden.y + 1e-9);
        if (ring.right)
          expect(region.x + region.width - width).toBeGreaterThanOrEqual(hidden.x + hidden.width - 1e-9);
        if (ring.bottom)
          expect(region.y + region.height - height).toBeGreaterThanOrEqual(hidden.y + hidden.height - 1e-9);
      }),
    );
  });

  test('a box at the frame’s edge hides what is left beside it, and takes nothing from there', () => {
    const patch = softPatch({ x: 5, y: 300, width: 200, height: 80 }, { width: 600, height: 600 });
    expect(patch.hidden).toMatchObject({ x: 0, width: 206 });
    expect(ringSources(patch).map(({ side }) => side)).toEqual(['top', 'right', 'bottom']);
  });
});

describe('what a soft patch shows', () => {
  const cellsOf = (patch: SoftPatch, value: (x: number, y: number) => number) =>
    Uint8ClampedArray.from(
      Array.from({ length: patch.columns * patch.rows }, (_, i) => {
        const v = value(i % patch.columns, Math.floor(i / patch.columns));
        return [v, 255 - v, v / 2, 255];
      }).flat(),
    );

  test('nothing of what was there, and nothing that its ring has not', () => {
    fc.assert(
      fc.property(patched, fc.integer({ min: 0, max: 200 }), ({ patch }, ground) => {
        fc.pre(ringSources(patch).length > 0 && patch.columns * patch.rows < 3000);
        const filled = (title: number) => {
          const cells = cellsOf(patch, (x, y) =>
            isHidden(patch, x, y) ? title : ground + ((x * 7 + y * 3) % 50),
          );
          fillFromRing(cells, patch);
          return cells;
        };
        const cells = filled(255);
        expect(Buffer.from(cells).equals(Buffer.from(filled(0)))).toBe(true);
        const reds = cells.filter((_, i) => i % 4 === 0);
        expect(reds.every((red) => red >= ground && red <= ground + 50)).toBe(true);
      }),
    );
  });

  test('a slope goes on through it', () => {
    const patch = softPatch({ x: 200, y: 200, width: 200, height: 200 }, { width: 600, height: 600 });
    const slope = (x: number) => x * 9;
    const cells = cellsOf(patch, (x, y) => (isHidden(patch, x, y) ? 0 : slope(x)));
    fillFromRing(cells, patch);
    const middle = Math.floor(patch.rows / 2);
    for (let x = 1; x < patch.columns - 1; x++)
      expect(Math.abs(cells[(middle * patch.columns + x) * 4]! - slope(x))).toBeLessThanOrEqual(12);
  });

  test('one that hides the whole frame is a soft copy of it', () => {
    const patch = softPatch({ x: 0, y: 0, width: 600, height: 600 }, { width: 600, height: 600 });
    const cells = cellsOf(patch, (x, y) => (x * 5 + y) % 256);
    const before = Uint8ClampedArray.from(cells);
    fillFromRing(cells, patch);
    expect(cells).toEqual(before);
  });
});
