import * as z from 'zod';
import { clampFraction, keepAt } from '../checks/keeps.ts';
import type { ShotLook, Track } from '../subjects/look.ts';
import { frameSpanSchema } from '../time/span.ts';

const share = z.number();

/** A face that was seen in a film, as captions need it: from when to when, and where it is. Shares of the film's picture. */
export const seenFaceSchema = z.object({
  /** Of the track that it was seen as. */
  id: z.string(),
  span: frameSpanSchema,
  keys: z
    .array(
      z.object({
        at: z.number().int().nonnegative(),
        x: share,
        y: share,
        width: share,
        height: share,
      }),
    )
    .min(1),
});
export type SeenFace = z.infer<typeof seenFaceSchema>;

/** A face that was seen less surely than this, taken over its whole way, moves no caption. */
const leastSure = 0.35;
/** One that is lower than this share of the film's picture is part of the scenery. */
const leastHeight = 0.05;
/** What lies so near its way from the key before to the one after needs no key of its own. */
const slack = 0.008;
/** So many are kept at most: the largest. */
const mostFaces = 2000;

/** Keys without those that the ones beside them tell as well. */
function thinned(keys: SeenFace['keys']): SeenFace['keys'] {
  const kept = [keys[0]!];
  let from = 0;
  for (let to = 2; to < keys.length; to++) {
    const ends = { keys: [keys[from]!, keys[to]!] };
    const isStraight = keys.slice(from + 1, to).every((key) => {
      const there = keepAt(ends, key.at);
      return (['x', 'y', 'width', 'height'] as const).every(
        (side) => Math.abs(there[side] - key[side]) <= slack,
      );
    });
    if (isStraight) continue;
    from = to - 1;
    kept.push(keys[from]!);
  }
  return keys.length > 1 ? [...kept, keys.at(-1)!] : kept;
}

function faceOf({ id, kind, places }: Track): SeenFace[] {
  if (kind !== 'face' || places.length === 0) return [];
  const mean = (of: (place: Track['places'][number]) => number) =>
    places.reduce((sum, place) => sum + of(place), 0) / places.length;
  if (mean((p) => p.sure) < leastSure || mean((p) => p.h) < leastHeight) return [];
  const thousandths = (n: number) => Math.round(n * 1000) / 1000;
  const keys = places.map((p) => {
    const { x, y, width, height } = clampFraction({ x: p.x, y: p.y, width: p.w, height: p.h });
    return {
      at: p.at,
      x: thousandths(x),
      y: thousandths(y),
      width: thousandths(width),
      height: thousandths(height),
    };
  });
  return [{ id, span: { from: keys[0]!.at, to: keys.at(-1)!.at + 1 }, keys: thinned(keys) }];
}

/** What was left of some faces last: the same lists give the same list, so that no plan is made again. */
const left = new WeakMap<readonly SeenFace[], { without: readonly string[]; faces: readonly SeenFace[] }>();

/** Faces without those of which somebody has said that they do not matter, by their ids. */
export function facesThatMatter(
  all: readonly SeenFace[],
  unimportant: readonly string[],
): readonly SeenFace[] {
  if (unimportant.length === 0 || all.length === 0) return all;
  const known = left.get(all);
  if (known?.without === unimportant) return known.faces;
  const gone = new Set(unimportant);
  const faces = all.filter((face) => !gone.has(face.id));
  left.set(all, { without: unimportant, faces });
  return faces;
}

/** The faces that were seen in a film, as they come. */
export function facesSeen(looks: readonly ShotLook[]): SeenFace[] {
  const all = looks.flatMap((look) => look.tracks).flatMap(faceOf);
  if (all.length <= mostFaces) return all;
  const size = ({ keys }: SeenFace) => Math.max(...keys.map((key) => key.height));
  const least = all.map(size).sort((a, b) => b - a)[mostFaces - 1]!;
  return all.filter((face) => size(face) >= least).slice(0, mostFaces);
}
