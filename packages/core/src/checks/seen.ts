import { clampFraction, keepAt, type Keep, type MasterFraction } from './keeps.ts';
import { hiddenKeeps, type FrameRules, type HiddenSpan, type Watchable } from './visibility.ts';
import type { Framing } from '../framing/framing.ts';
import type { Size } from '../picture/geometry.ts';
import { overlayName, type ShotLook, type Track } from '../subjects/look.ts';
import type { FrameSpan } from '../time/span.ts';
import type { seenKinds } from './trouble-kinds.ts';

/** What is seen in a film and counts as worth a look where a window hides it: people, faces, and what lies still over the picture. */
export interface SeenThing extends Watchable {
  what: (typeof seenKinds)[number];
}

/** What was seen in a film, and what somebody has said of it. */
export interface SeenInFilm {
  looks: readonly ShotLook[];
  /** Subjects that people drew: whoever draws one cares about it. */
  drawn: readonly Track[];
  keeps: readonly Keep[];
  /** Ids of things that somebody has said do not matter, for all versions. */
  unimportant: readonly string[];
}

/** A box of what was seen is right to about this share of its sides: what is hidden of it by less is not told. */
export const seenSlack = 0.08;
/** Hidden for less than this, nothing is told of a thing that was seen; seconds. */
export const seenAtLeast = 0.4;
/** A subject that was seen less surely than this, taken over its whole way, is not told of. */
const leastSure = 0.35;
/** An overlay that lies over the picture for fewer frames is not offered: a flash, not a title. */
const shortestOverlay = 12;

/** A box smaller by the slack on every side. */
function tightened(box: MasterFraction): MasterFraction {
  const [dx, dy] = [box.width * seenSlack, box.height * seenSlack];
  return { x: box.x + dx, y: box.y + dy, width: box.width - 2 * dx, height: box.height - 2 * dy };
}

/** Something that lies still over the picture, as a keep that can be drawn. Its id is the same whenever it is seen again. */
export function overlayKeeps(looks: readonly ShotLook[]): Keep[] {
  const thousandths = (n: number) => Math.round(n * 1000);
  return looks
    .flatMap((look) => look.overlays)
    .filter((o) => o.to - o.from > shortestOverlay)
    .map((o) => ({
      id: `over-${o.from}-${thousandths(o.x)}-${thousandths(o.y)}`,
      name: overlayName(o).slice(0, 60),
      kind: o.width > 0.16 ? ('title' as const) : ('logo' as const),
      span: { from: o.from, to: o.to },
      keys: [{ at: o.from, ...clampFraction(o) }],
    }));
}

/** Overlays that no keep covers yet: what can be offered as keeps. */
export function offeredKeeps(looks: readonly ShotLook[], keeps: readonly Keep[]): Keep[] {
  return overlayKeeps(looks).filter((offer) => !keeps.some((keep) => covers(keep, offer)));
}

/** A keep stands for an offer: they share frames, and a good part of the smaller one. */
function covers(keep: Keep, offer: Keep): boolean {
  if (keep.span.from >= offer.span.to || keep.span.to <= offer.span.from) return false;
  const [a, b] = [keepAt(keep, Math.floor((offer.span.from + offer.span.to) / 2)), offer.keys[0]!];
  const width = Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x);
  const height = Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y);
  return width > 0 && height > 0 && width * height > 0.3 * Math.min(a.width * a.height, b.width * b.height);
}

function seenTrack(track: Track): SeenThing[] {
  const { kind, places } = track;
  if (kind !== 'person' && kind !== 'face' && kind !== 'drawn') return [];
  const sure = places.reduce((sum, p) => sum + p.sure, 0) / places.length;
  if (sure < leastSure) return [];
  const keys = places.map((p) => ({
    at: p.at,
    ...tightened(clampFraction({ x: p.x, y: p.y, width: p.w, height: p.h })),
  }));
  const span = { from: keys[0]!.at, to: keys.at(-1)!.at + 1 };
  return [{ id: track.id, name: track.name, what: kind === 'face' ? 'face' : 'person', span, keys }];
}

/** Everything seen in a film that should not be hidden, unless somebody has said that it does not matter. */
export function seenThings(film: SeenInFilm): SeenThing[] {
  const people = [...film.drawn, ...film.looks.flatMap((look) => look.tracks)].flatMap(seenTrack);
  const titles = offeredKeeps(film.looks, film.keeps).map((offer): SeenThing => {
    const [key] = offer.keys;
    const keys = [{ at: key!.at, ...tightened(key!) }];
    return { id: offer.id, name: offer.name, what: 'title', span: offer.span, keys };
  });
  const gone = new Set(film.unimportant);
  return [...people, ...titles].filter((thing) => !gone.has(thing.id));
}

/** A thing that a version hides, in one way, from its first hidden frame to its last. */
export interface HiddenThing extends HiddenSpan<SeenThing> {
  /** Frames in which it is hidden so; what lies between them is seen. */
  frames: number;
}

/**
 * What a framing hides of the things that were seen. A thing that comes and goes is told of once for each way in which
 * it is hidden: that it is cut, or stands behind one area, or outside the margin.
 */
export function hiddenThings(
  framing: Framing,
  things: readonly SeenThing[],
  pieces: readonly FrameSpan[],
  masterSize: Size,
  rules: FrameRules,
  framesPerSecond: number,
): HiddenThing[] {
  const found = new Map<string, HiddenThing>();
  for (const piece of pieces)
    for (const hidden of hiddenKeeps(framing, things, piece, masterSize, rules)) {
      const key = `${hidden.keep.id} ${hidden.how.kind} ${hidden.how.kind === 'blocked' ? hidden.how.area : ''}`;
      const [before, frames] = [found.get(key), hidden.span.to - hidden.span.from];
      const span = {
        from: Math.min(before?.span.from ?? Infinity, hidden.span.from),
        to: Math.max(before?.span.to ?? 0, hidden.span.to),
      };
      found.set(key, { ...hidden, span, frames: (before?.frames ?? 0) + frames });
    }
  return [...found.values()].filter((h) => h.frames >= seenAtLeast * framesPerSecond);
}
