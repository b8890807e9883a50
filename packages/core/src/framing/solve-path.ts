import { splineAt, splineWeights } from './spline.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, ceil, floor, max, min, sqrt } = Math;

/** A band that the way should stay in, knot by knot; NaN where there is none. Leaving it costs `weight` a frame width and knot. */
export interface Band {
  low: Float64Array;
  high: Float64Array;
  weight: number;
}

/** How a way is weighed: what standing off the wanted place, moving, changing speed and jerking cost. */
export interface PathWeights {
  first: number;
  second: number;
  third: number;
}

/**
 * A window's way along one axis, to be found. Lengths are frame widths (for the other axis frame heights); a knot is
 * every `step` frames.
 */
export interface PathProblem {
  /** Controls of the spline: knots and two. */
  count: number;
  /** Seconds from knot to knot. */
  seconds: number;
  /** The least and greatest place. */
  low: number;
  high: number;
  /** Where the window would best be at each knot, and how much that matters; weight 0 for no matter. */
  wanted: Float64Array;
  pull: Float64Array;
  bands: readonly Band[];
  /** Frame widths a second, and a second squared. */
  maxSpeed: number;
  maxAcceleration: number;
  weights: PathWeights;
  /** Places that are met exactly, by knots (fractions allowed). */
  fixed: readonly { u: number; value: number }[];
  /** From one knot to another the window stands. */
  still: readonly { from: number; to: number }[];
}

export interface PathAnswer {
  controls: Float64Array;
  /** Limits had to give way to fixed points by this factor; 1 where they hold. */
  relaxed: number;
}

/** Distance of a value from a band. */
const outside = (v: number, low: number, high: number) => (v < low ? low - v : v > high ? v - high : 0);

/**
 * What a way costs: half the pull times the square of its distance from the wanted place, leaving the bands, and the
 * sums of the absolute first, second and third differences of its controls. Absolute rather than squared, because such
 * a sum is least where the differences are nought: the way stands still, goes evenly or changes speed evenly, and
 * does not wobble. (Grundmann, Kwatra and Essa, “Auto-Directed Video Stabilization with Robust L1 Optimal Camera
 * Paths”, CVPR 2011, from memory.)
 */
export function pathCost(problem: PathProblem, c: ArrayLike<number>): number {
  let cost = 0;
  const knots = problem.count - 2;
  for (let k = 0; k < knots; k++) {
    const s = (c[k]! + 4 * c[k + 1]! + c[k + 2]!) / 6;
    if (problem.pull[k]! > 0) cost += (problem.pull[k]! * (s - problem.wanted[k]!) ** 2) / 2;
    for (const b of problem.bands)
      if (b.low[k] === b.low[k]) cost += b.weight * outside(s, b.low[k]!, b.high[k]!);
  }
  const { first, second, third } = problem.weights;
  for (let i = 0; i + 1 < problem.count; i++) cost += first * abs(c[i + 1]! - c[i]!);
  for (let i = 0; i + 2 < problem.count; i++) cost += second * abs(c[i + 2]! - 2 * c[i + 1]! + c[i]!);
  for (let i = 0; i + 3 < problem.count; i++)
    cost += third * abs(c[i + 3]! - 3 * c[i + 2]! + 3 * c[i + 1]! - c[i]!);
  return cost;
}

/** Four diagonals of a symmetric matrix: the main one and three beside it. */
class Banded {
  readonly d: Float64Array[];

  constructor(readonly n: number) {
    this.d = [0, 1, 2, 3].map(() => new Float64Array(n));
  }

  /** Adds weight times the outer product of a row that starts at a column. */
  add(first: number, row: ArrayLike<number>, weight: number): void {
    for (let i = 0; i < row.length; i++)
      for (let j = i; j < row.length; j++) this.d[j - i]![first + i]! += weight * row[i]! * row[j]!;
  }

