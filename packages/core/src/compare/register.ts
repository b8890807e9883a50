import type { MasterRect, Size } from '../picture/geometry.ts';
import { drawPart, fitSide, type Drawable, type Grid } from './grid.ts';

/** Where in a master a picture was found to lie. */
export interface Found {
  /** In samples of the master's picture. */
  window: MasterRect;
  /** Likeness of the picture and what lies there: correlation, 1 the same. */
  alike: number;
  /** How far each of the window's edges may be wrong, in samples: one standard deviation. */
  unsure: { x: number; y: number };
}

/** Longer sides of the pictures that are compared, from coarse to fine; a window that lies almost in its place needs the last ones alone. */
const levels = { far: [32, 64, 128, 192], near: [96, 192] };
export type Reach = keyof typeof levels;
const stepsALevel = 6;
/** Neighbouring samples of a picture err together: as if only one in so many told something new. */
const together = 24;

/** Solves a small system of equations by elimination; null where it has no one answer. */
function solve(matrix: number[][], right: number[]): number[] | null {
  const n = right.length;
  const m = matrix.map((row, i) => [...row, right[i]!]);
  for (let c = 0; c < n; c++) {
    let best = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(m[r]![c]!) > Math.abs(m[best]![c]!)) best = r;
    if (Math.abs(m[best]![c]!) < 1e-9) return null;
    [m[c], m[best]] = [m[best]!, m[c]!];
    for (let r = 0; r < n; r++) {
      if (r === c) continue;
      const f = m[r]![c]! / m[c]![c]!;
      for (let k = c; k <= n; k++) m[r]![k]! -= f * m[c]![k]!;
    }
  }
  return m.map((row, i) => row[n]! / row[i]!);
}

/** Correlation of two planes: 1 the same but for brightness and contrast, near 0 nothing in common. */
export function correlation(a: ArrayLike<number>, b: ArrayLike<number>): number {
  let [n, sa, sb, saa, sbb, sab] = [0, 0, 0, 0, 0, 0];
  for (let i = 0; i < a.length; i++) {
    const [p, q] = [a[i]!, b[i]!];
    n++;
    sa += p;
    sb += q;
    saa += p * p;
    sbb += q * q;
    sab += p * q;
  }
  if (n === 0) return 0;
  const [va, vb] = [saa - (sa * sa) / n, sbb - (sb * sb) / n];
  // Two flat planes are alike.
  if (va < n * 0.5 && vb < n * 0.5) return 1;
  return va <= 0 || vb <= 0 ? 0 : (sab - (sa * sb) / n) / Math.sqrt(va * vb);
}

interface Step {
  /** Shift of the middle and growth of the size, in cells and shares. */
  dx: number;
  dy: number;
  zx: number;
  zy: number;
  unsureX: number;
  unsureY: number;
}

/** Unknowns of a step: shift across and down, growth across and down, brightness by a factor and a constant. */
const unknowns = 6;

/**
 * One step of Gauss and Newton: which shift and growth of what was drawn makes it most like the picture. Brightness may
 * differ by a factor and a constant.
 */
function step(picture: Float32Array, drawn: Float32Array, { width, height }: Size): Step | null {
  const sums = new Float64Array(unknowns * unknowns);
  const right = new Float64Array(unknowns);
  let n = 0;
  let errors = 0;
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      const gx = (drawn[i + 1]! - drawn[i - 1]!) / 2;
      const gy = (drawn[i + width]! - drawn[i - width]!) / 2;
      const zx = gx * (x + 0.5 - width / 2);
      const zy = gy * (y + 0.5 - height / 2);
      const light = drawn[i]! - 126;
      const r = picture[i]! - drawn[i]!;
      // What differs greatly is something else, and has a bounded say.
      const weight = 1 / (1 + (r * r) / 900);
      // The upper half of the matrix, unknown by unknown. Written out: it is done for every cell at every step.
      const w0 = weight * gx;
      right[0]! += w0 * r;
      sums[0]! += w0 * gx;
      sums[1]! += w0 * gy;
      sums[2]! += w0 * zx;
      sums[3]! += w0 * zy;
      sums[4]! += w0 * light;
      sums[5]! += w0;
      const w1 = weight * gy;
      right[1]! += w1 * r;
      sums[7]! += w1 * gy;
      sums[8]! += w1 * zx;
      sums[9]! += w1 * zy;
      sums[10]! += w1 * light;
      sums[11]! += w1;
      const w2 = weight * zx;
      right[2]! += w2 * r;
      sums[14]! += w2 * zx;
      sums[15]! += w2 * zy;
      sums[16]! += w2 * light;
      sums[17]! += w2;
      const w3 = weight * zy;
      right[3]! += w3 * r;
      sums[21]! += w3 * zy;
      sums[22]! += w3 * light;
      sums[23]! += w3;
      const w4 = weight * light;
      right[4]! += w4 * r;
      sums[28]! += w4 * light;
      sums[29]! += w4;
      right[5]! += weight * r;
      sums[35]! += weight;
      errors += weight * r * r;
      n++;
    }
  }
  if (n < 64) return null;
  const matrix = Array.from({ length: unknowns }, (_, a) =>
    Array.from(
      { length: unknowns },
      (__, b) => sums[Math.min(a, b) * unknowns + Math.max(a, b)]! + (a === b ? 1e-3 : 0),
    ),
  );
  const answer = solve(matrix, [...right]);
  const spread = (unit: number) =>
    solve(
      matrix,
      matrix.map((_, i) => (i === unit ? 1 : 0)),
    )?.[unit] ?? Infinity;
  if (!answer) return null;
  const variance = (errors / n + 0.3) * together;
  const edge = (shift: number, grow: number, length: number) =>
    Math.sqrt(variance * (spread(shift) + spread(grow) * (length / 2) ** 2));
  const [dx, dy, zx, zy] = answer as [number, number, number, number];
  return { dx, dy, zx, zy, unsureX: edge(0, 2, width), unsureY: edge(1, 3, height) };
}

