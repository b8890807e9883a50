import type { FrameSpan } from '../time/span.ts';

/** What of a span is dragged along a score: an end of it, or all of it. */
export type SpanPart = 'start' | 'end' | 'whole';

/**
 * Where a span comes to that is dragged: never shorter than a frame, never outside the film. All of it is drawn to
 * whatever either of its ends is near to, the nearer one first.
 *
 * @param by frames from where it was when the drag began; not whole ones
 * @param snap a frame, or what is near enough to draw it
 */
export function draggedSpan(
  { from, to }: FrameSpan,
  part: SpanPart,
  by: number,
  { frames, snap }: { frames: number; snap: (frame: number) => number },
): FrameSpan {
  const drawn = (frame: number) => Math.round(snap(frame));
  if (part === 'start') return { from: Math.min(Math.max(drawn(from + by), 0), to - 1), to };
  if (part === 'end') return { from, to: Math.max(Math.min(drawn(to + by), frames), from + 1) };
  const [atStart, atEnd] = [snap(from + by) - (from + by), snap(to + by) - (to + by)];
  const byStart = atEnd === 0 || (atStart !== 0 && Math.abs(atStart) <= Math.abs(atEnd));
  const start = Math.round(from + by + (byStart ? atStart : atEnd));
  const length = to - from;
  const kept = Math.min(Math.max(start, 0), Math.max(0, frames - length));
  return { from: kept, to: kept + length };
}
