import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { MasterRect, Size } from '../picture/geometry.ts';
import { areaSums } from './area-sums.ts';
import { drawPart, gridOf, type Grid } from './grid.ts';

/** The mean of what each cell covers, by adding up fractions of samples one by one. */
function drawnSlowly({ width, height, data }: Grid, part: MasterRect, cells: Size): number[] {
  const overlap = (a: number, b: number, sample: number) =>
    Math.max(0, Math.min(b, sample + 1) - Math.max(a, sample));
  const inside = (n: number, most: number) => Math.max(0, Math.min(most - 1, n));
  const [stepX, stepY] = [part.width / cells.width, part.height / cells.height];
  const [wideX, wideY] = [Math.max(1, stepX), Math.max(1, stepY)];
  return Array.from({ length: cells.width * cells.height }, (_, i) => {
    const left = part.x + ((i % cells.width) + 0.5) * stepX - wideX / 2;
    const top = part.y + (Math.floor(i / cells.width) + 0.5) * stepY - wideY / 2;
    let sum = 0;
    for (let y = Math.floor(top); y < top + wideY; y++)
      for (let x = Math.floor(left); x < left + wideX; x++)
        sum +=
          data[inside(y, height) * width + inside(x, width)]! *
          overlap(left, left + wideX, x) *
          overlap(top, top + wideY, y);
    return sum / (wideX * wideY);
  });
}

const small = fc.integer({ min: 1, max: 24 });
const picture = fc
  .tuple(small, small)
  .chain(([width, height]) =>
    fc
      .uint8Array({ minLength: width * height, maxLength: width * height })
      .map((bytes) => ({ width, height, bytes })),
  );
const length = fc.double({ min: 0.5, max: 40, noNaN: true });
const place = fc.double({ min: -12, max: 30, noNaN: true });
const part = fc.record({ x: place, y: place, width: length, height: length });
const cells = fc.record({
  width: fc.integer({ min: 1, max: 18 }),
  height: fc.integer({ min: 1, max: 18 }),
});

/** Single precision of sums of up to 255. */
const apart = 2e-3;

test.each([
  ['once', gridOf],
  ['often', areaSums],
])(
  'a picture that is drawn from %s: each cell is the mean of what it covers, beyond the edges too',
  (_, of) =>
    fc.assert(
      fc.property(picture, part, cells, ({ bytes, ...whole }, where, size) => {
        const drawn = drawPart(of(whole, bytes), where, size);
        drawnSlowly(gridOf(whole, bytes), where, size).forEach((mean, i) =>
          expect(Math.abs(drawn[i]! - mean)).toBeLessThan(apart),
        );
      }),
    ),
);
