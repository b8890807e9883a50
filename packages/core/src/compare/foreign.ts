import type { Size } from '../picture/geometry.ts';
import type { FrameSpan } from '../time/span.ts';
import type { PartsApart } from './parts-apart.ts';

/** Something that lies over a file's picture and that its plan has not. */
export interface Foreign {
  /** From the first of the frames that were looked at and show it to the last. */
  span: FrameSpan;
  /** In fractions of the frame. */
  box: { x: number; y: number; width: number; height: number };
}

/** Seen in fewer of the looked-at frames in a row than this, it may be what coding made of one of them. */
const leastInRow = 3;
/** Fewer parts than this that touch each other are no thing. */
const leastParts = 4;

/** A frame that was looked at part by part. */
export interface LookedAt {
  at: number;
  apart: PartsApart | null;
}

/** For each part whether it is lighter, or darker, in enough looked-at frames in a row, and in which. */
function lastingParts(all: readonly LookedAt[], cells: Size): Map<number, FrameSpan> {
  const least = Math.min(leastInRow, all.length);
  const lasting = new Map<number, FrameSpan>();
  for (let i = 0; i < cells.width * cells.height; i++) {
    let [sign, from, count] = [0, 0, 0];
    for (const { at, apart } of all) {
      const here = Math.sign(apart?.beyond[i] ?? 0);
      if (here === 0 || here !== sign) [sign, from, count] = [here, at, 0];
      if (here === 0) continue;
      count++;
      if (count < least) continue;
      const known = lasting.get(i);
      lasting.set(i, { from: Math.min(from, known?.from ?? from), to: at + 1 });
    }
  }
  return lasting;
}

/** Groups of parts that touch, corners too. */
function groupsOf(parts: ReadonlyMap<number, FrameSpan>, { width }: Size): number[][] {
  const left = new Set(parts.keys());
  const groups: number[][] = [];
  for (const first of parts.keys()) {
    if (!left.delete(first)) continue;
    const group = [first];
    for (const part of group)
      for (const dy of [-1, 0, 1])
        for (const dx of [-1, 0, 1]) {
          const x = (part % width) + dx;
          const next = part + dy * width + dx;
          if (x >= 0 && x < width && left.delete(next)) group.push(next);
        }
    groups.push(group);
  }
  return groups;
}

/** What lies over a file's picture where its plan has nothing: a mark, a word, a bug in a corner, lasting for a while. */
export function foreignParts(all: readonly LookedAt[]): Foreign[] {
  const cells = all.find(({ apart }) => apart)?.apart?.cells;
  if (!cells) return [];
  const { width, height } = cells;
  const parts = lastingParts(all, cells);
  return groupsOf(parts, cells)
    .filter((group) => group.length >= leastParts)
    .map((group) => {
      const spans = group.map((part) => parts.get(part)!);
      const [xs, ys] = [group.map((part) => part % width), group.map((part) => Math.floor(part / width))];
      const [x, y] = [Math.min(...xs), Math.min(...ys)];
      return {
        span: {
          from: Math.min(...spans.map(({ from }) => from)),
          to: Math.max(...spans.map(({ to }) => to)),
        },
        box: {
          x: x / width,
          y: y / height,
          width: (Math.max(...xs) + 1 - x) / width,
          height: (Math.max(...ys) + 1 - y) / height,
        },
      };
    });
}
