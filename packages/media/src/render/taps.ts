/**
 * Weights of a resampling along one axis: for each delivered sample, where its first source sample lies and what each
 * of `taps` samples from there weighs, in 14-bit fixed point.
 */
export interface Taps {
  starts: Int32Array;
  weights: Int16Array;
  taps: number;
}

/** A resampling kernel: its reach in samples, and its value at a distance. */
interface Kernel {
  reach: number;
  at: (distance: number) => number;
}

/** Steps of a tabulated kernel in one sample: between two of them it is as good as straight. */
const tableSteps = 1024;

/** A kernel looked up instead of worked out: a moving window needs thousands of its values for every picture. */
function tabulated(reach: number, at: (distance: number) => number): Kernel {
  const table = Float64Array.from({ length: reach * tableSteps + 2 }, (_, i) => at(i / tableSteps));
  return {
    reach,
    at: (d) => {
      const place = (d < 0 ? -d : d) * tableSteps;
      const step = place | 0;
      return step >= reach * tableSteps
        ? 0
        : table[step]! + (table[step + 1]! - table[step]!) * (place - step);
    },
  };
}

/** Lanczos of three lobes: sharp, little ringing (C. E. Duchon, J. Appl. Meteorol. 18, 1979; from memory). */
export const lanczos = tabulated(3, (d) => {
  if (d < 1e-9) return 1;
  if (d >= 3) return 0;
  const p = Math.PI * d;
  return (3 * Math.sin(p) * Math.sin(p / 3)) / (p * p);
});

/** Cubic B-spline: perfectly smooth and soft, for the ground behind a whole picture. */
export const softly = tabulated(2, (d) =>
  d >= 2 ? 0 : d < 1 ? 2 / 3 - d * d + (d * d * d) / 2 : (2 - d) ** 3 / 6,
);

const one = 1 << 14;

/**
 * Makes weights for samples at `first`, `first + step`, … of a source of `length` samples. Where a sample lies outside
 * the source, its weight goes to the edge. When reducing, the kernel is widened so that every source sample counts.
 *
 * @param multiple the number of taps is rounded up to a multiple of this
 */
export function makeTaps(
  first: number,
  step: number,
  count: number,
  length: number,
  kernel: Kernel,
  multiple: 2 | 8,
): Taps {
  const widen = Math.max(1, step);
  const reach = kernel.reach * widen;
  // At the very end of its reach a kernel is nothing: so many samples lie within it at most.
  const span = Math.ceil(reach * 2);
  const taps = Math.ceil(Math.min(span, length) / multiple) * multiple;
  const starts = new Int32Array(count);
  const weights = new Int16Array(count * taps);
  const exact = new Float64Array(taps);
  for (let i = 0; i < count; i++) {
    const centre = first + i * step;
    const low = Math.floor(centre - reach) + 1;
    const start = Math.max(0, Math.min(low, length - Math.min(span, length)));
    exact.fill(0);
    let sum = 0;
    for (let k = low; k < centre + reach; k++) {
      const weight = kernel.at((k - centre) / widen);
      exact[Math.max(0, Math.min(length - 1, k)) - start]! += weight;
      sum += weight;
    }
    // Rounded so that they sum to one exactly: a flat field stays as flat as it was.
    let left = one;
    let largest = 0;
    for (let k = 0; k < taps; k++) {
      const rounded = Math.round((exact[k]! / sum) * one);
      weights[i * taps + k] = rounded;
      left -= rounded;
      if (exact[k]! > exact[largest]!) largest = k;
    }
    weights[i * taps + largest]! += left;
    starts[i] = start;
  }
  return { starts, weights, taps };
}
