import type { Version } from '@mivvy/api';

/** Screen pixels for a delivered pixel: the largest that is tried, and the smallest. */
const largestScale = 228 / 1080;
const smallestScale = 150 / 1080;
/** Room that a proof needs around it: the gap to the next, the words under it, and the least width that these take. */
const proofGap = 22;
const wordsHeight = 96;
export const wordsWidth = 118;

/** Size of a proof on the sheet, in its true relative size unless it would take half the sheet. */
export function proofSize(version: Version, scale: number): { width: number; height: number } {
  const frame = version.placement?.frame ?? { width: 1080, height: 1080 };
  const k = Math.min(scale, 440 / frame.width, 440 / frame.height);
  return { width: Math.round(frame.width * k), height: Math.round(frame.height * k) };
}

/** The largest common scale at which the fullest row fits the room, so that a sheet is seen whole where it can be. */
export function fittingScale(rows: readonly (readonly Version[])[], width: number, height: number): number {
  const fullest = rows.reduce<readonly Version[]>((a, b) => (b.length > a.length ? b : a), []);
  for (let scale = largestScale; scale > smallestScale; scale -= 4 / 1080) {
    let [x, total, line] = [0, 0, 0];
    for (const version of fullest) {
      const size = proofSize(version, scale);
      const wide = Math.max(size.width, wordsWidth);
      if (x > 0 && x + wide > width) {
        total += line + proofGap;
        [x, line] = [0, 0];
      }
      x += wide + proofGap;
      line = Math.max(line, size.height + wordsHeight);
    }
    if (total + line <= height) return scale;
  }
  return smallestScale;
}
