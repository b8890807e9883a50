import type { FrameSpan } from '../time/span.ts';
import { difference, type Thumb } from './thumbs.ts';

/** Luma, limited range: a frame none of whose parts is brighter is black; a plan's frame as bright as the second is not. */
const blackUpTo = 24;
const brightFrom = 34;
/** A plan's frames around the same place are looked at as well, so that a file a little out of step is judged fairly. */
const around = 3;

const brightest = (picture: Thumb): number => {
  let most = 0;
  for (let i = 0; i < picture.length; i++) if (picture[i]! > most) most = picture[i]!;
  return most;
};

/** Runs of frames for which something holds. */
export function runsWhere(flags: ArrayLike<unknown>): FrameSpan[] {
  const runs: FrameSpan[] = [];
  for (let k = 0; k < flags.length; k++) {
    if (!flags[k]) continue;
    const last = runs.at(-1);
    if (last?.to === k) last.to = k + 1;
    else runs.push({ from: k, to: k + 1 });
  }
  return runs;
}

/** Spans in which a file is black and its plan is not. */
export function blackSpans(file: readonly Thumb[], plan: readonly Thumb[]): FrameSpan[] {
  const planned = plan.map(brightest);
  return runsWhere(
    file.map((picture, k) => {
      if (brightest(picture) > blackUpTo) return false;
      const nearby = planned.slice(Math.max(0, k - around), k + around + 1);
      return nearby.length > 0 && nearby.every((light) => light >= brightFrom);
    }),
  );
}

/** A file stands still as long as it differs no more than this from where it stood, root of the mean square. */
const standing = 0.8;
/** And its plan moves when it differs by so much, and by so many times what the file does. */
const moving = 0.8;
const times = 4;

/** Spans of at least `least` frames in which a file stands still and its plan does not. */
export function frozenSpans(file: readonly Thumb[], plan: readonly Thumb[], least: number): FrameSpan[] {
  const spans: FrameSpan[] = [];
  for (let from = 0; from + least <= file.length;) {
    let to = from + 1;
    let still = 0;
    for (; to < file.length; to++) {
      const moved = Math.sqrt(difference(file[to]!, file[from]!));
      if (moved > standing) break;
      still = Math.max(still, moved);
    }
    // Every part of it long enough has to move in the plan: one leap at its edge may lie beside it.
    const inside = plan.slice(from + around, Math.max(from + around + 1, to - around));
    const moved = inside.length
      ? Math.sqrt(Math.max(...inside.map((picture) => difference(picture, inside[0]!))))
      : 0;
    if (to - from >= least && moved >= Math.max(moving, times * still)) {
      spans.push({ from, to });
      from = to;
    } else from++;
  }
  return spans;
}
