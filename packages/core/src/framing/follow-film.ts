import { keepsWithin, type Keep } from '../checks/keeps.ts';
import { frameRules, type MarginChoice } from '../checks/troubles.ts';
import type { FrameRules } from '../checks/visibility.ts';
import type { MasterFacts } from '../masters/facts.ts';
import { frameForMaster } from '../picture/fit.ts';
import type { Size } from '../picture/geometry.ts';
import { oneShot, type Shot } from '../shots/shots.ts';
import type { Placement } from '../specs/schema.ts';
import { lookWithin, type ShotLook, type Track } from '../subjects/look.ts';
import { fps, type Rate } from '../time/rate.ts';
import { doubtsOf } from './doubt.ts';
import { chooseWindow, type FollowChoice } from './follow.ts';
import { filled, stretchAt, type Framing, type FramingDecision, type FramingSegment } from './framing.ts';
import { judgeFollowing, worthALook, type Judgement } from './judge.ts';
import { poseOfMove } from './move.ts';
import type { Move } from './moves/kinds.ts';
import { centredPose } from './pose.ts';
import { clipOf, replaceFramingIn, unitsOf, type Clip, type Unit } from './shots-of.ts';

/** A film and the version of it that is framed. */
export interface FollowFilm {
  shots: readonly Shot[];
  frames: number;
  rate: Rate;
  masterSize: Size;
  keeps: readonly Keep[];
  /** What was seen, shot by shot; shots that have not been looked at yet are passed over. */
  looks: readonly ShotLook[];
  /** Subjects that people drew. */
  drawn: readonly Track[];
  rules: FrameRules;
}

/**
 * A film as a version of it follows what was seen: its shots and keeps, and the frame's rules.
 *
 * @param seen what was looked at so far, and what people drew
 */
export function filmToFollow(
  master: { facts: MasterFacts; shots: readonly Shot[] | null; keeps: readonly Keep[] },
  seen: { shots: readonly ShotLook[]; drawn: readonly Track[] },
  placement: Placement,
  margin: MarginChoice,
): FollowFilm {
  const { displayed, rate, frames } = master.facts.video;
  const frameSize = frameForMaster(displayed, placement.frame, placement.largerFrame);
  return {
    shots: master.shots ?? oneShot,
    frames,
    rate,
    masterSize: displayed,
    keeps: master.keeps,
    looks: seen.shots,
    drawn: seen.drawn,
    rules: frameRules(placement, frameSize, margin),
  };
}

export interface FollowWishes {
  lively: number;
  /** Only units that start at one of these frames; without it, all. */
  only?: readonly number[];
  /** Framings that were made by hand are chosen anew as well; otherwise they are left as they are. */
  handMade?: boolean;
  /** The subject to go by in the units named in `only`; null for none. */
  subject?: string | null;
}

export interface FollowedFilm {
  framing: Framing;
  /** Units that were framed anew, and those left alone, by why. */
  changed: number;
  locked: number;
  byHand: number;
  notSeen: number;
}

/** True for a stretch that nobody and nothing has framed yet: the middle, held. */
function untouched(stretch: FramingSegment): boolean {
  const { move } = stretch;
  return (
    !stretch.pick &&
    (stretch.fill ?? filled).kind === 'filled' &&
    move.kind === 'hold' &&
    move.pose.x === centredPose.x &&
    move.pose.y === centredPose.y &&
    move.pose.zoom === 1
  );
}

/** Nobody and nothing has framed any of it yet: it stands in the middle throughout. */
export const isUntouched = (framing: Framing): boolean =>
  framing.stretches.every((stretch) => untouched(stretch) && !stretch.locked);

/** The subjects that a span can go by: what was seen there, and what people drew. Null where nothing has been looked at. */
export function subjectsIn(
  film: Pick2<FollowFilm, 'looks' | 'drawn'>,
  span: { from: number; to: number },
): { tracks: Track[]; everythingMoves: boolean } | null {
  const look = lookWithin(film.looks, span);
  const drawn = film.drawn.filter((t) => t.places[0]!.at < span.to && t.places.at(-1)!.at >= span.from);
  if (!look && !drawn.length) return null;
  return { tracks: [...drawn, ...(look?.tracks ?? [])], everythingMoves: look?.everythingMoves ?? false };
}
type Pick2<T, K extends keyof T> = { [P in K]: T[P] };

/** What a person has fixed in a unit's move, frames from the unit's start. */
function fixedIn(move: Move) {
  return move.kind === 'follow' ? { points: move.points, spans: move.spans } : { points: [], spans: [] };
}

/**
 * Chooses one unit's window. What a person has fixed in it is kept: points, spans, the subject's name, the zoom.
 *
 * @returns null where the unit has not been looked at
 */
export function followUnit(
  film: FollowFilm,
  framing: Framing,
  unit: Unit,
  wishes: FollowWishes & { before?: readonly { name: string; setup: string; x: number }[]; move?: Move },
): { clip: Clip; relaxed: number } | null {
  const look = subjectsIn(film, unit);
  if (!look) return null;
  const stretch = stretchAt(framing, unit.from);
  const clip = clipOf(framing, unit);
  const move = wishes.move ?? clip.move;
  const zoom =
    move.kind === 'follow' ? move.zoom : poseOfMove(move, 0, film.masterSize, film.rules.frameSize).zoom;
  const named = wishes.subject !== undefined || (stretch.pick?.named ?? false);
  const subject =
    wishes.subject !== undefined
      ? wishes.subject
      : stretch.pick?.named
        ? (stretch.pick.subject?.id ?? null)
        : undefined;
  const { points, spans } = fixedIn(move);
  const choice: FollowChoice = chooseWindow({
    span: unit,
    look,
    keeps: keepsWithin(film.keeps, film.frames),
    masterSize: film.masterSize,
    rules: film.rules,
    framesPerSecond: fps(film.rate),
    lively: wishes.lively,
    zoom,
    ...(named
      ? {
          subject:
            subject && look.tracks.some((t) => t.id === subject)
              ? subject
              : subject === null
                ? null
                : undefined,
        }
      : {}),
    points,
    spans,
    before: wishes.before ?? [],
    setup: unit.setup,
  });
  const before = stretch.pick?.before ?? {
    move: clip.move,
    ...(clip.fill.kind === 'filled' ? {} : { fill: clip.fill }),
  };
  const pick: FramingDecision = { ...choice.pick, named, seen: false, before };
  return {
    clip: { move: choice.move, fill: filled, length: unit.to - unit.from, pick },
    relaxed: choice.relaxed,
  };
}

