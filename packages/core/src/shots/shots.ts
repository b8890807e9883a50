import * as z from 'zod';
import { frameSpanSchema, type FrameSpan } from '../time/span.ts';

/**
 * A shot of a master: it runs from its first frame until the next shot starts. `setup` names the camera position that
 * it was filmed from; shots of one setup can share a framing. `join` says how it comes in, where that is not a hard cut.
 */
export const shotSchema = z.object({
  from: z.number().int().nonnegative(),
  setup: z.string().min(1).max(40),
  join: z.object({ kind: z.enum(['dissolve', 'fade']), span: frameSpanSchema }).optional(),
});
export type Shot = z.infer<typeof shotSchema>;

/** Shots that a film has at most: one every few frames of a long one. */
export const mostShots = 20_000;

/** All shots of a master, in order; the first starts at frame 0. */
export const shotsSchema = z
  .array(shotSchema)
  .min(1)
  .max(mostShots)
  .refine((shots) => shots[0]?.from === 0, 'the first shot starts at frame 0')
  .refine((shots) => shots.every((s, i) => i === 0 || s.from > shots[i - 1]!.from), 'shots come in order');

/** A film that nobody has cut yet: one shot, one setup. */
export const oneShot: readonly Shot[] = [{ from: 0, setup: '1' }];

/** The frames of each shot. */
export function shotSpans(shots: readonly Shot[], frames: number): FrameSpan[] {
  return shots.map((shot, i) => ({
    from: shot.from,
    to: shots[i + 1]?.from ?? Math.max(frames, shot.from + 1),
  }));
}

/** The frame that a span is shown by. */
export const middleOfSpan = ({ from, to }: FrameSpan): number => Math.floor((from + to) / 2);

/** Index of the shot that a frame belongs to. */
export function shotIndexAt(shots: readonly { from: number }[], frame: number): number {
  let low = 0;
  let high = shots.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (shots[middle]!.from <= frame) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** Cuts a shot in two at a frame; both halves keep its setup. A cut that is there already changes nothing. */
export function addShotBoundary(shots: readonly Shot[], frame: number): Shot[] {
  const index = shotIndexAt(shots, frame);
  const shot = shots[index]!;
  if (shot.from === frame) return [...shots];
  return [...shots.slice(0, index + 1), { from: frame, setup: shot.setup }, ...shots.slice(index + 1)];
}

/** Moves the cut at the start of a shot; it stays between its neighbours and inside the film. The first cannot move. */
export function moveShotBoundary(
  shots: readonly Shot[],
  index: number,
  frame: number,
  frames: number,
): Shot[] {
  const shot = shots[index];
  if (!shot || index === 0) return [...shots];
  const low = shots[index - 1]!.from + 1;
  const high = (shots[index + 1]?.from ?? frames) - 1;
  const from = Math.max(low, Math.min(high, frame));
  return shots.map((s, i) => (i === index ? { from, setup: s.setup } : s));
}

/** Joins a shot to the one before it. */
export function removeShotBoundary(shots: readonly Shot[], index: number): Shot[] {
  return index === 0 ? [...shots] : shots.filter((_, i) => i !== index);
}

/** Puts a shot into a setup. */
export function withSetup(shots: readonly Shot[], index: number, setup: string): Shot[] {
  return shots.map((s, i) => (i === index ? { ...s, setup } : s));
}

/** A setup's name that no shot carries yet: the lowest free number. */
export function freeSetup(shots: readonly Shot[]): string {
  const used = new Set(shots.map((s) => s.setup));
  for (let n = 1; ; n++) if (!used.has(String(n))) return String(n);
}

/** Shots that start at given frames, with the setups that those frames had before. Frames outside the film are left out. */
export function shotsFromCuts(cuts: readonly number[], before: readonly Shot[], frames: number): Shot[] {
  const starts = [...new Set([0, ...cuts.map((c) => Math.round(c))])]
    .filter((c) => c >= 0 && c < frames)
    .sort((a, b) => a - b);
  return starts.map((from) => {
    const old = before[shotIndexAt(before, from)]!;
    return { from, setup: old.setup, ...(old.from === from && old.join ? { join: old.join } : {}) };
  });
}
