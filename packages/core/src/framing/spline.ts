/**
 * A window's way along one axis as a uniform cubic B-spline: smooth in position, speed and acceleration. Its speed never
 * exceeds the largest step between neighbouring controls, nor its acceleration the largest step between those steps,
 * which is how limits on controls bound the whole way (convex hull property; de Boor, “A Practical Guide to Splines”,
 * from memory).
 *
 * A spline of n + 3 controls runs over n intervals; u counts intervals from its start.
 */
export function splineAt(controls: ArrayLike<number>, u: number): number {
  const n = controls.length;
  if (n < 4) return controls[0]!;
  const most = n - 3;
  const within = u <= 0 ? 0 : u >= most ? most : u;
  const k = within === most ? most - 1 : within | 0;
  const t = within - k;
  const [t2, s] = [t * t, 1 - t];
  const t3 = t2 * t;
  return (
    (s * s * s * controls[k]! +
      (3 * t3 - 6 * t2 + 4) * controls[k + 1]! +
      (-3 * t3 + 3 * t2 + 3 * t + 1) * controls[k + 2]! +
      t3 * controls[k + 3]!) /
    6
  );
}

/** What the four controls around a place weigh there, and the first of them. */
export function splineWeights(
  u: number,
  count: number,
): { first: number; weights: [number, number, number, number] } {
  const most = count - 3;
  const within = Math.max(0, Math.min(most, u));
  const first = within === most ? most - 1 : Math.floor(within);
  const t = within - first;
  const [t2, s] = [t * t, 1 - t];
  const t3 = t2 * t;
  return {
    first,
    weights: [(s * s * s) / 6, (3 * t3 - 6 * t2 + 4) / 6, (-3 * t3 + 3 * t2 + 3 * t + 1) / 6, t3 / 6],
  };
}

/** Controls of a spline over at least `frames` frames, `step` frames apart. */
export const controlsFor = (frames: number, step: number): number =>
  Math.max(1, Math.ceil((frames - 1) / step - 1e-9)) + 3;
