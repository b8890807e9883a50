import type { MasterRect, Size } from '../picture/geometry.ts';

/**
 * Sums of all samples above and to the left of each corner of a picture's samples (F. C. Crow, “Summed-Area Tables for
 * Texture Mapping”, SIGGRAPH 1984): the sum over any rectangle is told by its four corners.
 */
export interface AreaSums extends Size {
  /** Whole numbers: bytes of up to eight million samples. */
  sums: Int32Array;
  /** Corners a row: one more than samples. */
  stride: number;
}

/**
 * Makes the sums of a picture of bytes.
 *
 * @param before sums of another picture, which are done with: those of one of the same size are written over
 */
export function areaSums({ width, height }: Size, bytes: Uint8Array, before?: AreaSums): AreaSums {
  const stride = width + 1;
  const isAlike = before?.width === width && before.height === height;
  // The first row and the first column are nothing, and stay so.
  const sums = isAlike ? before.sums : new Int32Array(stride * (height + 1));
  for (let y = 0; y < height; y++) {
    let row = 0;
    const [from, above, here] = [y * width, y * stride + 1, (y + 1) * stride + 1];
    for (let x = 0; x < width; x++) {
      row = (row + bytes[from + x]!) | 0;
      sums[here + x] = (sums[above + x]! + row) | 0;
    }
  }
  return { sums, stride, width, height };
}

/** Edges of cells along one axis: the sample that each lies in, how far into it, and how many edges on a cell ends. */
interface CellEdges {
  at: Int32Array;
  into: Float64Array;
  /** The cell that begins at edge `i` ends at edge `i + span`. */
  span: number;
  /** How wide a cell is, samples. */
  wide: number;
}

/** Cells narrower than a sample are as wide as one, about their middle; wider ones share their edges. */
function edgesOf(start: number, length: number, cells: number, samples: number): CellEdges {
  const step = length / cells;
  const shared = step >= 1;
  const [wide, span] = shared ? [step, 1] : [1, cells];
  const at = new Int32Array(cells + span);
  const into = new Float64Array(cells + span);
  for (let i = 0; i < cells + span; i++) {
    const edge = shared
      ? start + i * step
      : start + ((i % cells) + 0.5) * step + (i < cells ? -wide / 2 : wide / 2);
    // What lies beyond an edge of the picture is as that edge: its first or last sample goes on.
    at[i] = Math.max(0, Math.min(samples - 1, Math.floor(edge)));
    into[i] = edge - at[i]!;
  }
  return { at, into, span, wide };
}

/** The sums of all samples above and to the left of where some edges across meet one edge down. */
function sumsAlong(
  table: AreaSums,
  across: CellEdges,
  down: CellEdges,
  edge: number,
  to: Float64Array,
): void {
  const { sums, stride } = table;
  const { at, into } = across;
  const above = down.at[edge]! * stride;
  const share = down.into[edge]!;
  for (let i = 0; i < to.length; i++) {
    const corner = above + at[i]!;
    const a = sums[corner]!;
    const c = sums[corner + stride]!;
    const upper = a + (sums[corner + 1]! - a) * into[i]!;
    const lower = c + (sums[corner + stride + 1]! - c) * into[i]!;
    to[i] = upper + (lower - upper) * share;
  }
}

/** Draws a part of a picture into so many cells by its sums: the same as drawing it sample by sample, and soon done. */
export function drawBySums(table: AreaSums, part: MasterRect, { width, height }: Size): Float32Array {
  const across = edgesOf(part.x, part.width, width, table.width);
  const down = edgesOf(part.y, part.height, height, table.height);
  const drawn = new Float32Array(width * height);
  const area = across.wide * down.wide;
  const { span } = across;
  let upper = new Float64Array(across.at.length);
  let lower = new Float64Array(across.at.length);
  sumsAlong(table, across, down, 0, upper);
  for (let y = 0; y < height; y++) {
    if (y > 0 && down.span > 1) sumsAlong(table, across, down, y, upper);
    sumsAlong(table, across, down, y + down.span, lower);
    const to = y * width;
    for (let x = 0; x < width; x++)
      drawn[to + x] = (lower[x + span]! - lower[x]! - upper[x + span]! + upper[x]!) / area;
    // Where cells share their edges, one ends where the next begins.
    [upper, lower] = [lower, upper];
  }
  return drawn;
}