  /** Splits the matrix into a lower triangle times its mirror image, in place. (Cholesky.) */
  split(): void {
    const [a, b, c, e] = this.d as [Float64Array, Float64Array, Float64Array, Float64Array];
    for (let i = 0; i < this.n; i++) {
      let v = a[i]!;
      if (i > 0) v -= b[i - 1]! ** 2;
      if (i > 1) v -= c[i - 2]! ** 2;
      if (i > 2) v -= e[i - 3]! ** 2;
      const root = sqrt(max(v, 1e-14));
      a[i] = root;
      if (i + 1 < this.n)
        b[i] = (b[i]! - (i > 0 ? b[i - 1]! * c[i - 1]! : 0) - (i > 1 ? c[i - 2]! * e[i - 2]! : 0)) / root;
      if (i + 2 < this.n) c[i] = (c[i]! - (i > 0 ? b[i - 1]! * e[i - 1]! : 0)) / root;
      if (i + 3 < this.n) e[i] = e[i]! / root;
    }
  }

  /** Solves for a right side, in place. */
  solve(x: Float64Array): void {
    const [a, b, c, e] = this.d as [Float64Array, Float64Array, Float64Array, Float64Array];
    const n = this.n;
    for (let i = 0; i < n; i++) {
      let v = x[i]!;
      if (i > 0) v -= b[i - 1]! * x[i - 1]!;
      if (i > 1) v -= c[i - 2]! * x[i - 2]!;
      if (i > 2) v -= e[i - 3]! * x[i - 3]!;
      x[i] = v / a[i]!;
    }
    for (let i = n - 1; i >= 0; i--) {
      let v = x[i]!;
      if (i + 1 < n) v -= b[i]! * x[i + 1]!;
      if (i + 2 < n) v -= c[i]! * x[i + 2]!;
      if (i + 3 < n) v -= e[i]! * x[i + 3]!;
      x[i] = v / a[i]!;
    }
  }
}

const rows = {
  value: [1 / 6, 4 / 6, 1 / 6],
  first: [-1, 1],
  second: [1, -2, 1],
  third: [-1, 3, -3, 1],
} as const;

/** Value that is best against an absolute cost and a hard limit: drawn towards nought, then cut. */
function shrink(v: number, by: number, limit: number): number {
  const drawn = v > by ? v - by : v < -by ? v + by : 0;
  return drawn > limit ? limit : drawn < -limit ? -limit : drawn;
}

/** Limits are kept with a hair to spare, so that rounding does not break them. */
const limitMargin = 0.998;
const mostRounds = 180;
/** Rows go a little beyond their step: the method gets there sooner (over-relaxation). */
const overRelaxation = 1.6;
/** Fixed points weigh so much that everything else gives way to them. */
const pinned = 1e6;
/** Near enough: a fraction of a frame width that nobody could see. */
const nearEnough = 4e-5;

/** The rows of one kind: their values, and what is still owed to them. */
interface Rows {
  z: Float64Array;
  u: Float64Array;
}
const rowsOf = (n: number): Rows => ({ z: new Float64Array(n), u: new Float64Array(n) });

/** Takes a row's new value; `errors` gathers the greatest distance from the way and the greatest change. */
function settle(
  errors: Float64Array,
  rows: Rows,
  i: number,
  value: number,
  ahead: number,
  next: number,
): void {
  const off = abs(value - next);
  const change = abs(next - rows.z[i]!);
  if (off > errors[0]!) errors[0] = off;
  if (change > errors[1]!) errors[1] = change;
  rows.u[i] = rows.u[i]! + ahead - next;
  rows.z[i] = next;
}

/**
 * Finds the way of least cost under hard limits on place, speed and acceleration that meets its fixed points. An
 * alternating method (ADMM; Boyd et al., 2011, from memory): a banded linear system and, row by row, a value in
 * closed form, in turns; then whatever is left over is put right exactly.
 */
