import { usualMargin } from '../layers/clear-area.ts';
import type { FrameFraction, Margins, Size } from '../picture/geometry.ts';

/** Height of a caption's letters, by the frame's shorter side (common practice). */
const letterShare = 0.05;
/** From one line to the next, by the letters' size; the plate's rim around them. */
const lineShare = 1.3;
const rimShare = 0.35;
/** A band as wide as this share of the frame is wide enough to stay low and in the middle. */
const wideEnough = 0.6;

/** Where a version's captions stand: a band for two lines, whole even pixels of the frame, and the size of its letters. */
export interface CaptionBand {
  x: number;
  y: number;
  width: number;
  height: number;
  /** Size of the letters, pixels. */
  size: number;
  /** From one line to the next, and around the lines, pixels. */
  leading: number;
  rim: number;
}

/** Interval of the frame's width that no blocked area reaches into, at some height: the widest. */
function freeAcross(
  [left, right]: [number, number],
  [top, bottom]: [number, number],
  blocked: readonly FrameFraction[],
): [number, number] {
  const inTheWay = blocked
    .filter((b) => b.y < bottom && b.y + b.height > top)
    .map((b): [number, number] => [b.x, b.x + b.width])
    .sort((a, b) => a[0] - b[0]);
  let best: [number, number] = [left, left];
  let at = left;
  for (const [from, to] of [...inTheWay, [right, right] as [number, number]]) {
    const end = Math.min(from, right);
    if (end - at > best[1] - best[0]) best = [at, end];
    at = Math.max(at, to);
  }
  return best;
}

/**
 * The band for captions: as low in the clear area as it can be and wide enough, in the middle of the frame where that
 * leaves width enough. Inside the margin and beside every blocked area; null where no area is left that holds two lines.
 */
export function captionBand(
  frame: Size,
  safeMargin: Margins | undefined,
  blocked: readonly FrameFraction[] = [],
): CaptionBand | null {
  const margin = safeMargin ?? usualMargin;
  const size = Math.max(12, Math.round(Math.min(frame.width, frame.height) * letterShare));
  const leading = Math.round(size * lineShare);
  const rim = Math.round(size * rimShare);
  const height = Math.ceil((leading * 2 + rim * 2) / 2) * 2;
  const share = height / frame.height;
  const across: [number, number] = [margin.left, 1 - margin.right];
  const bottoms = [1 - margin.bottom, ...blocked.map((b) => b.y)]
    .filter((bottom) => bottom <= 1 - margin.bottom + 1e-9 && bottom - share >= margin.top - 1e-9)
    .sort((a, b) => b - a);
  let best: { bottom: number; left: number; right: number } | null = null;
  for (const bottom of bottoms) {
    const [left, right] = freeAcross(across, [bottom - share + 1e-9, bottom - 1e-9], blocked);
    const half = Math.min(0.5 - left, right - 0.5);
    // In the middle where that is wide enough; else all of what is free.
    const [from, to] = half * 2 >= wideEnough ? [0.5 - half, 0.5 + half] : [left, right];
    if (!best || to - from > best.right - best.left + 0.05) {
      best = { bottom, left: from, right: to };
      if (to - from >= wideEnough) break;
    }
  }
  if (!best || (best.right - best.left) * frame.width < size * 5) return null;
  const even = (n: number, round: (n: number) => number) => round(n / 2) * 2;
  const x = even(best.left * frame.width + 1e-6, Math.ceil);
  return {
    x,
    y: even(best.bottom * frame.height - height + 1e-6, Math.floor),
    width: even(best.right * frame.width - x + 1e-6, Math.floor),
    height,
    size,
    leading,
    rim,
  };
}
