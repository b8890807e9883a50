// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, max, min, sqrt } = Math;
/**
 * A picture reduced to 64 × 36: luma, then the two colour differences, each a plane of bytes. Small enough that a whole
 * film is looked at many times faster than it plays, large enough that a head against a wall is still several blocks.
 */
export const thumbWidth = 64;
export const thumbHeight = 36;
export const thumbPlane = thumbWidth * thumbHeight;
export const thumbBytes = thumbPlane * 3;
export type Thumb = Uint8Array;

/** Average luma of a thumb, 0 to 255. */
export function meanLuma(thumb: Thumb): number {
  let sum = 0;
  for (let i = 0; i < thumbPlane; i++) sum += thumb[i]!;
  return sum / thumbPlane;
}

/** Standard deviation of a thumb's luma: near 0 for a flat field such as black or a white flash. */
export function spreadLuma(thumb: Thumb, mean = meanLuma(thumb)): number {
  let sum = 0;
  for (let i = 0; i < thumbPlane; i++) sum += (thumb[i]! - mean) ** 2;
  return sqrt(sum / thumbPlane);
}

/** Average absolute difference of two thumbs over all planes, 0 to 255. */
export function plainDifference(a: Thumb, b: Thumb): number {
  let sum = 0;
  for (let i = 0; i < thumbBytes; i++) sum += abs(a[i]! - b[i]!);
  return sum / thumbBytes;
}

/** Blocks of 8 × 6 pixels; every block looks for itself in the other picture up to this far away. */
const blockWidth = 8;
const blockHeight = 6;
const reach = 4;

/** Of each plane of a thumb, its sums over every rectangle that starts in the corner: a block's mean costs four look-ups. */
export type ThumbSums = readonly [Int32Array, Int32Array, Int32Array];

/** Taken once for a thumb that is held against several. */
export const sumsOf = (thumb: Thumb): ThumbSums => [
  planeSums(thumb, 0),
  planeSums(thumb, 1),
  planeSums(thumb, 2),
];

const sumsWidth = thumbWidth + 1;

function planeSums(thumb: Thumb, plane: number): Int32Array {
  const sums = new Int32Array(sumsWidth * (thumbHeight + 1));
  for (let y = 0; y < thumbHeight; y++) {
    let row = 0;
    for (let x = 0; x < thumbWidth; x++) {
      row += thumb[plane * thumbPlane + y * thumbWidth + x]!;
      const at = y * sumsWidth + x + 1;
      sums[at + sumsWidth] = sums[at]! + row;
    }
  }
  return sums;
}

const blockCount = blockWidth * blockHeight;

function blockMean(sums: Int32Array, x: number, y: number): number {
  const top = y * sumsWidth + x;
  const bottom = top + blockHeight * sumsWidth;
  return (sums[bottom + blockWidth]! - sums[top + blockWidth]! - sums[bottom]! + sums[top]!) / blockCount;
}

/** Ways to look for a block, the shortest first: what has not moved is found at once, and nothing else is looked at. */
const ways = Array.from({ length: (2 * reach + 1) ** 2 }, (_, i) => ({
  dx: (i % (2 * reach + 1)) - reach,
  dy: Math.floor(i / (2 * reach + 1)) - reach,
})).sort((one, other) => one.dx ** 2 + one.dy ** 2 - other.dx ** 2 - other.dy ** 2);
const wayX = Int8Array.from(ways, ({ dx }) => dx);
const wayY = Int8Array.from(ways, ({ dy }) => dy);

/**
 * How much of a picture cannot be found in another one, 0 to 1: each block is looked for nearby (so neither a moving
 * subject nor a shaking camera counts), less its own brightness (so neither does a flicker), and what is left over is
 * held against the block's own contrast.
 */
export function unmatchedShare(a: Thumb, b: Thumb, sumsA = sumsOf(a), sumsB = sumsOf(b)): number {
  let unmatched = 0;
  for (let y = 0; y < thumbHeight; y += blockHeight) {
    for (let x = 0; x < thumbWidth; x += blockWidth) unmatched += unmatchedBlock(a, b, sumsA, sumsB, x, y);
  }
  return (unmatched * blockCount) / thumbPlane;
}

/** The same looked for both ways: what has gone counts like what has come. */
export function difference(a: Thumb, b: Thumb, sumsA = sumsOf(a), sumsB = sumsOf(b)): number {
  return (unmatchedShare(a, b, sumsA, sumsB) + unmatchedShare(b, a, sumsB, sumsA)) / 2;
}

function unmatchedBlock(
  a: Thumb,
  b: Thumb,
  sumsA: ThumbSums,
  sumsB: ThumbSums,
  x0: number,
  y0: number,
): number {
  const meanA = blockMean(sumsA[0], x0, y0);
  const meanU = blockMean(sumsA[1], x0, y0);
  const meanV = blockMean(sumsA[2], x0, y0);
  let contrast = 0;
  for (let y = 0; y < blockHeight; y++)
    for (let x = 0; x < blockWidth; x++) contrast += abs(a[(y0 + y) * thumbWidth + x0 + x]! - meanA);
  // A flat block that finds a flat one is matched; a busy one must be found to within a part of its contrast.
  const allowed = 3 + (contrast / blockCount) * 0.55;

  let best = Infinity;
  for (let way = 0; way < wayX.length; way++) {
    const left = x0 + wayX[way]!;
    const top = y0 + wayY[way]!;
    if (left < 0 || top < 0 || left > thumbWidth - blockWidth || top > thumbHeight - blockHeight) continue;
    const shift = blockMean(sumsB[0], left, top) - meanA;
    // Structure first, colour beside it, and a change of brightness only a little.
    const colour =
      (abs(blockMean(sumsB[1], left, top) - meanU) + abs(blockMean(sumsB[2], left, top) - meanV)) * 0.8 +
      max(0, abs(shift) - 12) * 0.35;
    const enough = (best - colour) * blockCount;
    if (enough <= 0) continue;
    let residue = 0;
    for (let y = 0; y < blockHeight && residue < enough; y++) {
      const rowA = (y0 + y) * thumbWidth + x0;
      const rowB = (top + y) * thumbWidth + left;
      for (let x = 0; x < blockWidth; x++) residue += abs(b[rowB + x]! - a[rowA + x]! - shift);
    }
    if (residue < enough) best = residue / blockCount + colour;
    if (best <= allowed * 0.5) return 0;
  }
  return min(1, max(0, (best - allowed * 0.5) / allowed));
}
