import type { FrameSpan } from '../time/span.ts';

/** The part of a film that the score shows, in master frames; ends need not be whole. */
export interface ScoreView {
  from: number;
  to: number;
}

/** A frame is never drawn wider than this, screen pixels: single frames can be hit, and no wider serves nobody. */
const widestFrame = 24;

/** The whole film. */
export const wholeFilm = (frames: number): ScoreView => ({ from: 0, to: Math.max(1, frames) });

/** A view of some length, moved inside the film. */
function inside(from: number, length: number, frames: number): ScoreView {
  const all = Math.max(1, frames);
  const fits = Math.min(length, all);
  const start = Math.max(0, Math.min(all - fits, from));
  return { from: start, to: start + fits };
}

/** The shortest view of a film on a score of some width. */
const shortest = (frames: number, width: number): number =>
  Math.min(Math.max(1, frames), Math.max(1, width) / widestFrame);

/**
 * Zooms about a frame, which stays where it is on the screen.
 *
 * @param factor above 1 shows less of the film, larger
 * @param width of the score, screen pixels
 */
export function zoomedAt(
  view: ScoreView,
  frame: number,
  factor: number,
  frames: number,
  width: number,
): ScoreView {
  const length = view.to - view.from;
  const next = Math.max(shortest(frames, width), Math.min(Math.max(1, frames), length / factor));
  const share = Math.max(0, Math.min(1, (frame - view.from) / length));
  return inside(frame - share * next, next, frames);
}

/** Moves the view along by so many frames. */
export const panned = (view: ScoreView, by: number, frames: number): ScoreView =>
  inside(view.from + by, view.to - view.from, frames);

/** A span with a little of what is beside it. */
export function viewOf(span: FrameSpan, frames: number, width: number): ScoreView {
  const length = span.to - span.from;
  const next = Math.max(shortest(frames, width), length * 1.08);
  return inside(span.from - (next - length) / 2, next, frames);
}

/** How far into the view the head comes when the view turns over to it. */
const turnedTo = 0.1;

/** The view with a frame in it: unchanged while it is, and turned over like a page where it is not. */
export function withFrame(view: ScoreView, frame: number, frames: number): ScoreView {
  if (frame >= view.from && frame < view.to) return view;
  const length = view.to - view.from;
  return inside(frame - length * turnedTo, length, frames);
}
