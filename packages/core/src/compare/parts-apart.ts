import { median } from '../median.ts';
import { carriedOn } from './carried-on.ts';
import { edgeAt } from './edge-at.ts';
import { drawPart, fitSide, scaledRect, type Drawable } from './grid.ts';
import type { MasterRect, Size } from '../picture/geometry.ts';

/** Longer side of the grid in whose cells a file's picture is held against the plan's, part by part. */
const gridSide = 96;
/** A cell is at least so many delivered pixels, and so many samples of the master's picture: of fewer, no mean is sure. */
const leastPixels = 8;
const leastSamples = 3;
/** Levels by which a part's brightness may lie beside the plan's, of 255: what coding does to a mean of many pixels. */
const leastApart = 6;
/** It may lie by so many times as much beside it as half of all parts do: a poor coding errs everywhere. */
const asOthers = 5;
/** And by this share of what lies between a part and the ones beside it: an edge that is drawn a little elsewhere. */
const asEdges = 0.3;

/** Where a file's picture is lighter, darker or of another colour than its plan's, part by part. */
export interface PartsApart {
  cells: Size;
  /** For each cell by how many levels it is more, or less below zero, than is explained; 0 as planned, or unknown. */
  beyond: Float32Array;
}

/** Luma, and both colour differences. */
export type ThreePlanes = readonly [Drawable, Drawable, Drawable];

/** One panel of a picture, with the part of the master that it shows. */
export interface ShownPanel {
  /** Frame pixels. */
  into: MasterRect;
  /** Master pixels. */
  window: MasterRect;
}

/** Cells that lie wholly in a part of the frame. */
function wholeCells(part: MasterRect, frame: Size, cells: Size): MasterRect | null {
  const inCells = scaledRect(part, frame, cells);
  const [x, y] = [Math.ceil(inCells.x - 1e-6), Math.ceil(inCells.y - 1e-6)];
  const width = Math.floor(inCells.x + inCells.width + 1e-6) - x;
  const height = Math.floor(inCells.y + inCells.height + 1e-6) - y;
  return width >= 2 && height >= 2 ? { x, y, width, height } : null;
}

/** Holds one plane of one panel against the plan's; what lies beyond what is explained is put in where it is the most. */
function planeApart(
  file: Drawable,
  master: Drawable,
  { into, window }: ShownPanel,
  sizes: { frame: Size; master: Size },
  { cells, beyond }: PartsApart,
): void {
  const inside = wholeCells(into, sizes.frame, cells);
  if (!inside) return;
  const part = scaledRect(inside, cells, sizes.frame);
  const shown = drawPart(file, scaledRect(part, sizes.frame, file), inside);
  const source = carriedOn(window, into, part);
  const planned = drawPart(master, scaledRect(source, sizes.master, master), inside);
  const apart = new Float32Array(shown.length);
  for (let i = 0; i < apart.length; i++) apart[i] = shown[i]! - planned[i]!;
  const whole = median(apart) ?? 0;
  const beside = new Float32Array(apart.length);
  for (let i = 0; i < apart.length; i++) beside[i] = Math.abs(apart[i]! - whole);
  const usual = median(beside) ?? 0;
  // What begins just outside a panel may reach into the cells along its sides, and is not seen here: lines are told apart.
  for (let y = 1; y < inside.height - 1; y++)
    for (let x = 1; x < inside.width - 1; x++) {
      const by = apart[y * inside.width + x]! - whole;
      const allowed = leastApart + asOthers * usual + asEdges * edgeAt(planned, inside, y * inside.width + x);
      const at = (inside.y + y) * cells.width + inside.x + x;
      if (Math.abs(by) - allowed > Math.abs(beyond[at]!))
        beyond[at] = Math.sign(by) * (Math.abs(by) - allowed);
    }
}

/** The grid that a frame is held against its plan in. */
const cellsOver = (frame: Size): Size =>
  fitSide(frame, Math.min(gridSide, Math.max(frame.width, frame.height) / leastPixels));

/** How large a part of a frame is, delivered pixels. */
export const partSide = (frame: Size): number => frame.width / cellsOver(frame).width;

/**
 * Holds a file's picture against its plan's part by part. A picture that is lighter, darker or of another colour as a whole
 * is not told here.
 *
 * @param over parts of the frame in which something else is drawn as planned, frame pixels
 * @returns null where a panel shows too little of the master for that
 */
export function partsApart(
  file: ThreePlanes,
  master: ThreePlanes,
  panels: readonly ShownPanel[],
  over: readonly MasterRect[],
  sizes: { frame: Size; master: Size },
): PartsApart | null {
  const cells = cellsOver(sizes.frame);
  const scale = master[0].width / sizes.master.width;
  const perCell = ({ into, window }: ShownPanel) =>
    (window.width * scale) / Math.max(1, (into.width * cells.width) / sizes.frame.width);
  if (panels.some((panel) => perCell(panel) < leastSamples)) return null;
  const apart = { cells, beyond: new Float32Array(cells.width * cells.height) };
  for (const panel of panels) file.forEach((plane, p) => planeApart(plane, master[p]!, panel, sizes, apart));
  for (const rect of over) blank(apart.beyond, cells, scaledRect(rect, sizes.frame, cells));
  return apart;
}

/** Makes every cell that a part touches, and those beside it, unknown. */
function blank(beyond: Float32Array, { width, height }: Size, part: MasterRect): void {
  const [left, right] = [
    Math.max(0, Math.floor(part.x) - 1),
    Math.min(width, Math.ceil(part.x + part.width) + 1),
  ];
  const bottom = Math.min(height, Math.ceil(part.y + part.height) + 1);
  for (let y = Math.max(0, Math.floor(part.y) - 1); y < bottom; y++)
    if (right > left) beyond.fill(0, y * width + left, y * width + right);
}
