import type { Size } from '../picture/geometry.ts';

/** The room that a sheet has, and what each of its cells needs around the picture; screen pixels. */
export interface SheetRoom extends Size {
  /** Between cells, and between rows. */
  gap: number;
  /** Under each picture. */
  wordsHeight: number;
  /** A cell is never narrower. */
  leastWidth: number;
  /** Screen pixels for a delivered pixel: never larger, and never smaller. */
  largest: number;
  smallest: number;
}

/** A sheet's pictures, laid out in rows. */
export interface PackedSheet {
  /** Screen pixels for a delivered pixel. */
  scale: number;
  /** First and last cell of each row, by their index. */
  rows: { from: number; to: number; height: number }[];
  /** Height of all rows with the gaps between them. */
  height: number;
  /** Everything is in view; otherwise the sheet scrolls at the smallest scale. */
  fits: boolean;
}

/** The size of a picture on the sheet. */
export const sizeAt = ({ width, height }: Size, scale: number): Size => ({
  width: Math.round(width * scale),
  height: Math.round(height * scale),
});

/** Of rows that end before a cell: the least height, where the last of them begins, and how high it is. */
interface Best {
  height: number;
  from: number;
  row: number;
}

/**
 * Breaks cells into rows, in their order, so that all rows together are as low as they can be: a row is as high as its
 * tallest picture, so two tall ones beside each other cost less than one in each of two rows.
 */
export function rowsAt(frames: readonly Size[], scale: number, room: SheetRoom): PackedSheet['rows'] {
  const sizes = frames.map((frame) => sizeAt(frame, scale));
  const best: Best[] = [{ height: 0, from: 0, row: 0 }];
  for (let to = 1; to <= sizes.length; to++) {
    let found: Best | undefined;
    let [width, tallest] = [-room.gap, 0];
    for (let from = to - 1; from >= 0; from--) {
      width += Math.max(sizes[from]!.width, room.leastWidth) + room.gap;
      tallest = Math.max(tallest, sizes[from]!.height);
      // One that is wider than the room still has a row of its own.
      if (width > room.width && from < to - 1) break;
      const row = tallest + room.wordsHeight;
      const height = best[from]!.height + row + (from > 0 ? room.gap : 0);
      if (!found || height < found.height) found = { height, from, row };
    }
    best.push(found!);
  }
  const rows: PackedSheet['rows'] = [];
  for (let to = sizes.length; to > 0; to = best[to]!.from)
    rows.unshift({ from: best[to]!.from, to, height: best[to]!.row });
  return rows;
}

const heightOf = (rows: PackedSheet['rows'], gap: number): number =>
  rows.reduce((sum, row) => sum + row.height, 0) + gap * Math.max(0, rows.length - 1);

/** How finely the scale is looked for, as a share of it. */
const precision = 0.002;

/**
 * Lays versions out on a sheet at the largest common scale at which all are in view. The lower the scale, the lower the
 * sheet, so the largest is found by halving.
 *
 * @param frames delivered frames, in the order of the sheet
 */
export function packSheet(frames: readonly Size[], room: SheetRoom): PackedSheet {
  const at = (scale: number) => {
    const rows = rowsAt(frames, scale, room);
    const height = heightOf(rows, room.gap);
    const widest = Math.max(0, ...frames.map((frame) => sizeAt(frame, scale).width));
    return { scale, rows, height, fits: height <= room.height && widest <= room.width };
  };
  const largest = at(room.largest);
  if (largest.fits) return largest;
  let best = at(room.smallest);
  if (!best.fits) return best;
  let [low, high] = [room.smallest, room.largest];
  while (high - low > low * precision) {
    const middle = at((low + high) / 2);
    if (middle.fits) [low, best] = [middle.scale, middle];
    else high = middle.scale;
  }
  return best;
}
