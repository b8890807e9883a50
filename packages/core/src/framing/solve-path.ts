import { Banded } from './banded.ts';
import { splineAt, splineWeights } from './spline.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, ceil, floor, max, min } = Math;

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

/** A point that is met exactly: the controls that make it, from the first on, and what each counts. */
interface FixedPoint {
  first: number;
  weights: readonly number[];
  value: number;
}

/** Limits in lengths from control to control. */
interface StepLimits {
  speed: number;
  acceleration: number;
}

/**
 * The turns of the method: rows given the way, then the way given the rows. `errors` are those of the last turn: the
 * greatest distance of a row from the way, and the greatest change of one.
 */
class PathTurns {
  readonly way: Float64Array;
  private readonly banded: Rows[];
  private readonly place: Rows;
  private readonly first: Rows;
  private readonly second: Rows;
  private readonly third: Rows;
  private readonly right: Float64Array;
  private readonly errors = new Float64Array(2);
  private rho = 6;
  private matrix: Banded;

  constructor(
    private readonly problem: PathProblem,
    private readonly limits: StepLimits,
    private readonly stands: Uint8Array,
    private readonly fixed: readonly FixedPoint[],
  ) {
    const { count } = problem;
    this.way = firstWay(problem);
    this.banded = problem.bands.map(() => rowsOf(count - 2));
    this.place = rowsOf(count);
    this.first = rowsOf(count - 1);
    this.second = rowsOf(count - 2);
    this.third = rowsOf(count - 3);
    this.right = new Float64Array(count);
    this.matrix = matrixOf(problem, fixed, this.rho);
  }

  /** Takes turns until the way is near enough, or for as long as that is worth. */
  run(): Float64Array {
    for (let round = 1; round <= mostRounds; round++) {
      const lean = round === 1 ? 1 : overRelaxation;
      this.errors.fill(0);
      this.setBands(lean);
      this.setDifferences(lean);
      const [primal, moved] = [this.errors[0]!, this.errors[1]!];
      if (round > 2 && primal < nearEnough && moved * this.rho < nearEnough * 10) break;
      if (round % 30 === 0 && round < mostRounds * 0.7) this.balance(primal / max(1e-12, moved));
      this.setWay();
    }
    return this.way;
  }

  /** Takes a row's new value. */
  private settle(rows: Rows, i: number, value: number, ahead: number, next: number): void {
    const off = abs(value - next);
    const change = abs(next - rows.z[i]!);
    if (off > this.errors[0]!) this.errors[0] = off;
    if (change > this.errors[1]!) this.errors[1] = change;
    rows.u[i] = rows.u[i]! + ahead - next;
    rows.z[i] = next;
  }

  /** Rows of the bands: inside one for nothing, outside it for its weight. */
  private setBands(lean: number): void {
    const { bands, count } = this.problem;
    const c = this.way;
    for (let b = 0; b < bands.length; b++) {
      const { low: lows, high: highs, weight } = bands[b]!;
      const rows = this.banded[b]!;
      const by = weight / this.rho;
      for (let k = 0; k < count - 2; k++) {
        const l = lows[k]!;
        if (l !== l) continue;
        const h = highs[k]!;
        const value = (c[k]! + 4 * c[k + 1]! + c[k + 2]!) / 6;
        const ahead = lean * value + (1 - lean) * rows.z[k]!;
        const v = ahead + rows.u[k]!;
        const next = v < l ? (v + by < l ? v + by : l) : v > h ? (v - by > h ? v - by : h) : v;
        this.settle(rows, k, value, ahead, next);
      }
    }
  }

  /** Rows of the place and of its first, second and third differences, each within its limit. */
  private setDifferences(lean: number): void {
    const { count, low, high, weights } = this.problem;
    const { speed, acceleration } = this.limits;
    const c = this.way;
    const rest = 1 - lean;
    const [room, r1, r2, r3] = [this.place, this.first, this.second, this.third];
    const by1 = weights.first / this.rho;
    const by2 = weights.second / this.rho;
    const by3 = weights.third / this.rho;
    for (let i = 0; i < count; i++) {
      const value = c[i]!;
      const ahead = lean * value + rest * room.z[i]!;
      const v = ahead + room.u[i]!;
      this.settle(room, i, value, ahead, v < low ? low : v > high ? high : v);
      if (i + 1 >= count) continue;
      const v1 = c[i + 1]! - value;
      const a1 = lean * v1 + rest * r1.z[i]!;
      this.settle(r1, i, v1, a1, this.stands[i] ? 0 : shrink(a1 + r1.u[i]!, by1, speed));
      if (i + 2 >= count) continue;
      const v2 = c[i + 2]! - 2 * c[i + 1]! + value;
      const a2 = lean * v2 + rest * r2.z[i]!;
      this.settle(r2, i, v2, a2, shrink(a2 + r2.u[i]!, by2, acceleration));
      if (i + 3 >= count) continue;
      const v3 = c[i + 3]! - 3 * c[i + 2]! + 3 * c[i + 1]! - value;
      const a3 = lean * v3 + rest * r3.z[i]!;
      this.settle(r3, i, v3, a3, shrink(a3 + r3.u[i]!, by3, Infinity));
    }
  }