/** Chooses the windows of a whole version, unit by unit. Locked units stay, and so does what was framed by hand, unless it is asked for. */
export function followFilm(film: FollowFilm, framing: Framing, wishes: FollowWishes): FollowedFilm {
  const result: FollowedFilm = { framing, changed: 0, locked: 0, byHand: 0, notSeen: 0 };
  const before: { name: string; setup: string; x: number }[] = [];
  for (const unit of unitsOf(framing, film.shots, film.frames)) {
    const stretch = stretchAt(result.framing, unit.from);
    const asked = !wishes.only || wishes.only.includes(unit.from);
    const remember = (pick: FramingDecision | undefined) =>
      pick?.subject && before.push({ name: pick.subject.name, setup: unit.setup, x: 0.5 });
    if (
      !asked ||
      stretch.locked ||
      (!wishes.only && !wishes.handMade && !stretch.pick && !untouched(stretch))
    ) {
      if (asked && stretch.locked) result.locked++;
      else if (asked) result.byHand++;
      remember(stretch.pick);
      continue;
    }
    const chosen = followUnit(film, result.framing, unit, { ...wishes, before });
    if (!chosen) {
      result.notSeen++;
      continue;
    }
    result.framing = replaceFramingIn(result.framing, unit, chosen.clip, film.frames);
    result.changed++;
    remember(chosen.clip.pick);
  }
  return result;
}

/** What a run came to, in words. */
export function followedWords(run: Omit<FollowedFilm, 'framing'>): string {
  const shots = (n: number) => `${n} ${n === 1 ? 'shot' : 'shots'}`;
  const left = [
    run.locked ? `${shots(run.locked)} locked` : '',
    run.byHand ? `${shots(run.byHand)} framed by hand left alone` : '',
    run.notSeen ? `${shots(run.notSeen)} not looked at yet` : '',
  ].filter(Boolean);
  return `${run.changed ? `${shots(run.changed)} framed by what is seen in ${run.changed === 1 ? 'it' : 'them'}` : 'Nothing was framed anew'}${left.length ? `; ${left.join('; ')}` : ''}.`;
}

/** A unit with its subject and how well it is framed. */
export interface JudgedUnit {
  unit: Unit;
  pick: FramingDecision;
  judgement: Judgement;
}

/** How well one unit goes by its subject, and how likely that is the right one; null where it goes by none that is known. */
export function judgeUnit(film: FollowFilm, framing: Framing, unit: Unit): Judgement | null {
  const { pick } = stretchAt(framing, unit.from);
  const seen = subjectsIn(film, unit);
  const track = seen?.tracks.find((t) => t.id === pick?.subject?.id);
  if (!pick || !seen || !track) return null;
  const { masterSize, rules, rate } = film;
  // What a person has named is not doubted.
  const doubts = pick.named ? [] : doubtsOf(seen, unit, track, { masterSize, rules, rate });
  return judgeFollowing(framing, unit, track, masterSize, rules, fps(rate), doubts);
}

/** How well each unit that was chosen for goes, for those whose subject is known. */
export function judgeFilm(film: FollowFilm, framing: Framing): JudgedUnit[] {
  return unitsOf(framing, film.shots, film.frames).flatMap((unit): JudgedUnit[] => {
    const stretch = stretchAt(framing, unit.from);
    const { pick } = stretch;
    if (!pick?.subject) return [];
    const judgement = judgeUnit(film, framing, unit);
    return judgement ? [{ unit, pick, judgement }] : [];
  });
}

/** The units that a person should look at, worst first; those that one has looked at are done. */
export function worthLooks(judged: readonly JudgedUnit[]): JudgedUnit[] {
  return judged
    .filter((j) => !j.pick.seen && j.judgement.figure < worthALook)
    .sort((a, b) => a.judgement.figure - b.judgement.figure || a.unit.from - b.unit.from);
}

/** A unit with what it was chosen by changed: found good, or locked. What is seen stays as it is. */
export function withUnitMarks(
  framing: Framing,
  unit: Unit,
  frames: number,
  marks: { seen?: boolean; locked?: boolean },
): Framing {
  const stretch = stretchAt(framing, unit.from);
  const clip = clipOf(framing, unit);
  const pick =
    stretch.pick && (marks.seen === undefined ? stretch.pick : { ...stretch.pick, seen: marks.seen });
  const locked = marks.locked ?? stretch.locked ?? false;
  return replaceFramingIn(
    framing,
    unit,
    { ...clip, ...(pick ? { pick } : {}), ...(locked ? { locked: true as const } : {}) },
    frames,
    stretch.setup,
  );
}

/** A unit as it was before it was chosen for. */
export function putBack(framing: Framing, unit: Unit, frames: number): Framing {
  const before = stretchAt(framing, unit.from).pick?.before;
  if (!before) return framing;
  return replaceFramingIn(
    framing,
    unit,
    { move: before.move, fill: before.fill ?? filled, length: unit.to - unit.from },
    frames,
  );
}
