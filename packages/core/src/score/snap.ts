/**
 * The candidate nearest to a frame, where one is near enough; else the frame itself.
 *
 * @param candidates in ascending order
 * @param within how far away one still draws, frames
 */
export function snapTo(frame: number, candidates: readonly number[], within: number): number {
  let [low, high] = [0, candidates.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (candidates[middle]! < frame) low = middle + 1;
    else high = middle;
  }
  const near = [candidates[low - 1], candidates[low]]
    .filter((c) => c !== undefined)
    .sort((a, b) => Math.abs(a - frame) - Math.abs(b - frame))[0];
  return near !== undefined && Math.abs(near - frame) <= within ? near : frame;
}
