import * as z from 'zod';
import type { Size } from '../picture/geometry.ts';
import { cameraThrough } from './camera.ts';
import { followBox, type BoxAt, type FollowWorld } from './follow-box.ts';
import { Grounds, partsOf, type Part } from './ground.ts';
import { plainName, tellApart } from './names.ts';
import { overlaysIn } from './overlays.ts';
import { insidePicture, overlapShare, sharedArea, type LookBox, type LookPicture } from './picture.ts';
import { standingOut } from './stand-out.ts';
import {
  movingTracks,
  smoothTrack,
  subjectKinds,
  withoutPieces,
  withSights,
  type RawTrack,
  type Sight,
} from './tracks.ts';

const { abs, hypot, max, min, round, sqrt } = Math;

/** A subject's box at a master frame, in [0,1] of the displayed master: left, top, width, height; and how sure it is, 0 to 1. */
export const trackedBoxSchema = z.object({
  at: z.number().int().nonnegative(),
  x: z.number(),
  y: z.number(),
  w: z.number().positive(),
  h: z.number().positive(),
  sure: z.number().min(0).max(1),
});
export type TrackedBox = z.infer<typeof trackedBoxSchema>;

/** A subject with an identity through a shot. Between places it moves in straight lines. */
export const trackSchema = z.object({
  /** Its own within the film. */
  id: z.string().min(1).max(40),
  kind: z.enum(subjectKinds),
  name: z.string().min(1).max(60),
  places: z.array(trackedBoxSchema).min(1).max(60_000),
  /** Of a face: which way it is turned, -1 (to the picture's left) to 1 (to its right); missing where it is not known. */
  turned: z.number().min(-1).max(1).optional(),
});
export type Track = z.infer<typeof trackSchema>;

const overlaySchema = z.object({
  x: z.number(),
  y: z.number(),
  width: z.number().positive(),
  height: z.number().positive(),
  from: z.number().int().nonnegative(),
  to: z.number().int().positive(),
});

/** What was seen in a shot. Frames are the master's. */
export const shotLookSchema = z.object({
  from: z.number().int().nonnegative(),
  to: z.number().int().positive(),
  /** What the camera does, as far as it can be told. */
  camera: z.enum(['still', 'moves', 'unclear']),
  /** Water, a crowd, confetti: so much moves that movement says nothing. */
  everythingMoves: z.boolean(),
  tracks: z.array(trackSchema),
  /** Titles, logos and lower thirds: still over the picture, in [0,1] of the master. */
  overlays: z.array(overlaySchema),
});
export type ShotLook = z.infer<typeof shotLookSchema>;

/** A shot in the form that it is gone through: every so manyth picture, small. */
export interface ShotPictures {
  /** Master frame of the first picture, and frames from one picture to the next. */
  from: number;
  step: number;
  /** First master frame after the shot. */
  to: number;
  pictures: readonly LookPicture[];
  size: Size;
  perSecond: number;
}

/** Below this no pixel is said to stand out from the ground, and a noisy picture asks for more. */
const leastLevel = 22;

/** The level above which pixels stand out: well above what the whole picture differs by. */
function levelOf(map: Uint8Array): number {
  const counts = new Uint32Array(256);
  for (const v of map) counts[v]!++;
  let [seen, at] = [0, 0];
  while (at < 255 && seen + counts[at]! < map.length * 0.6) seen += counts[at++]!;
  return max(leastLevel, at * 3.2 + 8);
}

/** A shot readied for following: what a box drawn by hand needs as well. */
function worldOf(shot: ShotPictures): {
  world: FollowWorld;
  unclear: number;
  map: (at: number) => Uint8Array;
} {
  const { path, unclear } = cameraThrough(shot.pictures, shot.size);
  const grounds = new Grounds(shot.pictures, path, shot.size);
  const maps = new Map<number, Uint8Array>();
  const map = (at: number) => {
    let found = maps.get(at);
    if (!found) {
      found = grounds.standsOut(at);
      if (maps.size > 600) maps.delete(maps.keys().next().value!);
      maps.set(at, found);
    }
    return found;
  };
  return {
    world: { pictures: shot.pictures, size: shot.size, path, standsOut: map, perSecond: shot.perSecond },
    unclear,
    map,
  };
}

