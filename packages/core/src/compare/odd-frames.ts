import { median } from '../median.ts';
import type { Size } from '../picture/geometry.ts';
import type { FrameSpan } from '../time/span.ts';
import { edgeAt } from './edge-at.ts';
import { shotsIn, type Thumb } from './thumbs.ts';

/** Levels by which a part of a small picture may lie beside the plan's, of 255, more than it usually does around there. */
const leastApart = 16;
/** And by this share of what lies between it and the parts beside it in the plan: what moves is drawn a little elsewhere. */
const asEdges = 0.75;
/** Fewer parts than this share of the picture, and never fewer than the second figure, are what coding made of them. */
const leastShare = 0.003;
const leastParts = 4;
/** What usually lies between the two in a shot is known from so many of its frames. */
const askedOfShot = 25;
/** The plan's frames before and after the one that is shown, which it may be instead: a blend is no other picture. */
const nearby = [-1, 0, 1];

/** How far each part lies beside the nearest of the plan's frames around the one that is shown, signed. */
function apartFrom(own: Thumb, plan: readonly Thumb[], shown: number, into: Float32Array): void {
  const near = nearby.map((by) => plan[shown + by]).filter((planned) => planned !== undefined);
  for (let i = 0; i < into.length; i++) {
    // Nothing that lies between two of them is beside them.
    let [least, most] = [Infinity, -Infinity];
    for (const planned of near) {
      least = Math.min(least, planned[i]!);
      most = Math.max(most, planned[i]!);
    }
    const v = own[i]!;
    into[i] = v > most ? v - most : v < least ? v - least : 0;
  }
}

/** What usually lies between a file and its plan in each part of a shot: the median of some of its frames. */
function usualIn(apart: readonly Float32Array[], cells: number): Float32Array {
  const every = Math.max(1, Math.floor(apart.length / askedOfShot));
  const some = apart.filter((_, i) => i % every === 0);
  const column = new Float32Array(some.length);
  const usual = new Float32Array(cells);
  for (let i = 0; i < cells; i++) {
    for (let k = 0; k < some.length; k++) column[k] = some[k]![i]!;
    usual[i] = median(column)!;
  }
  return usual;
}

/**
 * Frames that show, wholly or in a part, what neither the plan's frame nor the ones beside it show, and what is not there
 * through most of the shot: a flash, a slate, a picture that a decoder broke.
 *
 * @param shows which frame of the plan each frame of the file shows
 * @param blind 1 for frames of which this is not asked: black ones, frozen ones
 * @param size of the small pictures
 */
export function oddFrames(
  file: readonly Thumb[],
  plan: readonly Thumb[],
  shows: Int32Array,
  blind: Uint8Array,
  size: Size,
): FrameSpan[] {
  const cells = size.width * size.height;
  const least = Math.max(leastParts, Math.ceil(cells * leastShare));
  const spans: FrameSpan[] = [];
  const see = (k: number) => {
    const last = spans.at(-1);
    if (last?.to === k) last.to = k + 1;
    else spans.push({ from: k, to: k + 1 });
  };
  for (const { from, to } of shotsIn(plan, shows)) {
    const apart = Array.from({ length: to - from }, (_, i) => {
      const by = new Float32Array(cells);
      apartFrom(file[from + i]!, plan, shows[from + i]!, by);
      return by;
    });
    const usual = usualIn(apart, cells);
    apart.forEach((by, n) => {
      const planned = plan[shows[from + n]!]!;
      let parts = 0;
      for (let i = 0; i < cells; i++) {
        // Beside another shot, what lies over the picture is nearer to that one's frame than it usually is.
        const alone = file[from + n]![i]! - planned[i]! - usual[i]!;
        const away = Math.min(Math.abs(by[i]! - usual[i]!), Math.abs(alone));
        if (away > leastApart && away > leastApart + asEdges * edgeAt(planned, size, i)) parts++;
      }
      if (parts >= least && !blind[from + n]) see(from + n);
    });
  }
  return spans;
}