export function solvePath(problem: PathProblem): PathAnswer {
  const { count, seconds, low, high, bands, wanted, pull } = problem;
  if (high - low < 1e-9) return { controls: new Float64Array(count).fill(low), relaxed: 1 };
  const allow = relaxFor(
    problem,
    problem.maxSpeed * seconds * limitMargin,
    problem.maxAcceleration * seconds * seconds * limitMargin,
  );
  const speed = problem.maxSpeed * seconds * limitMargin * allow;
  const acceleration = problem.maxAcceleration * seconds * seconds * limitMargin * allow;
  const stands = new Uint8Array(count);
  for (const s of problem.still) {
    // The four controls around every knot of the span are one.
    for (let i = max(0, ceil(s.from - 1e-9)); i < min(count - 1, floor(s.to + 1e-9) + 2); i++) stands[i] = 1;
  }
  const knots = count - 2;
  const { first, second, third } = problem.weights;
  const fixed = problem.fixed.map((f) => ({
    ...splineWeights(f.u, count),
    value: max(low, min(high, f.value)),
  }));

  const c = new Float64Array(count);
  let start = (low + high) / 2;
  for (let i = 0; i < count; i++) {
    const k = max(0, min(knots - 1, i - 1));
    if (pull[k]! > 0) start = max(low, min(high, wanted[k]!));
    c[i] = start;
  }
  const banded = bands.map(() => rowsOf(knots));
  const [r1, r2, r3, room] = [rowsOf(count - 1), rowsOf(count - 2), rowsOf(count - 3), rowsOf(count)];
  let rho = 6;
  let matrix = matrixOf(problem, fixed, rho);
  const right = new Float64Array(count);
  const errors = new Float64Array(2);
  for (let round = 1; round <= mostRounds; round++) {
    // The rows, given the way.
    errors[0] = errors[1] = 0;
    for (let b = 0; b < bands.length; b++) {
      const { low: lows, high: highs, weight } = bands[b]!;
      const rows = banded[b]!;
      const by = weight / rho;
      for (let k = 0; k < knots; k++) {
        const l = lows[k]!;
        if (l !== l) continue;
        const h = highs[k]!;
        const value = (c[k]! + 4 * c[k + 1]! + c[k + 2]!) / 6;
        const ahead = round === 1 ? value : overRelaxation * value + (1 - overRelaxation) * rows.z[k]!;
        const v = ahead + rows.u[k]!;
        settle(
          errors,
          rows,
          k,
          value,
          ahead,
          v < l ? (v + by < l ? v + by : l) : v > h ? (v - by > h ? v - by : h) : v,
        );
      }
    }
    for (let i = 0; i < count; i++) {
      const value = c[i]!;
      const ahead = round === 1 ? value : overRelaxation * value + (1 - overRelaxation) * room.z[i]!;
      const v = ahead + room.u[i]!;
      settle(errors, room, i, value, ahead, v < low ? low : v > high ? high : v);
      if (i + 1 >= count) continue;
      const v1 = c[i + 1]! - value;
      const a1 = round === 1 ? v1 : overRelaxation * v1 + (1 - overRelaxation) * r1.z[i]!;
      settle(errors, r1, i, v1, a1, stands[i] ? 0 : shrink(a1 + r1.u[i]!, first / rho, speed));
      if (i + 2 >= count) continue;
      const v2 = c[i + 2]! - 2 * c[i + 1]! + value;
      const a2 = round === 1 ? v2 : overRelaxation * v2 + (1 - overRelaxation) * r2.z[i]!;
      settle(errors, r2, i, v2, a2, shrink(a2 + r2.u[i]!, second / rho, acceleration));
      if (i + 3 >= count) continue;
      const v3 = c[i + 3]! - 3 * c[i + 2]! + 3 * c[i + 1]! - value;
      const a3 = round === 1 ? v3 : overRelaxation * v3 + (1 - overRelaxation) * r3.z[i]!;
      settle(errors, r3, i, v3, a3, shrink(a3 + r3.u[i]!, third / rho, Infinity));
    }
    const [primal, moved] = [errors[0]!, errors[1]!];
    if (round > 2 && primal < nearEnough && moved * rho < nearEnough * 10) break;
    // The two kinds of error are kept alike.
    if (round % 30 === 0 && round < mostRounds * 0.7) {
      const ratio = primal / max(1e-12, moved);
      const next = ratio > 5 ? min(600, rho * 2.5) : ratio < 1 / 5 ? max(0.1, rho / 2.5) : rho;
      if (next !== rho) {
        for (const rows of [...banded, r1, r2, r3, room])
          for (let i = 0; i < rows.u.length; i++) rows.u[i]! *= rho / next;
        rho = next;
        matrix = matrixOf(problem, fixed, rho);
      }
    }
    // The way, given the rows.
    right.fill(0);
    for (let k = 0; k < knots; k++) {
      let q = pull[k]! > 0 ? pull[k]! * wanted[k]! : 0;
      for (let b = 0; b < bands.length; b++)
        if (bands[b]!.low[k]! === bands[b]!.low[k]!) q += rho * (banded[b]!.z[k]! - banded[b]!.u[k]!);
      right[k]! += q / 6;
      right[k + 1]! += (4 * q) / 6;
      right[k + 2]! += q / 6;
    }
    for (let i = 0; i < count; i++) {
      right[i]! += rho * (room.z[i]! - room.u[i]!);
      if (i + 1 >= count) continue;
      const q1 = rho * (r1.z[i]! - r1.u[i]!);
      right[i]! -= q1;
      right[i + 1]! += q1;
      if (i + 2 >= count) continue;
      const q2 = rho * (r2.z[i]! - r2.u[i]!);
      right[i]! += q2;
      right[i + 1]! -= 2 * q2;
      right[i + 2]! += q2;
      if (i + 3 >= count) continue;
      const q3 = rho * (r3.z[i]! - r3.u[i]!);
      right[i]! -= q3;
      right[i + 1]! += 3 * q3;
      right[i + 2]! -= 3 * q3;
      right[i + 3]! += q3;
    }
    for (const f of fixed) spread(f.weights, right, f.first, pinned * f.value);
    matrix.solve(right);
    c.set(right);
  }
  if (!fixed.length) standIfAsGood(problem, c);
  putRight(problem, c, stands, fixed, speed, acceleration);
  return {
    controls: c,
    relaxed: fixed.length
      ? max(1, overLimits(c, problem.maxSpeed * seconds, problem.maxAcceleration * seconds * seconds))
      : 1,
  };
}