/** What catches the eye in a shot and neither moves by itself nor is known to the detector: by colour and contrast. */
function salientTrack(
  shot: ShotPictures,
  world: FollowWorld,
  taken: readonly RawTrack[],
  overlaid: (box: LookBox, at: number) => boolean,
): RawTrack | null {
  const { pictures, size } = shot;
  const n = pictures.length;
  const looks = [...new Set([0.15, 0.35, 0.5, 0.65, 0.85].map((t) => min(n - 1, round(t * (n - 1)))))];
  const seen = looks.map((at) => {
    const parts = standingOut(pictures[at]!, size)
      .slice(0, 4)
      .map((part) => ({ part }));
    return { at, parts };
  });
  const start = seen[looks.length >> 1]!;
  for (const { part } of start.parts) {
    if (overlaid(part, start.at)) continue;
    if (taken.some((t) => t.boxes.some((b) => b.at === start.at && overlapShare(b.box, part) > 0.4)))
      continue;
    const from: BoxAt = {
      at: start.at,
      box: { x: part.x, y: part.y, width: part.width, height: part.height },
      sure: 0.6,
    };
    const boxes = [...followBox(world, from, -1).reverse(), from, ...followBox(world, from, 1)].map((b) => ({
      ...b,
      sure: b.sure * 0.75,
    }));
    if (boxes.length < n * 0.5) continue;
    // Whatever it does, it must catch the eye wherever it has gone.
    const again = seen.filter(({ at, parts }) => {
      const here = boxes[at - boxes[0]!.at]?.box;
      return (
        here &&
        parts.some(
          (p) => sharedArea(p.part, here) > 0.4 * min(p.part.width * p.part.height, here.width * here.height),
        )
      );
    });
    if (again.length >= seen.length * 0.6) return { kind: 'thing', what: '', boxes, colour: part.colour };
  }
  return null;
}

/** At most so many subjects are told of in a shot: the most plainly seen. */
const mostTracks = 8;

/**
 * Looks at one shot: the camera's movement is worked out and taken out, what moves by itself is joined to subjects,
 * what the detector saw is brought together with them, and what lies still over the picture is told apart.
 *
 * @param sights what the detector saw, if there is one; `at` counts the shot's pictures, boxes are look pixels
 * @param idAs starts the ids of the subjects, so that they are their own within the film
 */
export function lookAtShot(shot: ShotPictures, sights: readonly Sight[], idAs: string): ShotLook {
  const { pictures, size } = shot;
  const look: ShotLook = {
    from: shot.from,
    to: shot.to,
    camera: 'still',
    everythingMoves: false,
    tracks: [],
    overlays: [],
  };
  if (pictures.length < 2) return look;
  const { world, unclear, map } = worldOf(shot);
  const last = world.path.at(-1)!;
  const travelled = max(
    ...world.path.map((m) => hypot(m.dx, m.dy)),
    abs(hypot(last.a, last.b) - 1) * size.width,
  );
  look.camera = unclear > pictures.length * 0.4 ? 'unclear' : travelled > 1.5 ? 'moves' : 'still';

  const overlays = overlaysIn(pictures, world.path, size, shot.perSecond);
  const overlaid = (box: LookBox, at: number) =>
    overlays.some(
      (o) => at >= o.from - 8 && at < o.to + 8 && sharedArea(o.box, box) > 0.6 * box.width * box.height,
    );
  // A title's letters stand out from the ground as well; whoever walks behind them is not made larger by them.
  const withoutOverlays = (standing: Uint8Array, at: number): Uint8Array => {
    const over = overlays.filter((o) => at >= o.from - 8 && at < o.to + 8);
    if (!over.length) return standing;
    const out = Uint8Array.from(standing);
    for (const { box } of over)
      for (let y = box.y; y < box.y + box.height; y++)
        out.fill(0, y * size.width + box.x, y * size.width + min(size.width, box.x + box.width));
    return out;
  };
  const picture = size.width * size.height;
  let crowded = 0;
  const least = max(5, picture * 0.0004);
  const parts: Part[][] = pictures.map((p, at) => {
    const standing = withoutOverlays(map(at), at);
    const found = partsOf(standing, levelOf(standing), size, p, least).filter((part) => !overlaid(part, at));
    const share = found.reduce((sum, f) => sum + f.area, 0) / picture;
    if (found.length > 16 || share > 0.42) crowded++;
    return found.sort((a, b) => b.area * b.strength - a.area * a.strength).slice(0, 24);
  });
  look.everythingMoves = crowded > pictures.length * 0.4;
  let moving = pictures.length >= 5 ? movingTracks(parts, world) : [];
  if (look.everythingMoves) moving = moving.filter((t) => t.boxes.length > pictures.length * 0.7).slice(0, 2);
  let tracks = withSights(moving, sights, world).filter((t) => t.boxes.length > 0);
  const salient = pictures.length >= 3 ? salientTrack(shot, world, tracks, overlaid) : null;
  if (salient) tracks.push(salient);
  tracks = withoutPieces(tracks);

  const weight = (t: RawTrack) =>
    t.boxes.reduce((sum, b) => sum + b.sure * sqrt(b.box.width * b.box.height), 0) *
    (t.kind === 'person' || t.kind === 'face' ? 1.5 : 1);
  tracks = tracks
    .filter((t) => t.boxes.length >= min(pictures.length * 0.25, shot.perSecond * 0.8))
    .sort((a, b) => weight(b) - weight(a))
    .slice(0, mostTracks);
  const smooth = tracks.map((t) => ({ ...t, boxes: smoothTrack(t.boxes) }));
  look.tracks = smooth.flatMap((t, i) => {
    const places = placesOf(t.boxes, shot);
    return places.length
      ? [
          {
            id: `${idAs}${i + 1}`,
            kind: t.kind,
            name: plainName(t.kind, t.what, t.colour),
            places,
            ...(t.turned === undefined ? {} : { turned: round(t.turned * 100) / 100 }),
          },
        ]
      : [];
  });
  look.overlays = overlays.map((o) => ({
    x: o.box.x / size.width,
    y: o.box.y / size.height,
    width: o.box.width / size.width,
    height: o.box.height / size.height,
    from: shot.from + o.from * shot.step,
    to: min(shot.to, shot.from + o.to * shot.step),
  }));
  return look;
}

