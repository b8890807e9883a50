import { clamp, type Size } from '../picture/geometry.ts';
import type { FrameRect } from './clear-area.ts';

/** A side on which a patch has a ring of the film around it: a cell wide, or none. */
type Ring = 0 | 1;

/**
 * A patch in the film's own soft picture: what lies around it, spread inwards. It is worked out in cells, a small grid
 * whose outer cells show the film around the patch.
 */
export interface SoftPatch {
  /** What is hidden: whole even pixels of the frame. */
  hidden: FrameRect;
  /** That with its ring. */
  region: FrameRect;
  /** The region in cells. */
  columns: number;
  rows: number;
  ring: { left: Ring; top: Ring; right: Ring; bottom: Ring };
}

/** A cell's side, by the frame's shorter side: what is finer is not seen in a soft picture. */
const cellShare = 1 / 60;

/** Where a span is hidden on one axis of a frame, and its ring, in whole even pixels and in cells. */
function alongAxis(from: number, to: number, length: number, cell: number) {
  // What is left of the frame beside it would be narrower than its ring: it is hidden as well.
  const start = from < cell ? 0 : 2 * Math.floor(from / 2);
  const end = to > length - cell ? length : 2 * Math.ceil(to / 2);
  const before: Ring = start === 0 ? 0 : 1;
  const after: Ring = end === length ? 0 : 1;
  return {
    start,
    length: end - start,
    before,
    after,
    regionStart: start - before * cell,
    regionLength: end - start + (before + after) * cell,
    cells: Math.max(1, Math.ceil((end - start) / cell)) + before + after,
  };
}

/** How a box of a frame is hidden in the film's own soft picture. */
export function softPatch(box: FrameRect, frame: Size): SoftPatch {
  const cell = Math.max(2, 2 * Math.round((Math.min(frame.width, frame.height) * cellShare) / 2));
  const inside = (n: number, most: number) => clamp(n, 0, most);
  const x = alongAxis(inside(box.x, frame.width), inside(box.x + box.width, frame.width), frame.width, cell);
  const y = alongAxis(
    inside(box.y, frame.height),
    inside(box.y + box.height, frame.height),
    frame.height,
    cell,
  );
  return {
    hidden: { x: x.start, y: y.start, width: x.length, height: y.length },
    region: { x: x.regionStart, y: y.regionStart, width: x.regionLength, height: y.regionLength },
    columns: x.cells,
    rows: y.cells,
    ring: { left: x.before, right: x.after, top: y.before, bottom: y.after },
  };
}

/** A cell of the ring that a hidden cell takes from, and how far that is, in cells. */
export interface RingSource {
  side: 'left' | 'top' | 'right' | 'bottom';
  /** Of the side's row or column. */
  at: number;
}

/** The sides that a patch takes from: all where it has a ring. Empty where it hides the whole frame. */
export const ringSources = ({ ring, columns, rows }: SoftPatch): RingSource[] =>
  (
    [
      { side: 'left', at: 0 },
      { side: 'top', at: 0 },
      { side: 'right', at: columns - 1 },
      { side: 'bottom', at: rows - 1 },
    ] as const
  ).filter(({ side }) => ring[side]);

/**
 * Fills the hidden cells from the ring around them, in place: each is the mean of the ring's cells level with it and
 * above and below it, the nearer the more. A patch without a ring stays as it is, which is a soft copy of the film.
 *
 * @param cells the region as red, green, blue and alpha, a byte each, row by row
 */
export function fillFromRing(cells: Uint8ClampedArray, patch: SoftPatch): void {
  const { columns, rows, ring } = patch;
  const sources = ringSources(patch);
  if (!sources.length) return;
  for (let y = ring.top; y < rows - ring.bottom; y++)
    for (let x = ring.left; x < columns - ring.right; x++) {
      const from = sources.map(({ side, at }) => {
        const level = side === 'left' || side === 'right';
        return {
          cell: level ? y * columns + at : at * columns + x,
          weight: 1 / Math.abs(at - (level ? x : y)),
        };
      });
      const all = from.reduce((sum, { weight }) => sum + weight, 0);
      for (let channel = 0; channel < 3; channel++)
        cells[(y * columns + x) * 4 + channel] =
          from.reduce((sum, { cell, weight }) => sum + weight * cells[cell * 4 + channel]!, 0) / all;
    }
}