/** Where standing still costs no more than what was found, the window stands: the turns come near to that, never quite to it. */
function standIfAsGood(problem: PathProblem, c: Float64Array): void {
  const sorted = Float64Array.from(c).sort();
  const middle = (sorted[(c.length - 1) >> 1]! + sorted[c.length >> 1]!) / 2;
  const still = new Float64Array(c.length).fill(max(problem.low, min(problem.high, middle)));
  if (pathCost(problem, still) <= pathCost(problem, c) * 1.002 + 2e-4) c.set(still);
}

/** By what factor a way breaks its limits; below 1 it keeps them. */
function overLimits(c: Float64Array, speed: number, acceleration: number): number {
  let over = 0;
  for (let i = 0; i + 1 < c.length; i++) over = max(over, abs(c[i + 1]! - c[i]!) / speed);
  for (let i = 0; i + 2 < c.length; i++)
    over = max(over, abs(c[i + 2]! - 2 * c[i + 1]! + c[i]!) / acceleration);
  return over;
}

function apply(row: readonly number[], c: ArrayLike<number>, first: number): number {
  let sum = 0;
  for (let i = 0; i < row.length; i++) sum += row[i]! * c[first + i]!;
  return sum;
}

function spread(row: readonly number[], into: Float64Array, first: number, value: number): void {
  for (let i = 0; i < row.length; i++) into[first + i]! += row[i]! * value;
}

function matrixOf(
  problem: PathProblem,
  fixed: readonly { first: number; weights: readonly number[] }[],
  rho: number,
): Banded {
  const matrix = new Banded(problem.count);
  for (let k = 0; k < problem.count - 2; k++) {
    const weight =
      (problem.pull[k]! > 0 ? problem.pull[k]! : 0) +
      rho * problem.bands.reduce((n, b) => n + (b.low[k]! === b.low[k]! ? 1 : 0), 0);
    if (weight > 0) matrix.add(k, rows.value, weight);
  }
  for (let i = 0; i < problem.count; i++) {
    matrix.add(i, [1], rho);
    if (i + 1 < problem.count) matrix.add(i, rows.first, rho);
    if (i + 2 < problem.count) matrix.add(i, rows.second, rho);
    if (i + 3 < problem.count) matrix.add(i, rows.third, rho);
  }
  for (const f of fixed) matrix.add(f.first, f.weights, pinned);
  matrix.split();
  return matrix;
}

