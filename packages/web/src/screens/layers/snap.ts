import type { FrameRect } from '@mivvy/core';

/** Lines that a box is drawn to, pixels of the frame. */
export interface SnapLines {
  across: readonly number[];
  down: readonly number[];
}

/** A box after snapping, and the lines that it was drawn to. */
export interface Snapped {
  x: number;
  y: number;
  lines: { x?: number; y?: number };
}

const edges = (from: number, length: number) => [from, from + length / 2, from + length];

/** The edges and middles of the clear area, of the frame, and of other boxes. */
export function snapLines(
  clear: FrameRect,
  frame: { width: number; height: number },
  others: readonly FrameRect[],
): SnapLines {
  const all = [clear, { x: 0, y: 0, ...frame }, ...others];
  return {
    across: all.flatMap((r) => edges(r.x, r.width)),
    down: all.flatMap((r) => edges(r.y, r.height)),
  };
}

/** The line nearest to an edge or the middle of a length, and how far that lies from it; null where none is near. */
function nearest(from: number, length: number, lines: readonly number[], near: number) {
  let best: { by: number; line: number } | null = null;
  for (const edge of edges(from, length))
    for (const line of lines)
      if (Math.abs(line - edge) <= Math.abs(best?.by ?? near)) best = { by: line - edge, line };
  return best;
}

/** Draws a box to the lines that it comes near to. */
export function snapBox(box: FrameRect, { across, down }: SnapLines, near: number): Snapped {
  const [x, y] = [nearest(box.x, box.width, across, near), nearest(box.y, box.height, down, near)];
  return {
    x: box.x + (x?.by ?? 0),
    y: box.y + (y?.by ?? 0),
    lines: { ...(x ? { x: x.line } : {}), ...(y ? { y: y.line } : {}) },
  };
}