  /** The two kinds of error are kept alike: where one is much the greater, the rows weigh more, or less. */
  private balance(ratio: number): void {
    const next = ratio > 5 ? min(600, this.rho * 2.5) : ratio < 1 / 5 ? max(0.1, this.rho / 2.5) : this.rho;
    if (next === this.rho) return;
    for (const rows of [...this.banded, this.first, this.second, this.third, this.place])
      for (let i = 0; i < rows.u.length; i++) rows.u[i]! *= this.rho / next;
    this.rho = next;
    this.matrix = matrixOf(this.problem, this.fixed, next);
  }

  /** The way that is best for the rows as they stand: a linear system. */
  private setWay(): void {
    this.right.fill(0);
    this.wishes();
    this.owed();
    for (const f of this.fixed) spread(f.weights, this.right, f.first, pinned * f.value);
    this.matrix.solve(this.right);
    this.way.set(this.right);
  }

  /** What the wanted places and the bands ask for. */
  private wishes(): void {
    const { bands, count, pull, wanted } = this.problem;
    const { right, rho } = this;
    for (let k = 0; k < count - 2; k++) {
      let q = pull[k]! > 0 ? pull[k]! * wanted[k]! : 0;
      for (let b = 0; b < bands.length; b++)
        if (bands[b]!.low[k]! === bands[b]!.low[k]!)
          q += rho * (this.banded[b]!.z[k]! - this.banded[b]!.u[k]!);
      right[k]! += q / 6;
      right[k + 1]! += (4 * q) / 6;
      right[k + 2]! += q / 6;
    }
  }

  /** What the place and its differences ask for. */
  private owed(): void {
    const { count } = this.problem;
    const { right, rho, place: room, first: r1, second: r2, third: r3 } = this;
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
  }
}

/** Where the turns begin: at the wanted places, and where none is, at the one before. */
function firstWay({ count, low, high, pull, wanted }: PathProblem): Float64Array {
  const c = new Float64Array(count);
  let start = (low + high) / 2;
  for (let i = 0; i < count; i++) {
    const k = max(0, min(count - 3, i - 1));
    if (pull[k]! > 0) start = max(low, min(high, wanted[k]!));
    c[i] = start;
  }
  return c;
}

/** From which controls the next one may not differ: the four around every knot of a still span are one. */
function standingControls({ count, still }: PathProblem): Uint8Array {
  const stands = new Uint8Array(count);
  for (const s of still) {
    const end = min(count - 1, floor(s.to + 1e-9) + 2);
    for (let i = max(0, ceil(s.from - 1e-9)); i < end; i++) stands[i] = 1;
  }
  return stands;
}

/**
 * Finds the way of least cost under hard limits on place, speed and acceleration that meets its fixed points. An
 * alternating method (ADMM; Boyd et al., 2011, from memory): a banded linear system and, row by row, a value in
 * closed form, in turns; then whatever is left over is put right exactly.
 */
export function solvePath(problem: PathProblem): PathAnswer {
  const { count, seconds, low, high } = problem;
  if (high - low < 1e-9) return { controls: new Float64Array(count).fill(low), relaxed: 1 };
  const asked = { speed: problem.maxSpeed * seconds, acceleration: problem.maxAcceleration * seconds ** 2 };
  const kept = { speed: asked.speed * limitMargin, acceleration: asked.acceleration * limitMargin };
  const allow = relaxFor(problem, kept.speed, kept.acceleration);
  const limits = { speed: kept.speed * allow, acceleration: kept.acceleration * allow };
  const stands = standingControls(problem);
  const fixed = problem.fixed.map((f) => ({
    ...splineWeights(f.u, count),
    value: max(low, min(high, f.value)),
  }));

  const c = new PathTurns(problem, limits, stands, fixed).run();
  if (!fixed.length) standIfAsGood(problem, c);
  putRight(problem, c, stands, fixed, limits.speed, limits.acceleration);
  return {
    controls: c,
    relaxed: fixed.length ? max(1, overLimits(c, asked.speed, asked.acceleration)) : 1,
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

function matrixOf(problem: PathProblem, fixed: readonly FixedPoint[], rho: number): Banded {
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
  fixed: readonly FixedPoint[],
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
function meetExactly(problem: PathProblem, c: Float64Array, f: FixedPoint): void {
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