/** How much faster than its limits the window must be allowed to go to get from each fixed point to the next. */
function relaxFor(problem: PathProblem, speed: number, acceleration: number): number {
  const points = [...problem.fixed].sort((a, b) => a.u - b.u);
  let factor = 1;
  points.forEach((p, i) => {
    const next = points[i + 1];
    if (!next) return;
    const time = max(0.5, next.u - p.u);
    const way = abs(next.value - p.value);
    // From rest to rest, the acceleration's limit allows a quarter of a t² of way; half of it is asked of either.
    factor = max(factor, (way / time / speed) * 1.6, (way * 6) / (time * time) / acceleration);
  });
  return factor;
}

/** Exactness after the turns: what stands stands, fixed points are met, limits hold, the window stays in its room. */
function putRight(
  problem: PathProblem,
  c: Float64Array,
  stands: Uint8Array,
  fixed: readonly { first: number; weights: readonly number[]; value: number }[],
  speed: number,
  acceleration: number,
): void {
  const n = c.length;
  // Runs that hardly move are made to stand.
  const hardly = 2e-4;
  for (let i = 0; i < n;) {
    let end = i + 1;
    let [low, high] = [c[i]!, c[i]!];
    while (end < n) {
      const [l, h] = [min(low, c[end]!), max(high, c[end]!)];
      if (h - l > hardly && !stands[end - 1]) break;
      [low, high] = [l, h];
      end++;
    }
    if (end - i >= 4) {
      let sum = 0;
      for (let j = i; j < end; j++) sum += c[j]!;
      c.fill(sum / (end - i), i, end);
    }
    i = end;
  }
  for (let i = 0; i < n; i++) c[i] = max(problem.low, min(problem.high, c[i]!));
  if (fixed.length === 0) {
    // Pressed together about its middle until it keeps the limits; still, even and bounded ways stay so.
    const over = overLimits(c, speed, acceleration);
    if (over <= 1) return;
    const middle = (min(...c) + max(...c)) / 2;
    for (let i = 0; i < n; i++) c[i] = middle + (c[i]! - middle) / over;
    return;
  }
  // The smallest smooth change that meets the points: third differences cost, points are pinned ever harder.
  for (let pass = 0; pass < 4; pass++) {
    const off = fixed.map((f) => f.value - apply(f.weights, c, f.first));
    if (off.every((o) => abs(o) < 1e-10)) break;
    const matrix = new Banded(n);
    for (let i = 0; i + 3 < n; i++) matrix.add(i, rows.third, 1);
    for (let i = 0; i + 1 < n; i++) matrix.add(i, rows.first, stands[i] ? 1e5 : 1e-3);
    for (let i = 0; i < n; i++) matrix.add(i, [1], 1e-6);
    const right = new Float64Array(n);
    const hard = 1e7;
    fixed.forEach((f, i) => {
      matrix.add(f.first, f.weights, hard);
      spread(f.weights, right, f.first, hard * off[i]!);
    });
    matrix.split();
    matrix.solve(right);
    for (let i = 0; i < n; i++) c[i]! += right[i]!;
  }
  // At the edge of its room: a point there is met by all four controls.
  for (let i = 0; i < n; i++) c[i] = max(problem.low, min(problem.high, c[i]!));
  for (const f of fixed) if (abs(apply(f.weights, c, f.first) - f.value) > 1e-9) meetExactly(problem, c, f);
}

/** Moves the four controls of one point together until it is met. */
function meetExactly(
  problem: PathProblem,
  c: Float64Array,
  f: { first: number; weights: readonly number[]; value: number },
): void {
  for (let pass = 0; pass < 60; pass++) {
    const off = f.value - apply(f.weights, c, f.first);
    if (abs(off) < 1e-12) return;
    for (let i = 0; i < f.weights.length; i++)
      c[f.first + i] = max(problem.low, min(problem.high, c[f.first + i]! + off));
  }
}

/** A way's place at a frame, `step` frames from knot to knot. */
export const pathAt = (controls: ArrayLike<number>, frame: number, step: number): number =>
  splineAt(controls, frame / step);
