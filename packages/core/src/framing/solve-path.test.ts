import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { pathAt, pathCost, solvePath, type Band, type PathProblem } from './solve-path.ts';
import { controlsFor, splineAt } from './spline.ts';

const { abs, max, min, sin } = Math;

/** A subject that goes its way: a sum of two swings, told by a few numbers. */
interface Way {
  middle: number;
  reach: number;
  speed: number;
  second: number;
  half: number;
}
const wayOf = fc.record({
  middle: fc.double({ min: 0.4, max: 1.8, noNaN: true }),
  reach: fc.double({ min: 0, max: 1, noNaN: true }),
  speed: fc.double({ min: 0.1, max: 4, noNaN: true }),
  second: fc.double({ min: 0, max: 0.3, noNaN: true }),
  half: fc.double({ min: 0.02, max: 0.4, noNaN: true }),
});
const place = (w: Way, t: number) =>
  w.middle + w.reach * sin(t * w.speed) + w.second * sin(t * w.speed * 2.3);

const seconds = 0.28;
function problemOf(way: Way, over: Partial<PathProblem> = {}): PathProblem {
  const count = over.count ?? 24;
  const knots = count - 2;
  const [high, low] = [2.16, 0];
  const wanted = new Float64Array(knots).map((_, k) => max(low, min(high, place(way, k * seconds))));
  const band: Band = {
    low: wanted.map((v) => max(low, v - way.half)),
    high: wanted.map((v) => min(high, v + way.half)),
    weight: 200,
  };
  return {
    count,
    seconds,
    low,
    high,
    wanted,
    pull: new Float64Array(knots).fill(0.06),
    bands: [band],
    maxSpeed: 1.2,
    maxAcceleration: 2.5,
    weights: { first: 0.5, second: 2.2, third: 6 },
    fixed: [],
    still: [],
    ...over,
  };
}

/** The greatest speed and acceleration of a way, measured on its frames at fifty a second. */
function measured(controls: Float64Array): {
  speed: number;
  acceleration: number;
  low: number;
  high: number;
} {
  const [rate, step] = [50, seconds * 50];
  const frames = Math.floor((controls.length - 3) * step);
  const x = Array.from({ length: frames + 1 }, (_, f) => pathAt(controls, f, step));
  let [speed, acceleration] = [0, 0];
  for (let f = 1; f < x.length; f++) speed = max(speed, abs(x[f]! - x[f - 1]!) * rate);
  for (let f = 1; f + 1 < x.length; f++)
    acceleration = max(acceleration, abs(x[f + 1]! - 2 * x[f]! + x[f - 1]!) * rate * rate);
  return { speed, acceleration, low: min(...x), high: max(...x) };
}

const runs = { numRuns: 40, seed: 4 };

