import { clampFraction, type Keep } from '../checks/keeps.ts';
import { dropFrames, joinKept } from '../edits/cut.ts';
import type { Rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { shotIndexAt, shotSpans, type Shot } from '../shots/shots.ts';
import { stretchMove } from './move.ts';
import { centredPose } from './pose.ts';
import { clipOf, replaceFramingIn, unitsOf } from './shots-of.ts';
import { heldFraming, type Framing } from './framing.ts';

/** A film as framings and keeps are carried from it or to it. */
export interface CarryFilm {
  shots: readonly Shot[];
  frames: number;
  rate: Rate;
}

/** Which old shot each new shot is taken to be, by index; null where nothing resembles it. */
export type ShotMatch = readonly (number | null)[];

/** Old frames a new frame lasts: 2 from 50 frames a second to 25. */
const tempo = (from: CarryFilm, to: CarryFilm) =>
  (from.rate.num * to.rate.den) / (from.rate.den * to.rate.num);

/**
 * Carries a framing from one cut of a film to another, shot by shot. Each matched shot keeps its windows, its moves at
 * the pace of the new rate; a shot without a match shows the middle.
 */
export function carryFraming(framing: Framing, from: CarryFilm, to: CarryFilm, match: ShotMatch): Framing {
  const spans = shotSpans(to.shots, to.frames);
  const oldSpans = shotSpans(from.shots, from.frames);
  const units = unitsOf(framing, from.shots, from.frames);
  const k = tempo(from, to);
  let carried = heldFraming(centredPose);
  spans.forEach((span, i) => {
    const old = match[i];
    if (old === null || old === undefined) {
      carried = replaceFramingIn(carried, span, clipOf(heldFraming(centredPose), span), to.frames);
      return;
    }
    const origin = oldSpans[old]!.from;
    // A shot may itself change its framing inside; each piece keeps its place counted from the shot's start.
    for (const unit of units.filter((u) => u.shot === old)) {
      const start = span.from + Math.round((unit.from - origin) / k);
      if (start >= span.to) continue;
      const clip = clipOf(framing, unit);
      const pace = (move: typeof clip.move) => stretchMove(move, 1 / k);
      const paced = {
        ...clip,
        move: pace(clip.move),
        fill: clip.fill.kind === 'stacked' ? { ...clip.fill, lower: pace(clip.fill.lower) } : clip.fill,
        length: Math.max(1, Math.round(clip.length / k)),
      };
      const shared = framing.stretches.find((s) => s.from === unit.from)?.setup;
      // Links live on where the new shots are grouped alike.
      carried = replaceFramingIn(
        carried,
        { from: Math.max(span.from, start), to: span.to },
        paced,
        to.frames,
        shared === undefined ? undefined : to.shots[i]!.setup,
      );
    }
  });
  return carried;
}

/** Carries keeps along with their shots. Those whose shots are all gone are told by name. */
export function carryKeeps(
  keeps: readonly Keep[],
  from: CarryFilm,
  to: CarryFilm,
  match: ShotMatch,
): { keeps: Keep[]; lost: string[] } {
  const spans = shotSpans(to.shots, to.frames);
  const oldSpans = shotSpans(from.shots, from.frames);
  const k = tempo(from, to);
  const lost: string[] = [];
  const carried = keeps.flatMap((keep) => {
    let first = Infinity;
    let last = -1;
    const keys = new Map<number, Keep['keys'][number]>();
    spans.forEach((span, i) => {
      const old = match[i];
      if (old === null || old === undefined) return;
      const was = oldSpans[old]!;
      const start = Math.max(keep.span.from, was.from);
      const end = Math.min(keep.span.to, was.to);
      if (end <= start) return;
      const place = (frame: number) => Math.min(span.to, span.from + Math.round((frame - was.from) / k));
      if (place(end) <= place(start)) return;
      first = Math.min(first, place(start));
      last = Math.max(last, place(end));
      for (const key of keep.keys) {
        if (key.at >= was.from && key.at < was.to) keys.set(place(key.at), { ...key, at: place(key.at) });
      }
    });
    if (last <= first) {
      lost.push(keep.name);
      return [];
    }
    const placed = keys.size
      ? [...keys.values()].sort((a, b) => a.at - b.at)
      : [{ ...keep.keys[0]!, at: first }];
    return [
      {
        ...keep,
        span: { from: first, to: last },
        keys: placed.map((key) => ({ at: key.at, ...clampFraction(key) })),
      },
    ];
  });
  return { keeps: carried, lost };
}

/**
 * Carries a cut along with its shots, in the order in which they play. What was kept of a shot up to its end is kept
 * up to the end of the shot that it has become; nothing is kept twice. Empty where none of its shots is there any more.
 */
export function carryKept(
  kept: readonly FrameSpan[],
  from: CarryFilm,
  to: CarryFilm,
  match: ShotMatch,
): FrameSpan[] {
  const spans = shotSpans(to.shots, to.frames);
  const oldSpans = shotSpans(from.shots, from.frames);
  const k = tempo(from, to);
  const carried: FrameSpan[] = [];
  for (const span of kept) {
    spans.forEach((now, i) => {
      const was = oldSpans[match[i] ?? -1];
      if (!was || span.from >= was.to || span.to <= was.from) return;
      const place = (frame: number) => now.from + Math.round((frame - was.from) / k);
      const piece = {
        from: Math.max(now.from, place(Math.max(span.from, was.from))),
        to: span.to >= was.to ? now.to : Math.min(now.to, place(span.to)),
      };
      // A film may show a shot twice that the old one showed once: it is kept where it is met first.
      carried.push(
        ...carried.reduce<FrameSpan[]>(
          (left, s) => dropFrames(left, s),
          piece.to > piece.from ? [piece] : [],
        ),
      );
    });
  }
  return joinKept(carried);
}

/** Which shot each shot is when two films have the same cuts: by its place in time. */
export function matchByTime(from: CarryFilm, to: CarryFilm): ShotMatch {
  const k = tempo(from, to);
  return shotSpans(to.shots, to.frames).map((span) => {
    const middle = Math.floor(((span.from + span.to) / 2) * k);
    return middle < from.frames ? shotIndexAt(from.shots, middle) : null;
  });
}
