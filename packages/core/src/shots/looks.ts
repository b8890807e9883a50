import type { Join } from './find.ts';
import { oneShot, shotsFromCuts, shotSpans, type Shot } from './shots.ts';
import { difference, thumbBytes, thumbHeight, thumbWidth, type Thumb } from './thumb.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, floor, max, min, round, sqrt } = Math;

/** Small pictures of a film, one every few frames, kept to compare shots with each other. */
export interface Thumbnails {
  /** Master frames from one to the next. */
  every: number;
  /** One thumb after the other. */
  data: Uint8Array;
}

/** The small picture nearest to a frame. */
function lookAt(looks: Thumbnails, frame: number): Thumb {
  const count = max(1, floor(looks.data.length / thumbBytes));
  const index = max(0, min(count - 1, round(frame / looks.every)));
  return looks.data.subarray(index * thumbBytes, (index + 1) * thumbBytes);
}

/** Near its start, in its middle and near its end: what a shot looks like. */
function readThumbnails(shot: { from: number; to: number }, looks: Thumbnails): Thumb[] {
  const length = shot.to - shot.from;
  // A little inside, so that neither a dissolve nor a neighbour shows.
  const inset = min(length / 3, looks.every * 2);
  return [shot.from + inset, (shot.from + shot.to) / 2, shot.to - 1 - inset].map((f) => lookAt(looks, f));
}

/** Pictures of one camera position differ in less than this share: the people in it move, the room does not. */
const sameSetup = 0.27;
/** Of all shots before, so many of the likest are compared block by block: 2,000 cuts are grouped in seconds. */
const likeliest = 3;

/** A thumb reduced to 8 × 6 cells a plane, for a first guess at which shots are alike. */
function gist(thumb: Thumb): Float32Array {
  const cells = new Float32Array(8 * 6 * 3);
  for (let plane = 0; plane < 3; plane++) {
    for (let y = 0; y < thumbHeight; y++) {
      for (let x = 0; x < thumbWidth; x++)
        cells[plane * 48 + floor(y / 6) * 8 + (x >> 3)]! +=
          thumb[plane * thumbWidth * thumbHeight + y * thumbWidth + x]! / 48;
    }
  }
  return cells;
}

function gistDistance(a: Float32Array, b: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += abs(a[i]! - b[i]!);
  return sum;
}

/** The nearest that two shots come to each other: like moments, and the end of one against the start of the other. */
function shotDistance(a: readonly Thumb[], b: readonly Thumb[]): number {
  let least = Infinity;
  for (const [i, j] of [
    [1, 1],
    [0, 0],
    [2, 2],
    [0, 2],
  ] as const) {
    least = min(least, difference(a[i]!, b[j]!));
    if (least < sameSetup / 3) break;
  }
  return least;
}

/** Groups shots by the camera position that they were filmed from; setups are numbered in the order they appear. */
export function groupSetups(shots: readonly Shot[], frames: number, looks: Thumbnails): Shot[] {
  const seen: { setup: string; looks: Thumb[]; gist: Float32Array }[] = [];
  let setups = 0;
  return shotSpans(shots, frames).map((span, i) => {
    const own = { looks: readThumbnails(span, looks), gist: gist(lookAt(looks, (span.from + span.to) / 2)) };
    const candidates = seen
      .map((other) => ({ other, far: gistDistance(own.gist, other.gist) }))
      .sort((a, b) => a.far - b.far)
      .slice(0, likeliest);
    let [setup, least] = ['', sameSetup];
    for (const { other } of candidates) {
      const distance = shotDistance(own.looks, other.looks);
      if (distance < least) [setup, least] = [other.setup, distance];
    }
    if (!setup) setup = String(++setups);
    seen.push({ setup, ...own });
    return { ...shots[i]!, setup };
  });
}

/** The shots that a film's joins make, grouped by camera position. */
export function shotsOfJoins(joins: readonly Join[], frames: number, looks: Thumbnails): Shot[] {
  const slow = new Map(
    joins.flatMap((j) => (j.kind === 'cut' ? [] : [[j.frame, { kind: j.kind, span: j.span }] as const])),
  );
  const shots = shotsFromCuts(
    joins.map((j) => j.frame),
    oneShot,
    frames,
  ).map((shot) => {
    const join = slow.get(shot.from);
    return join ? { ...shot, join } : shot;
  });
  return groupSetups(shots, frames, looks);
}

/** Luma of a thumb with brightness and contrast taken out, so that a new grade does not matter. */
function structure(thumb: Thumb): Float32Array {
  const cells = new Float32Array(16 * 9);
  for (let y = 0; y < 36; y++)
    for (let x = 0; x < 64; x++) cells[(y >> 2) * 16 + (x >> 2)]! += thumb[y * 64 + x]!;
  const mean = cells.reduce((a, b) => a + b, 0) / cells.length;
  let norm = 0;
  for (let i = 0; i < cells.length; i++) {
    cells[i]! -= mean;
    norm += cells[i]! ** 2;
  }
  norm = sqrt(norm) || 1;
  return cells.map((c) => c / norm);
}

function correlation(a: Float32Array, b: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += a[i]! * b[i]!;
  return sum;
}

/** Shots less alike than this (correlation of their structure) are not taken for the same. */
const sameShot = 0.8;
/** Shots are not looked for further from their old place than this. */
const furthest = 120;

/**
 * Finds each shot of a new version of a film among the old one's, in order: an alignment of two sequences by how alike
 * their pictures are, as in Needleman and Wunsch (1970), from memory. New and removed shots stay without a match.
 */
export function matchShots(
  oldShots: readonly Shot[],
  oldFrames: number,
  oldLooks: Thumbnails,
  newShots: readonly Shot[],
  newFrames: number,
  newLooks: Thumbnails,
): (number | null)[] {
  const of = (shots: readonly Shot[], frames: number, looks: Thumbnails) =>
    shotSpans(shots, frames).map((span) => ({ span, looks: readThumbnails(span, looks).map(structure) }));
  const [a, b] = [of(oldShots, oldFrames, oldLooks), of(newShots, newFrames, newLooks)];
  const likeness = (i: number, j: number) => {
    const [x, y] = [a[i]!, b[j]!];
    return (
      (correlation(x.looks[0]!, y.looks[0]!) +
        correlation(x.looks[1]!, y.looks[1]!) +
        correlation(x.looks[2]!, y.looks[2]!)) /
      3
    );
  };
  const width = b.length + 1;
  const score = new Float32Array((a.length + 1) * width);
  const step = new Uint8Array((a.length + 1) * width);
  for (let i = 1; i <= a.length; i++) {
    for (let j = 1; j <= b.length; j++) {
      const up = score[(i - 1) * width + j]!;
      const left = score[i * width + j - 1]!;
      let [best, how] = up >= left ? [up, 1] : [left, 2];
      if (abs(i / a.length - j / b.length) * max(a.length, b.length) <= furthest) {
        const like = likeness(i - 1, j - 1);
        const both = score[(i - 1) * width + j - 1]! + like;
        if (like >= sameShot && both > best) [best, how] = [both, 3];
      }
      score[i * width + j] = best;
      step[i * width + j] = how;
    }
  }
  const match = new Array<number | null>(b.length).fill(null);
  for (let i = a.length, j = b.length; i > 0 && j > 0;) {
    const how = step[i * width + j];
    if (how === 3) match[--j] = --i;
    else if (how === 1) i--;
    else j--;
  }
  return match;
}

/** Which frames' thumbs are kept as looks: about five a second. */
export function looksEvery(framesPerSecond: number): number {
  return max(1, round(framesPerSecond / 5));
}