describe('the way of a following window', () => {
  test('never exceeds its limits of place, speed and acceleration, at any frame', () => {
    fc.assert(
      fc.property(
        wayOf,
        fc.double({ min: 0.3, max: 4, noNaN: true }),
        fc.double({ min: 0.5, max: 12, noNaN: true }),
        (way, maxSpeed, maxAcceleration) => {
          const problem = problemOf(way, { maxSpeed, maxAcceleration });
          const { controls, relaxed } = solvePath(problem);
          const found = measured(controls);
          expect(relaxed).toBe(1);
          expect(found.speed).toBeLessThanOrEqual(maxSpeed * 1.0001);
          expect(found.acceleration).toBeLessThanOrEqual(maxAcceleration * 1.0001);
          expect(found.low).toBeGreaterThanOrEqual(problem.low - 1e-9);
          expect(found.high).toBeLessThanOrEqual(problem.high + 1e-9);
        },
      ),
      runs,
    );
  });

  test('mirrored questions have mirrored answers', () => {
    fc.assert(
      fc.property(wayOf, (way) => {
        const problem = problemOf(way);
        const flip = (v: Float64Array) => v.map((x) => problem.low + problem.high - x);
        const mirrored: PathProblem = {
          ...problem,
          wanted: flip(problem.wanted),
          bands: problem.bands.map((b) => ({ ...b, low: flip(b.high), high: flip(b.low) })),
        };
        const [a, b] = [solvePath(problem).controls, solvePath(mirrored).controls];
        for (let i = 0; i < a.length; i++) expect(b[i]).toBeCloseTo(problem.low + problem.high - a[i]!, 5);
      }),
      runs,
    );
  });

  test('shifted questions have shifted answers', () => {
    fc.assert(
      fc.property(wayOf, fc.double({ min: -3, max: 3, noNaN: true }), (way, by) => {
        const problem = problemOf(way);
        const move = (v: Float64Array) => v.map((x) => x + by);
        const shifted: PathProblem = {
          ...problem,
          low: problem.low + by,
          high: problem.high + by,
          wanted: move(problem.wanted),
          bands: problem.bands.map((b) => ({ ...b, low: move(b.low), high: move(b.high) })),
        };
        const [a, b] = [solvePath(problem).controls, solvePath(shifted).controls];
        for (let i = 0; i < a.length; i++) expect(b[i]).toBeCloseTo(a[i]! + by, 5);
      }),
      runs,
    );
  });

  test('meets fixed points exactly, and says by how much its limits gave way', () => {
    const points = fc.uniqueArray(
      fc.record({ u: fc.integer({ min: 0, max: 21 }), value: fc.double({ min: 0, max: 2.16, noNaN: true }) }),
      { selector: (p) => p.u, minLength: 1, maxLength: 4 },
    );
    fc.assert(
      fc.property(wayOf, points, (way, all) => {
        // Points three knots apart or more: a person cannot fix two places in one breath.
        const fixed = all
          .sort((a, b) => a.u - b.u)
          .filter((p, i, list) => i === 0 || p.u - list[i - 1]!.u >= 3);
        const problem = problemOf(way, { fixed });
        const { controls, relaxed } = solvePath(problem);
        for (const f of fixed) expect(splineAt(controls, f.u)).toBeCloseTo(f.value, 5);
        const found = measured(controls);
        expect(found.speed).toBeLessThanOrEqual(problem.maxSpeed * relaxed * 1.001);
        expect(found.acceleration).toBeLessThanOrEqual(problem.maxAcceleration * relaxed * 1.001);
        expect(found.low).toBeGreaterThanOrEqual(-1e-6);
        expect(found.high).toBeLessThanOrEqual(2.16 + 1e-6);
      }),
      runs,
    );
  });

  test('stands where a person said that it stands', () => {
    fc.assert(
      fc.property(
        wayOf,
        fc.integer({ min: 0, max: 10 }),
        fc.integer({ min: 3, max: 8 }),
        (way, from, length) => {
          const { controls } = solvePath(problemOf(way, { still: [{ from, to: from + length }] }));
          const here = splineAt(controls, from);
          for (let u = from; u <= from + length; u += 0.25)
            expect(splineAt(controls, u)).toBeCloseTo(here, 9);
        },
      ),
      runs,
    );
  });

  test('does not move at all for a subject that stays inside', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.6, max: 1.5, noNaN: true }),
        fc.double({ min: 0, max: 0.06, noNaN: true }),
        fc.double({ min: 0.5, max: 9, noNaN: true }),
        (middle, reach, speed) => {
          const found = measured(
            solvePath(problemOf({ middle, reach, speed, second: 0, half: 0.3 })).controls,
          );
          expect(found.high - found.low).toBeLessThan(1e-12);
        },
      ),
      runs,
    );
  });

  test('costs no more than the best of all ways on a grid, and than random changes of it', () => {
    const steps = 11;
    for (const way of [
      { middle: 1, reach: 0.7, speed: 2, second: 0.1, half: 0.15 },
      { middle: 0.8, reach: 0.3, speed: 4, second: 0, half: 0.05 },
      { middle: 1.4, reach: 0.9, speed: 1, second: 0.2, half: 0.3 },
    ]) {
      const problem = problemOf(way, { count: 6 });
      const found = solvePath(problem).controls;
      const cost = pathCost(problem, found);
      const keeps = (c: ArrayLike<number>) => {
        for (let i = 0; i + 1 < c.length; i++)
          if (abs(c[i + 1]! - c[i]!) > problem.maxSpeed * seconds) return false;
        for (let i = 0; i + 2 < c.length; i++)
          if (abs(c[i + 2]! - 2 * c[i + 1]! + c[i]!) > problem.maxAcceleration * seconds ** 2) return false;
        return true;
      };
      let best = Infinity;
      const c = new Float64Array(6);
      // Every way whose controls lie on the grid: about 1.8 million, most of them given up early.
      const place = (i: number) => {
        if (i === c.length) {
          best = min(best, pathCost(problem, c));
          return;
        }
        for (let s = 0; s < steps; s++) {
          c[i] = (s * problem.high) / (steps - 1);
          if (i > 0 && abs(c[i]! - c[i - 1]!) > problem.maxSpeed * seconds) continue;
          if (i > 1 && abs(c[i]! - 2 * c[i - 1]! + c[i - 2]!) > problem.maxAcceleration * seconds ** 2)
            continue;
          place(i + 1);
        }
      };
      place(0);
      expect(best).toBeLessThan(Infinity);
      expect(cost).toBeLessThanOrEqual(best * 1.001 + 1e-6);
      // The grid is coarse; near the answer nothing is better either.
      let roll = 7;
      const dice = () => ((roll = (roll * 1103515245 + 12345) % 2147483648) / 2147483648 - 0.5) * 2;
      for (let n = 0; n < 3000; n++) {
        const near = found.map((v) => max(0, min(problem.high, v + dice() * 0.03)));
        if (keeps(near)) expect(pathCost(problem, near)).toBeGreaterThan(cost - 0.02 * max(1, cost));
      }
    }
  });

  test('a spline has as many controls as its frames need', () => {
    expect(controlsFor(1, 7)).toBe(4);
    expect(controlsFor(8, 7)).toBe(4);
    expect(controlsFor(9, 7)).toBe(5);
    expect(controlsFor(100, 7)).toBe(18);
  });
});
