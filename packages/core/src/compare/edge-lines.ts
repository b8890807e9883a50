import { median } from '../median.ts';
import type { MasterRect, Size } from '../picture/geometry.ts';
import type { Edges } from './bars.ts';
import { carriedOn } from './carried-on.ts';
import { drawPart, scaledRect, type Drawable } from './grid.ts';

/** Lines along an edge that are looked at, samples of the file's picture, and how many samples of a line are taken together. */
const linesDeep = 12;
/** Deeper than this, and it is no line. */
const mostDeep = 8;
const together = 8;
/** A line lies so many levels beside the plan's, root of the mean square, before it is another one. */
const leastApart = 14;
/** And so many times as far as the lines further in do. */
const muchMore = 4;

export type Side = keyof Edges;
export const sides: readonly Side[] = ['top', 'right', 'bottom', 'left'];

/** A strip of a part along one of its sides, so many of its units deep. */
export function strip(
  { x, y, width, height }: MasterRect,
  side: Side,
  from: number,
  deep: number,
): MasterRect {
  switch (side) {
    case 'top':
      return { x, y: y + from, width, height: deep };
    case 'bottom':
      return { x, y: y + height - from - deep, width, height: deep };
    case 'left':
      return { x: x + from, y, width: deep, height };
    case 'right':
      return { x: x + width - from - deep, y, width: deep, height };
  }
}

/** How far each line along a side lies beside the plan's, from the edge inwards: root of the mean square of its samples. */
function linesApart(file: Drawable, master: Drawable, window: MasterRect, side: Side): number[] {
  const whole = { x: 0, y: 0, width: file.width, height: file.height };
  const lies = side === 'top' || side === 'bottom';
  const count = Math.max(2, Math.floor((lies ? file.width : file.height) / together));
  const cells: Size = lies ? { width: count, height: 1 } : { width: 1, height: count };
  // An edge of the picture that lies along this one may be drawn a sample further in or out: one more on either side.
  const planned = Array.from({ length: linesDeep + 2 }, (_, line) =>
    drawPart(master, carriedOn(window, whole, strip(whole, side, line - 1, 1)), cells),
  );
  return Array.from({ length: linesDeep }, (_, line) =>
    besideAll(drawPart(file, strip(whole, side, line, 1), cells), planned.slice(line, line + 3)),
  );
}

/** How far a line lies beside all that several others span: root of the mean square. */
function besideAll(line: Float32Array, others: readonly Float32Array[]): number {
  let squares = 0;
  for (let i = 0; i < line.length; i++) {
    let [low, high] = [Infinity, -Infinity];
    for (const other of others) {
      low = Math.min(low, other[i]!);
      high = Math.max(high, other[i]!);
    }
    squares += Math.max(0, line[i]! - high, low - line[i]!) ** 2;
  }
  return Math.sqrt(squares / line.length);
}

/**
 * Lines along the edges of a file's picture that are not the plan's: what a crop that is a little too wide leaves, too
 * thin for a bar. For each side how deep they are, samples of the file's picture.
 *
 * @param window what the picture shows of the master, master pixels
 */
export function edgeLines(file: Drawable, master: Drawable, window: MasterRect, masterSize: Size): Edges {
  const inMaster = scaledRect(window, masterSize, master);
  const deep = (side: Side) => {
    const apart = linesApart(file, master, inMaster, side);
    const inner = median(apart.slice(mostDeep))!;
    const least = Math.max(leastApart, inner * muchMore);
    const first = apart.findIndex((a) => a < least);
    return first > mostDeep ? 0 : Math.max(0, first);
  };
  return { top: deep('top'), right: deep('right'), bottom: deep('bottom'), left: deep('left') };
}
