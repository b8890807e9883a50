import type { MasterRect, Size } from '../picture/geometry.ts';
import { drawBySums, type AreaSums } from './area-sums.ts';

/** One plane of a picture: rows of values from 0 to 255, fractions allowed. */
export interface Grid extends Size {
  data: Float32Array;
}

/** A picture that parts can be drawn from: one that is drawn from many times is made ready by {@link areaSums}. */
export type Drawable = Grid | AreaSums;

/** A plane of bytes as a grid. Drawing is several times quicker when it always meets the same kind of array. */
export const gridOf = ({ width, height }: Size, bytes: Uint8Array): Grid => ({
  width,
  height,
  data: new Float32Array(bytes),
});

/** For each cell along one axis, which samples it covers and how much of it each of them makes up. */
interface Cover {
  starts: Int32Array;
  counts: Int32Array;
  weights: Float32Array;
  most: number;
}

/** Cells narrower than a sample are read between two samples; wider ones are the mean of all that they cover. */
function cover(start: number, length: number, cells: number, samples: number): Cover {
  const step = length / cells;
  const wide = Math.max(1, step);
  const most = Math.ceil(wide) + 2;
  const starts = new Int32Array(cells);
  const counts = new Int32Array(cells);
  const weights = new Float32Array(cells * most);
  for (let i = 0; i < cells; i++) {
    const middle = start + (i + 0.5) * step;
    const [low, high] = [middle - wide / 2, middle + wide / 2];
    const first = Math.floor(low);
    const last = Math.ceil(high) - 1;
    starts[i] = Math.max(0, Math.min(samples - 1, first));
    for (let s = first; s <= last; s++) {
      // What lies beyond an edge is as the edge.
      const at = Math.max(0, Math.min(samples - 1, s)) - starts[i]!;
      weights[i * most + at]! += (Math.min(high, s + 1) - Math.max(low, s)) / wide;
      counts[i] = Math.max(counts[i]!, at + 1);
    }
  }
  return { starts, counts, weights, most };
}

/**
 * Draws a part of a picture into so many cells, each the mean of what it covers. This is not how the renderer draws:
 * a file that is compared with it is compared with something of another making.
 *
 * @param part in the picture's own samples; fractions allowed
 */
export function drawPart(picture: Drawable, part: MasterRect, cells: Size): Float32Array {
  if ('sums' in picture) return drawBySums(picture, part, cells);
  const down = cover(part.y, part.height, cells.height, picture.height);
  const first = down.starts.reduce((a, b) => Math.min(a, b), Infinity);
  const last = down.starts.reduce((a, s, i) => Math.max(a, s + down.counts[i]!), 0);
  const rows = drawAcross(picture, first, last, cover(part.x, part.width, cells.width, picture.width));
  return drawDown(rows, cells, first, down);
}

/** Draws rows of a picture into cells across. */
function drawAcross({ data, width }: Grid, first: number, last: number, across: Cover): Float32Array {
  // Taken out of their object: this runs a million times for every picture.
  const { starts, counts, weights, most } = across;
  const cells = starts.length;
  const rows = new Float32Array((last - first) * cells);
  for (let x = 0; x < cells; x++) {
    const start = starts[x]!;
    const count = counts[x]!;
    const weight = x * most;
    for (let y = first; y < last; y++) {
      const from = y * width + start;
      let sum = 0;
      for (let i = 0; i < count; i++) sum += data[from + i]! * weights[weight + i]!;
      rows[(y - first) * cells + x] = sum;
    }
  }
  return rows;
}

/** Draws rows of cells into cells down. */
function drawDown(rows: Float32Array, { width, height }: Size, first: number, down: Cover): Float32Array {
  const { starts, counts, weights, most } = down;
  const drawn = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    const start = starts[y]! - first;
    const count = counts[y]!;
    const to = y * width;
    for (let i = 0; i < count; i++) {
      const weight = weights[y * most + i]!;
      if (weight === 0) continue;
      const from = (start + i) * width;
      for (let x = 0; x < width; x++) drawn[to + x]! += rows[from + x]! * weight;
    }
  }
  return drawn;
}

/** A rectangle of one size's pixels in another's. */
export const scaledRect = (rect: MasterRect, from: Size, to: Size): MasterRect => ({
  x: (rect.x * to.width) / from.width,
  y: (rect.y * to.height) / from.height,
  width: (rect.width * to.width) / from.width,
  height: (rect.height * to.height) / from.height,
});

/** A size of the same shape with its longer side at most `side`. */
export function fitSide({ width, height }: Size, side: number): Size {
  const scale = Math.min(1, side / Math.max(width, height));
  const whole = (n: number) => Math.max(2, Math.round((n * scale) / 2) * 2);
  return { width: whole(width), height: whole(height) };
}

/** A size of the same shape with about so many cells. */
export function fitCells({ width, height }: Size, cells: number): Size {
  const across = Math.sqrt((cells * width) / height);
  return { width: Math.max(4, Math.round(across)), height: Math.max(4, Math.round(cells / across)) };
}
