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

/** How a thing has to be seen: in how many looked-at frames in a row, how clearly, and in how many parts that touch. */
interface Seeing {
  inRow: number;
  /** Levels beyond what is explained. */
  beyond: number;
  parts: number;
}

/**
 * What is faint has to be seen for a while: it may be what coding made of one frame. What is clear and larger may come and
 * go between two looked-at frames. Coding by quality 38 made up to 8 parts in one frame, 8 levels beyond, of our own films.
 */
const lasting: Seeing = { inRow: 3, beyond: 0, parts: 4 };
const clear: Seeing = { inRow: 1, beyond: 15, parts: 9 };

/** A frame that was looked at part by part. */
export interface LookedAt {
  at: number;
  apart: PartsApart | null;
}

/** For each part whether it is lighter, or darker, in enough looked-at frames in a row, and in which. */
function seenParts(all: readonly LookedAt[], cells: Size, { inRow, beyond }: Seeing): Map<number, FrameSpan> {
  const least = Math.min(inRow, all.length);
  const seen = new Map<number, FrameSpan>();
  for (let i = 0; i < cells.width * cells.height; i++) {
    let [sign, from, count] = [0, 0, 0];
    for (const { at, apart } of all) {
      const by = apart?.beyond[i] ?? 0;
      const here = Math.abs(by) > beyond ? Math.sign(by) : 0;
      if (here === 0 || here !== sign) [sign, from, count] = [here, at, 0];
      if (here === 0) continue;
      count++;
      if (count < least) continue;
      const known = seen.get(i);
      seen.set(i, { from: Math.min(from, known?.from ?? from), to: at + 1 });
    }
  }
  return seen;
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

function thingsSeen(all: readonly LookedAt[], cells: Size, seeing: Seeing): Foreign[] {
  const { width, height } = cells;
  const parts = seenParts(all, cells, seeing);
  return groupsOf(parts, cells)
    .filter((group) => group.length >= seeing.parts)
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

const meet = (a: Foreign, b: Foreign): boolean =>
  a.box.x < b.box.x + b.box.width &&
  b.box.x < a.box.x + a.box.width &&
  a.box.y < b.box.y + b.box.height &&
  b.box.y < a.box.y + a.box.height;

/** Where fewer of the looked-at frames than this share can be told, nothing is said of all. */
const leastTold = 0.5;

/**
 * What lies over a file's picture where its plan has nothing: a mark, a word, a slate, a cursor. Null where that cannot be
 * told.
 */
export function foreignParts(all: readonly LookedAt[]): Foreign[] | null {
  const told = all.filter(({ apart }) => apart);
  const cells = told[0]?.apart?.cells;
  if (!cells || told.length < all.length * leastTold) return null;
  const long = thingsSeen(all, cells, lasting);
  const short = thingsSeen(all, cells, clear).filter((thing) => !long.some((other) => meet(thing, other)));
  return [...long, ...short];
}