/**
 * Finds where in a master's picture a window lies that shows the same as a given picture, starting from where it should
 * lie: coarse to fine, to a fraction of a sample. The master is drawn anew at each step, as {@link drawPart} does.
 *
 * @param reach how far from its place it may lie
 */
export function findWindow(
  picture: Drawable,
  master: Drawable,
  start: MasterRect,
  reach: Reach = 'far',
): Found {
  let window = { ...start };
  let unsure = { x: Infinity, y: Infinity };
  let alike = 0;
  const whole = { x: 0, y: 0, width: picture.width, height: picture.height };
  for (const side of levels[reach]) {
    const cells = fitSide(picture, side);
    if (side !== levels[reach][0] && Math.max(cells.width, cells.height) <= side / 2) break;
    const seen = drawPart(picture, whole, cells);
    // At the coarsest only the place is looked for: so few cells say little of the size.
    const growing = side > 64;
    for (let i = 0; i < stepsALevel; i++) {
      const drawn = drawPart(master, window, cells);
      const next = step(seen, drawn, cells);
      if (!next) break;
      const [kx, ky] = [window.width / cells.width, window.height / cells.height];
      const limit = (value: number, most: number) => Math.max(-most, Math.min(most, value));
      const [dx, dy] = [limit(next.dx, cells.width / 8) * kx, limit(next.dy, cells.height / 8) * ky];
      const [zx, zy] = growing ? [limit(next.zx, 0.05), limit(next.zy, 0.05)] : [0, 0];
      const [width, height] = [window.width * (1 + zx), window.height * (1 + zy)];
      window = {
        x: window.x + dx + (window.width - width) / 2,
        y: window.y + dy + (window.height - height) / 2,
        width,
        height,
      };
      unsure = { x: next.unsureX * kx, y: next.unsureY * ky };
      if (Math.abs(dx) < 0.01 * kx && Math.abs(dy) < 0.01 * ky && Math.abs(zx) + Math.abs(zy) < 1e-4) break;
    }
    alike = correlation(seen, drawPart(master, window, cells));
  }
  return { window, alike, unsure };
}

/** Step of the search over a whole master, in its coarse samples, and its size. */
const searchSide = 96;

/** Looks over a whole master for a window of a given size that shows the same as a picture, coarsely; null where none does. */
export function searchWindow(
  picture: Drawable,
  master: Drawable,
  size: { width: number; height: number },
): MasterRect | null {
  const small = fitSide(master, searchSide);
  const scale = small.width / master.width;
  const coarse: Grid = { ...small, data: drawPart(master, { x: 0, y: 0, ...sizeOf(master) }, small) };
  const cells = {
    width: Math.max(4, Math.round(size.width * scale)),
    height: Math.max(4, Math.round(size.height * scale)),
  };
  const seen = drawPart(picture, { x: 0, y: 0, ...sizeOf(picture) }, cells);
  let best = { alike: 0, x: 0, y: 0 };
  for (let y = 0; y + cells.height <= small.height; y++)
    for (let x = 0; x + cells.width <= small.width; x++) {
      const alike = correlation(seen, drawPart(coarse, { x, y, ...cells }, cells));
      if (alike > best.alike) best = { alike, x, y };
    }
  return best.alike < 0.6
    ? null
    : { x: best.x / scale, y: best.y / scale, width: size.width, height: size.height };
}

const sizeOf = ({ width, height }: Size): Size => ({ width, height });
