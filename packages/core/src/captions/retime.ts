import { paceValue, type Played } from '../edits/cut.ts';
import type { Cue } from '../interchange/captions.ts';
import { frameToSeconds, type Rate } from '../time/rate.ts';

/** Pieces of one cue that play on within so much, seconds, are one: rounding, and no gap. */
const together = 0.002;

/**
 * Cues as they play in a cut: what is cut away is left out, what is cut through is clipped, and a pace brings all of it
 * nearer. A cue out of whose middle something is cut goes on over the cut; one whose parts play apart is shown twice.
 *
 * @param rate the master's, by which the kept frames are counted
 */
export function retimeCues(
  cues: readonly Cue[],
  { kept, pace }: Pick<Played, 'kept' | 'pace'>,
  rate: Rate,
): Cue[] {
  const speed = paceValue(pace);
  const pieces: (Cue & { of: number })[] = [];
  let before = 0;
  for (const span of kept) {
    const [from, to] = [frameToSeconds(span.from, rate), frameToSeconds(span.to, rate)];
    cues.forEach((cue, of) => {
      const [first, last] = [Math.max(cue.from, from), Math.min(cue.to, to)];
      // Less than half a frame of it is none.
      if (last - first < frameToSeconds(0.5, rate)) return;
      const piece = { from: (before + first - from) / speed, to: (before + last - from) / speed };
      const joins = pieces.findLast((p) => p.of === of && Math.abs(p.to - piece.from) < together);
      if (joins) joins.to = piece.to;
      else pieces.push({ ...piece, lines: cue.lines, of });
    });
    before += to - from;
  }
  return pieces.sort((a, b) => a.from - b.from).map(({ from, to, lines }) => ({ from, to, lines }));
}

/** A cue in frames of the delivered film: the first that shows it, and the first that does not any more. */
export interface FrameCue {
  from: number;
  to: number;
  lines: string[];
}

/** Cues to the nearest frame of the delivered film; ones shorter than a frame take one. */
export function cuesInFrames(cues: readonly Cue[], rate: Rate, frames: number): FrameCue[] {
  const at = (seconds: number) => Math.round((seconds * rate.num) / rate.den);
  const placed: FrameCue[] = [];
  for (const { from, to, lines } of cues) {
    const first = Math.max(at(from), placed.at(-1)?.to ?? 0);
    const last = Math.min(frames, Math.max(at(to), first + 1));
    if (first < last) placed.push({ from: first, to: last, lines });
  }
  return placed;
}
