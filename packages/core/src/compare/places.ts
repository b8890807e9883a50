import type { Layout } from '../framing/framing.ts';
import type { FrameSpan } from '../time/span.ts';
import type { Edges } from './bars.ts';
import type { Comparison } from './comparison.ts';
import { sides } from './edge-lines.ts';
import { foreignParts } from './foreign.ts';
import { gradeOf } from './grade.ts';
import { leastLikeness } from './likeness.ts';
import { placeTolerance, toleranceOf, type Judged } from './judge.ts';

/** Spans from the first to the last of neighbouring samples that are at fault. */
function spansOf(all: readonly Judged[], isFault: (j: Judged) => boolean): FrameSpan[] {
  const spans: FrameSpan[] = [];
  let open = false;
  for (const j of all) {
    const fault = isFault(j);
    if (fault && open) spans.at(-1)!.to = j.at + 1;
    else if (fault) spans.push({ from: j.at, to: j.at + 1 });
    open = fault;
  }
  return spans;
}

/** One sample alone among many that are as they should be is taken for a failure of the measuring. */
const convinces = (faults: number, all: number) => faults >= 2 || (faults === 1 && all <= 2);

type Places = Pick<
  Comparison,
  | 'samples'
  | 'likeness'
  | 'unlike'
  | 'foreign'
  | 'grade'
  | 'colour'
  | 'window'
  | 'shifted'
  | 'bars'
  | 'barred'
>;

/** The worst of a picture's panels; null where none says anything. */
function worstOf({ panels }: Judged, value: 'likeness' | 'colour' | 'off'): number | null {
  const all = panels.flatMap((p) => p[value] ?? []);
  if (!all.length) return null;
  return value === 'likeness' ? Math.min(...all) : Math.max(...all);
}

/** A line along an edge is there in at least so many of the pictures that may have one, and in this share of them. */
const leastWithLine = 3;
const shareWithLine = 0.5;

const hasLine = ({ lines }: Judged): boolean => lines !== null && sides.some((side) => lines[side] > 0);

/** Lines along the edges that a film has all along, delivered pixels; null where it has none. */
function linesOf(all: readonly Judged[]): Edges | null {
  const told = all.flatMap(({ lines }) => lines ?? []);
  const deepIn = (side: keyof Edges) => {
    const deep = told.map((lines) => lines[side]).filter((depth) => depth > 0);
    const enough = Math.max(Math.min(leastWithLine, told.length), told.length * shareWithLine);
    return deep.length && deep.length >= enough ? Math.max(1, Math.round(Math.min(...deep))) : 0;
  };
  const lines = {
    top: deepIn('top'),
    right: deepIn('right'),
    bottom: deepIn('bottom'),
    left: deepIn('left'),
  };
  return sides.some((side) => lines[side] > 0) ? lines : null;
}

/**
 * What some pictures say of a file: whether it is what the plan shows, and which part of the master that is. They come in
 * the order of the file.
 */
export function placesOf(all: readonly Judged[], layouts: readonly Layout[]): Places {
  const tolerance = Math.max(placeTolerance, ...layouts.flatMap(({ panels }) => panels.map(toleranceOf)));
  const worst = (value: (j: Judged) => number | null, worse: (a: number, b: number) => boolean) =>
    all.reduce<{ value: number; at: number } | null>((most, j) => {
      const v = value(j);
      return v !== null && (most === null || worse(v, most.value)) ? { value: v, at: j.at } : most;
    }, null);
  const off = (j: Judged) => worstOf(j, 'off');
  const told = all.filter((j) => off(j) !== null);
  const isShifted = (j: Judged) => (off(j) ?? 0) > tolerance;
  const shifted = told.filter(isShifted);
  const certain = convinces(shifted.length, told.length);
  const furthest = worst(
    (j) => (isShifted(j) && !certain ? null : off(j)),
    (a, b) => a > b,
  );
  const barred = all.filter((j) => j.bars);
  const isBarred = convinces(barred.length, all.length);
  const most = (side: keyof Edges) => Math.round(Math.max(...barred.map((j) => j.bars![side])));
  const lines = isBarred ? null : linesOf(all);
  return {
    samples: all.length,
    likeness: worst(
      (j) => worstOf(j, 'likeness'),
      (a, b) => a < b,
    ),
    unlike: spansOf(all, (j) => (worstOf(j, 'likeness') ?? 1) < leastLikeness),
    foreign: foreignParts(all) ?? undefined,
    grade: gradeOf(
      all.flatMap(({ panels }) => panels.flatMap((p) => ((p.likeness ?? 0) >= leastLikeness ? p.tones : []))),
    ),
    colour: worst(
      (j) => worstOf(j, 'colour'),
      (a, b) => a > b,
    ),
    window: furthest && { ...furthest, tolerance },
    shifted: certain ? spansOf(told, isShifted) : [],
    bars: isBarred
      ? { top: most('top'), right: most('right'), bottom: most('bottom'), left: most('left') }
      : lines,
    barred: isBarred ? spansOf(all, (j) => j.bars !== null) : lines ? spansOf(all, hasLine) : [],
  };
}
