import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Size } from '../picture/geometry.ts';
import { packSheet, rowsAt, sizeAt, type SheetRoom } from './pack.ts';

const shapes: readonly Size[] = [
  { width: 1080, height: 1920 },
  { width: 1080, height: 1350 },
  { width: 1080, height: 1080 },
  { width: 1920, height: 1080 },
  { width: 1000, height: 1500 },
  { width: 1280, height: 320 },
];
const frames = (most: number) => fc.array(fc.constantFrom(...shapes), { minLength: 1, maxLength: most });
const rooms = fc.record({
  width: fc.integer({ min: 300, max: 2200 }),
  height: fc.integer({ min: 200, max: 1300 }),
  gap: fc.constantFrom(0, 12, 22),
  wordsHeight: fc.constantFrom(0, 40, 62),
  leastWidth: fc.constantFrom(0, 124),
  largest: fc.constant(0.5),
  smallest: fc.constant(0.02),
});

/** Every way of breaking cells into rows, each tried: the least height that fits the room's width. */
function leastHeight(sizes: readonly Size[], room: SheetRoom): number {
  const n = sizes.length;
  let best = Infinity;
  for (let breaks = 0; breaks < 1 << (n - 1); breaks++) {
    let [height, from] = [-room.gap, 0];
    for (let to = 1; to <= n; to++) {
      if (to < n && !(breaks & (1 << (to - 1)))) continue;
      const row = sizes.slice(from, to);
      const width =
        row.reduce((sum, s) => sum + Math.max(s.width, room.leastWidth), 0) + room.gap * (row.length - 1);
      if (width > room.width && row.length > 1) height = Infinity;
      height += room.gap + Math.max(...row.map((s) => s.height)) + room.wordsHeight;
      from = to;
    }
    best = Math.min(best, height);
  }
  return best;
}

/** The largest scale, of many tried, at which some way of breaking the cells fits. */
function bestByTrying(all: readonly Size[], room: SheetRoom): number | null {
  for (let scale = room.largest; scale >= room.smallest; scale *= 0.99) {
    const sizes = all.map((f) => sizeAt(f, scale));
    if (sizes.every((s) => s.width <= room.width) && leastHeight(sizes, room) <= room.height) return scale;
  }
  return null;
}

describe('a sheet of versions', () => {
  test('what fits stands inside the room, in order, each once, none over another', () => {
    fc.assert(
      fc.property(frames(24), rooms, (all, room) => {
        const sheet = packSheet(all, room);
        expect(sheet.rows.map((r) => r.from)).toEqual([0, ...sheet.rows.slice(0, -1).map((r) => r.to)]);
        expect(sheet.rows.at(-1)!.to).toBe(all.length);
        let bottom = 0;
        for (const { from, to, height } of sheet.rows) {
          const row = all.slice(from, to).map((f) => sizeAt(f, sheet.scale));
          const cells = row.map((s) => Math.max(s.width, room.leastWidth));
          const width = cells.reduce((sum, w) => sum + w, 0) + room.gap * (row.length - 1);
          if (row.length > 1) expect(width).toBeLessThanOrEqual(room.width);
          for (const s of row) expect(s.height + room.wordsHeight).toBeLessThanOrEqual(height);
          bottom += height;
        }
        expect(bottom + room.gap * (sheet.rows.length - 1)).toBe(sheet.height);
        if (sheet.fits) expect(sheet.height).toBeLessThanOrEqual(room.height);
      }),
    );
  });

  test('up to ten, the scale is within 2 % of the best that trying every way of breaking them finds', () => {
    fc.assert(
      fc.property(frames(10), rooms, (all, room) => {
        const best = bestByTrying(all, room);
        const sheet = packSheet(all, room);
        if (best === null) return expect(sheet.fits && sheet.scale > room.smallest * 1.02).toBe(false);
        expect(sheet.fits).toBe(true);
        expect(sheet.scale).toBeGreaterThanOrEqual(best * 0.98);
      }),
      { numRuns: 60 },
    );
  });

  test('rows are as low as any way of breaking them makes them', () => {
    fc.assert(
      fc.property(frames(9), rooms, (all, room) => {
        const sizes = all.map((f) => sizeAt(f, 0.1));
        fc.pre(sizes.every((s) => s.width <= room.width));
        const rows = rowsAt(all, 0.1, room);
        const height = rows.reduce((sum, r) => sum + r.height, 0) + room.gap * (rows.length - 1);
        expect(height).toBe(leastHeight(sizes, room));
      }),
    );
  });

  test('a room of any size is used; one that is too small scrolls at the smallest scale', () => {
    const room = { gap: 22, wordsHeight: 62, leastWidth: 124, largest: 0.5, smallest: 78 / 1080 };
    const eight = [0, 1, 2, 3, 0, 1, 2, 4].map((i) => shapes[i]!);
    const small = packSheet(eight, { ...room, width: 926, height: 590 });
    const large = packSheet(eight, { ...room, width: 2200, height: 1230 });
    expect(small.fits).toBe(true);
    expect(large.scale).toBeGreaterThan(small.scale * 1.6);
    const sixty = Array.from({ length: 60 }, (_, i) => shapes[i % shapes.length]!);
    expect(packSheet(sixty, { ...room, width: 926, height: 590 })).toMatchObject({
      fits: false,
      scale: room.smallest,
    });
    expect(packSheet([], { ...room, width: 926, height: 590 }).rows).toEqual([]);
  });
});