/**
 * Follows a box that a person drew, from the picture it was drawn on forwards and backwards to the shot's ends.
 *
 * @param at index of the picture; @param box in look pixels
 */
export function followDrawn(shot: ShotPictures, at: number, box: LookBox): TrackedBox[] {
  const { world } = worldOf(shot);
  const start: BoxAt = { at, box, sure: 1 };
  return placesOf(
    smoothTrack([...followBox(world, start, -1).reverse(), start, ...followBox(world, start, 1)]),
    shot,
  );
}

/** Boxes as places of the master, with those left out that a straight line between the others tells as well. */
function placesOf(boxes: readonly BoxAt[], shot: ShotPictures): TrackedBox[] {
  const { size } = shot;
  const four = (n: number) => round(n * 10_000) / 10_000;
  const all = boxes.flatMap(({ at, box, sure }) => {
    const b = insidePicture(box, size);
    return b
      ? [
          {
            at: shot.from + at * shot.step,
            x: four(b.x / size.width),
            y: four(b.y / size.height),
            w: max(0.0005, four(b.width / size.width)),
            h: max(0.0005, four(b.height / size.height)),
            sure: round(max(0, min(1, sure)) * 100) / 100,
          },
        ]
      : [];
  });
  return thinned(all);
}

/** How far a left-out place may be from the line, fractions of the master and of sureness. */
const hardly = 0.0025;

function thinned(places: readonly TrackedBox[]): TrackedBox[] {
  if (places.length < 3) return [...places];
  const keep = new Set([0, places.length - 1]);
  const spans: [number, number][] = [[0, places.length - 1]];
  while (spans.length) {
    const [a, b] = spans.pop()!;
    const [p, q] = [places[a]!, places[b]!];
    let [worst, at] = [1, -1];
    for (let i = a + 1; i < b; i++) {
      const m = places[i]!;
      const t = (m.at - p.at) / (q.at - p.at);
      const off =
        max(
          ...(['x', 'y', 'w', 'h'] as const).map((k) => abs(p[k] + (q[k] - p[k]) * t - m[k])),
          abs(p.sure + (q.sure - p.sure) * t - m.sure) / 60,
        ) / hardly;
      if (off > worst) [worst, at] = [off, i];
    }
    if (at < 0) continue;
    keep.add(at);
    spans.push([a, at], [at, b]);
  }
  return places.filter((_, i) => keep.has(i));
}

