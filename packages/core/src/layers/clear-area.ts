import type { FrameFraction, Margins, Size } from '../picture/geometry.ts';

/** Where a placement states no margin, layers keep to the area that is safe for graphics (EBU R 95, 5 %; from memory). */
export const usualMargin: Margins = { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 };

/** A rectangle of the delivered frame, pixels. */
export interface FrameRect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/**
 * The largest rectangle inside the margin that no blocked area reaches into; inside the margin alone where the areas
 * leave none. Pixels of the frame, fractions allowed.
 */
export function clearArea(
  frame: Size,
  safeMargin: Margins | undefined,
  blocked: readonly FrameFraction[] = [],
): FrameRect {
  const m = safeMargin ?? usualMargin;
  const [left, top, right, bottom] = [m.left, m.top, 1 - m.right, 1 - m.bottom];
  const cuts = (from: number, to: number, edges: readonly number[]) =>
    [...new Set([from, ...edges.filter((e) => e > from && e < to), to])].sort((a, b) => a - b);
  const across = cuts(
    left,
    right,
    blocked.flatMap((b) => [b.x, b.x + b.width]),
  );
  const down = cuts(
    top,
    bottom,
    blocked.flatMap((b) => [b.y, b.y + b.height]),
  );
  let best = { x0: left, y0: top, x1: right, y1: bottom, area: 0 };
  for (const [i, x0] of across.entries())
    for (const x1 of across.slice(i + 1))
      for (const [j, y0] of down.entries())
        for (const y1 of down.slice(j + 1)) {
          const area = (x1 - x0) * frame.width * (y1 - y0) * frame.height;
          if (area <= best.area) continue;
          const free = !blocked.some(
            (b) =>
              b.x < x1 - 1e-9 && b.x + b.width > x0 + 1e-9 && b.y < y1 - 1e-9 && b.y + b.height > y0 + 1e-9,
          );
          if (free) best = { x0, y0, x1, y1, area };
        }
  return {
    x: best.x0 * frame.width,
    y: best.y0 * frame.height,
    width: (best.x1 - best.x0) * frame.width,
    height: (best.y1 - best.y0) * frame.height,
  };
}
