import type { MasterRect } from '../picture/geometry.ts';

/**
 * The part of the master that every one of some windows shows: whatever lies in it survives every crop.
 *
 * @returns null when there are no windows, or none in common
 */
export function commonArea(windows: readonly MasterRect[]): MasterRect | null {
  if (windows.length === 0) return null;
  const left = Math.max(...windows.map((w) => w.x));
  const top = Math.max(...windows.map((w) => w.y));
  const right = Math.min(...windows.map((w) => w.x + w.width));
  const bottom = Math.min(...windows.map((w) => w.y + w.height));
  return right > left && bottom > top ? { x: left, y: top, width: right - left, height: bottom - top } : null;
}
