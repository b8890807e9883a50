import type { Size } from '../picture/geometry.ts';

/** Less alike than this, SSIM, and it is another picture, or a spoilt one. */
export const leastLikeness = 0.7;

/** Side of the squares that are compared, and how far apart they lie, samples. */
const side = 8;
const apart = 4;
/** The index's two small constants for values up to 255 (Wang, Bovik, Sheikh, Simoncelli, IEEE Trans. Image Processing 13, 2004; from memory). */
const c1 = (0.01 * 255) ** 2;
const c2 = (0.03 * 255) ** 2;

/**
 * Structural similarity of two planes (SSIM; Wang et al., 2004): 1 the same, near 0 nothing in common. Over squares of 8
 * rather than a bell-shaped window, which changes little.
 *
 * @param known 1 where the planes count; squares that reach beyond are left out
 */
export function structuralSimilarity(
  a: ArrayLike<number>,
  b: ArrayLike<number>,
  { width, height }: Size,
  known?: Uint8Array,
): number | null {
  let sum = 0;
  let squares = 0;
  for (let top = 0; top + side <= height; top += apart)
    for (let left = 0; left + side <= width; left += apart) {
      let [sa, sb, saa, sbb, sab] = [0, 0, 0, 0, 0];
      let all = true;
      for (let y = top; y < top + side && all; y++)
        for (let x = left; x < left + side; x++) {
          const i = y * width + x;
          if (known && !known[i]) {
            all = false;
            break;
          }
          const [p, q] = [a[i]!, b[i]!];
          sa += p;
          sb += q;
          saa += p * p;
          sbb += q * q;
          sab += p * q;
        }
      if (!all) continue;
      const n = side * side;
      const [ma, mb] = [sa / n, sb / n];
      const [va, vb, co] = [saa / n - ma * ma, sbb / n - mb * mb, sab / n - ma * mb];
      sum += ((2 * ma * mb + c1) * (2 * co + c2)) / ((ma * ma + mb * mb + c1) * (va + vb + c2));
      squares++;
    }
  return squares ? sum / squares : null;
}
