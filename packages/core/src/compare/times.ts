import type { FrameSpan } from '../time/span.ts';
import { fps, type Rate } from '../time/rate.ts';
import type { Size } from '../picture/geometry.ts';
import type { Comparison } from './comparison.ts';
import { alikeness, lineUp } from './line-up.ts';
import { oddFrames } from './odd-frames.ts';
import { blackSpans, frozenSpans } from './spans.ts';
import type { Thumb } from './thumbs.ts';

/** A picture that stands still for so long is frozen; a shorter time, it is repeated. Seconds. */
const frozenSeconds = 0.4;
/** Less alike than this, correlation, and which frame is which cannot be told. */
const leastAlike = 0.9;
/** A cell is covered when it stands still in the file, spread, and moves in the plan. */
const still = 0.6;
const moves = 2;
/** More cells than this share are not covered: the film itself stands still. */
const mostCovered = 0.6;

/** What of a film's time is not as planned, and which frame of the plan each frame of the file shows. */
export interface Times extends Pick<Comparison, 'black' | 'frozen' | 'repeated' | 'missing' | 'odd'> {
  shows: Int32Array;
}

const touches = (spans: readonly FrameSpan[], from: number, to: number, slack: number): boolean =>
  spans.some((s) => s.from - slack < to && s.to + slack > from);

/** How much each cell of some pictures varies over the film: its spread. */
function spreads(pictures: readonly Thumb[]): Float64Array {
  const cells = pictures[0]?.length ?? 0;
  const [sum, squares] = [new Float64Array(cells), new Float64Array(cells)];
  for (const picture of pictures)
    for (let i = 0; i < cells; i++) {
      const v = picture[i]!;
      sum[i]! += v;
      squares[i]! += v * v;
    }
  return sum.map((s, i) =>
    Math.sqrt(Math.max(0, squares[i]! / pictures.length - (s / pictures.length) ** 2)),
  );
}

/** Cells over which something lies in the file, such as bars: they would hide that what is beside them moves. */
function uncovered(file: readonly Thumb[], plan: readonly Thumb[]): number[] | null {
  const [own, planned] = [spreads(file), spreads(plan)];
  const free = [...own.keys()].filter((i) => own[i]! >= still || planned[i]! <= moves);
  return free.length === own.length || free.length < own.length * (1 - mostCovered) ? null : free;
}

/** Some cells of pictures, or all of them; always in the same kind of array, which is several times quicker to go through. */
function cellsOf(pictures: readonly Thumb[], cells: readonly number[] | null): Thumb[] {
  return pictures.map((picture) => {
    if (!cells) return new Float32Array(picture);
    const some = new Float32Array(cells.length);
    for (let i = 0; i < cells.length; i++) some[i] = picture[cells[i]!]!;
    return some;
  });
}

/**
 * Compares two films frame by frame by small pictures of all their frames.
 *
 * @param size of the small pictures
 */
export function compareTimes(
  allFile: readonly Thumb[],
  allPlan: readonly Thumb[],
  rate: Rate,
  size: Size,
): Times {
  const black = blackSpans(allFile, allPlan);
  const cells = uncovered(allFile, allPlan);
  const [file, plan] = [cellsOf(allFile, cells), cellsOf(allPlan, cells)];
  const least = Math.max(4, Math.round(frozenSeconds * fps(rate)));
  const outside = frozenSpans(file, plan, least).filter((s) => !touches(black, s.from, s.to, 0));
  const explained = [...black, ...outside];
  const blind = new Uint8Array(file.length);
  for (const { from, to } of explained) blind.fill(1, from, to);
  const { shows, held, missing } = lineUp(file, plan, blind);
  if (alikeness(file, plan, shows, blind) < leastAlike)
    return {
      shows: Int32Array.from(file, (_, k) => Math.min(k, plan.length - 1)),
      black,
      frozen: null,
      repeated: null,
      missing: null,
    };
  // What a black or frozen span covers cannot be told apart any further.
  const free = held.filter((s) => !touches(explained, s.from, s.to, 2));
  const frozen = [...outside, ...free.filter((s) => s.to - s.from >= least)].sort((a, b) => a.from - b.from);
  // Frames beside what is told by a line of its own may show what no frame around them does.
  const told = [...black, ...frozen, ...free, ...missing.map(({ at }) => ({ from: at, to: at + 1 }))];
  for (const { from, to } of told) blind.fill(1, Math.max(0, from - 2), to + 2);
  return {
    shows,
    odd: oddFrames(allFile, allPlan, shows, blind, size),
    black,
    frozen,
    repeated: free.filter((s) => s.to - s.from < least),
    missing: missing.filter((m) => !touches([...explained, ...frozen], m.at, m.at + 1, 2)),
  };
}
