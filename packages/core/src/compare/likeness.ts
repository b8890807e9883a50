import type { Size } from '../picture/geometry.ts';

/** Less alike than this, SSIM, and it is another picture, or a spoilt one. */
export const leastLikeness = 0.7;

/** Side of the blocks that sums are made of; two by two of them are a square that is compared, one block beside the next. */
const block = 4;
/** The index's two small constants for values up to 255 (Wang, Bovik, Sheikh, Simoncelli, IEEE Trans. Image Processing 13, 2004; from memory). */
const c1 = (0.01 * 255) ** 2;
const c2 = (0.03 * 255) ** 2;

/** Numbers a block: how many of its samples are unknown, the sums of both planes, of their squares, and of their product. */
const perBlock = 6;

/** Sums over the blocks of one row of blocks, for each of them {@link perBlock} numbers. */
function sumBlocks(
  a: ArrayLike<number>,
  b: ArrayLike<number>,
  { width, top, known }: { width: number; top: number; known: Uint8Array | undefined },
  to: Float64Array,
): void {
  const blocks = to.length / perBlock;
  for (let n = 0; n < blocks; n++) {
    let [unknown, sa, sb, saa, sbb, sab] = [0, 0, 0, 0, 0, 0];
    for (let y = top; y < top + block; y++) {
      const from = y * width + n * block;
      for (let i = from; i < from + block; i++) {
        if (known && !known[i]) unknown++;
        const [p, q] = [a[i]!, b[i]!];
        sa += p;
        sb += q;
        saa += p * p;
        sbb += q * q;
        sab += p * q;
      }
    }
    const at = n * perBlock;
    to[at] = unknown;
    to[at + 1] = sa;
    to[at + 2] = sb;
    to[at + 3] = saa;
    to[at + 4] = sbb;
    to[at + 5] = sab;
  }
}

/** The index of one square by its sums; null where some of it is unknown. */
function indexOf(unknown: number, sa: number, sb: number, saa: number, sbb: number, sab: number) {
  if (unknown) return null;
  const n = (2 * block) ** 2;
  const [ma, mb] = [sa / n, sb / n];
  const [va, vb, co] = [saa / n - ma * ma, sbb / n - mb * mb, sab / n - ma * mb];
  return ((2 * ma * mb + c1) * (2 * co + c2)) / ((ma * ma + mb * mb + c1) * (va + vb + c2));
}

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
  const across = Math.floor(width / block);
  let above = new Float64Array(across * perBlock);
  let here = new Float64Array(across * perBlock);
  let [sum, squares] = [0, 0];
  for (let top = 0; top + block <= height; top += block) {
    sumBlocks(a, b, { width, top, known }, here);
    for (let x = 1; top > 0 && x < across; x++) {
      const of = (which: number) => {
        const [left, right] = [(x - 1) * perBlock + which, x * perBlock + which];
        return above[left]! + above[right]! + here[left]! + here[right]!;
      };
      const index = indexOf(of(0), of(1), of(2), of(3), of(4), of(5));
      if (index === null) continue;
      sum += index;
      squares++;
    }
    [above, here] = [here, above];
  }
  return squares ? sum / squares : null;
}