/** Where a subject is at a master frame; null before it comes and after it has gone. */
export function placeAt(track: Track, frame: number): TrackedBox | null {
  const { places } = track;
  if (frame < places[0]!.at || frame > places.at(-1)!.at) return null;
  let [low, high] = [0, places.length - 1];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (places[middle]!.at <= frame) low = middle;
    else high = middle;
  }
  const [p, q] = [places[low]!, places[high]!];
  const t = q.at === p.at ? 0 : (frame - p.at) / (q.at - p.at);
  const mix = (k: 'x' | 'y' | 'w' | 'h' | 'sure') => p[k] + (q[k] - p[k]) * t;
  return { at: frame, x: mix('x'), y: mix('y'), w: mix('w'), h: mix('h'), sure: mix('sure') };
}

/**
 * Makes a shot's look of its pieces, one or more; each piece starts with the picture that the one before it ended with.
 * A subject that is in the same place on both sides of a seam is one, and subjects of one name are told apart.
 */
export function stitchLooks(pieces: readonly ShotLook[]): ShotLook {
  const [first, ...rest] = pieces;
  const whole = rest.reduce<ShotLook>((whole, piece) => {
    const taken = new Set<Track>();
    const tracks = whole.tracks.map((track) => {
      const end = placeAt(track, piece.from);
      const on =
        end &&
        piece.tracks.find((t) => {
          const start = !taken.has(t) && placeAt(t, piece.from);
          return (
            start &&
            overlapShare(
              { x: end.x, y: end.y, width: end.w, height: end.h },
              { x: start.x, y: start.y, width: start.w, height: start.h },
            ) > 0.3
          );
        });
      if (!on) return track;
      taken.add(on);
      return { ...track, places: [...track.places.filter((p) => p.at < piece.from), ...on.places] };
    });
    return {
      ...whole,
      to: piece.to,
      camera: whole.camera === piece.camera ? whole.camera : 'moves',
      everythingMoves: whole.everythingMoves && piece.everythingMoves,
      tracks: [...tracks, ...piece.tracks.filter((t) => !taken.has(t))],
      overlays: [...whole.overlays, ...piece.overlays],
    };
  }, first!);
  const names = tellApart(
    whole.tracks.map(({ name, places }) => {
      const { x, w, h } = places[places.length >> 1]!;
      return { name, x, area: w * h };
    }),
  );
  return { ...whole, tracks: whole.tracks.map((t, i) => ({ ...t, name: names[i]! })) };
}

/** Whether the detector helped, and if not, why, in a sentence for people. */
export const detectorNoteSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('used') }),
  z.object({ kind: z.literal('missing'), sentence: z.string() }),
  z.object({ kind: z.literal('off') }),
]);
export type DetectorNote = z.infer<typeof detectorNoteSchema>;

/** All that was seen in a film so far, shot by shot in order. */
export const subjectScanSchema = z.object({
  version: z.literal(1),
  detector: detectorNoteSchema,
  shots: z.array(shotLookSchema),
});
export type SubjectScan = z.infer<typeof subjectScanSchema>;

/** What was seen where a span lies: the subjects of the looked-at shots that it touches. Cuts may have been moved since. */
export function lookWithin(
  shots: readonly ShotLook[],
  span: { from: number; to: number },
): Omit<ShotLook, 'camera' | 'overlays'> | null {
  const touched = shots.filter((s) => s.from < span.to && s.to > span.from);
  if (!touched.length) return null;
  const tracks = touched
    .flatMap((s) => s.tracks)
    .filter((t) => t.places[0]!.at < span.to && t.places.at(-1)!.at >= span.from);
  return { from: span.from, to: span.to, everythingMoves: touched.every((s) => s.everythingMoves), tracks };
}

/** Overlays as keeps that can be offered. Names tell where they lie. */
export function overlayName(o: { x: number; y: number; width: number; height: number }): string {
  const down = o.y + o.height / 2 < 0.34 ? 'upper' : o.y + o.height / 2 > 0.66 ? 'lower' : 'middle';
  const across =
    o.x + o.width / 2 < 0.34
      ? 'left'
      : o.x + o.width / 2 > 0.66
        ? 'right'
        : o.width > 0.5
          ? 'full width'
          : 'centre';
  return o.width > 0.16 ? `Title, ${down} ${across}` : `Logo, ${down} ${across}`;
}
