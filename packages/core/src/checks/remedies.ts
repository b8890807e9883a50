import { stretchAt, type Framing } from '../framing/framing.ts';
import type { Move } from '../framing/moves/kinds.ts';
import { centredPose, type Pose } from '../framing/pose.ts';
import {
  clipOf,
  frameAlone,
  replaceFramingIn,
  setShotFraming,
  unitAt,
  unitsOf,
  type Unit,
} from '../framing/shots-of.ts';
import type { Size } from '../picture/geometry.ts';
import type { Shot } from '../shots/shots.ts';
import { fps, type Rate } from '../time/rate.ts';
import { overlapOf, type FrameSpan } from '../time/span.ts';
import { suggestMend, type Mend } from './mend.ts';
import type { Trouble } from './trouble-kinds.ts';
import { hiddenKeeps, type FrameRules, type HiddenSpan, type Watchable } from './visibility.ts';

/** A version of a film, as far as a remedy needs it. */
export interface RemedyVersion {
  framing: Framing;
  shots: readonly Shot[];
  frames: number;
  rate: Rate;
  masterSize: Size;
  rules: FrameRules;
  /** All that is watched in the film: keeps, and what was seen. */
  watched: readonly Watchable[];
}

/** In which way a trouble's thing is hidden. */
export const hidingOf = (trouble: Trouble): HiddenSpan['how'] =>
  trouble.code.endsWith('cut')
    ? { kind: 'cut' }
    : trouble.code.endsWith('margin')
      ? { kind: 'margin' }
      : { kind: 'blocked', area: trouble.area ?? '' };

/** The units that a trouble lies in. */
const unitsIn = (units: readonly Unit[], { span }: Trouble): Unit[] =>
  units.filter((unit) => unit.from < span.to && unit.to > span.from);

/** What a trouble is about, as it is watched along the film; undefined where it is about no thing. */
const thingOf = (version: RemedyVersion, trouble: Trouble): Watchable | undefined =>
  version.watched.find((w) => w.id === (trouble.keepId ?? trouble.seen?.id));

/** The smallest move of the still window of the shot in which a trouble begins that clears it. */
function mendOf(version: RemedyVersion, trouble: Trouble): Mend | null {
  const thing = thingOf(version, trouble);
  if (!thing) return null;
  const units = unitsOf(version.framing, version.shots, version.frames);
  const { masterSize, rules, watched } = version;
  const hidden = { keep: thing, how: hidingOf(trouble), span: trouble.span };
  const unit = unitAt(units, trouble.span.from);
  return suggestMend(hidden, version.framing, units, unit, watched, masterSize, rules);
}

/**
 * Moves the window of the shot in which a trouble begins so that the thing it is about is seen, and nothing else is
 * hidden more than before. Null where no move of a still window does that, or the trouble is about no thing.
 */
export const moveWindow = (version: RemedyVersion, trouble: Trouble): Framing | null =>
  mendOf(version, trouble)?.framing ?? null;

/** A window goes to another place, and back, in so long; seconds. */
const glideSeconds = 0.6;

/** The keyframes of a window that stands at `rest`, and at `there` for a span of a unit; frames from the unit's start. */
function thereAndBack(unit: Unit, span: FrameSpan, glide: number, rest: Pose, there: Pose): Move {
  const [from, last] = [span.from - unit.from, span.to - 1 - unit.from];
  const end = unit.to - 1 - unit.from;
  const keys = [{ at: from, pose: there }];
  // Where there is no room to go there and back, it stands there from the shot's start on, or to its end.
  if (from >= glide) keys.unshift({ at: from - glide, pose: rest });
  if (last > from) keys.push({ at: last, pose: there });
  if (end - last >= glide) keys.push({ at: last + glide, pose: rest });
  return { kind: 'path', keys };
}

/** Frames in which things are hidden: one of them within a span, and all others anywhere. */
function hiddenFrames(version: RemedyVersion, framing: Framing, thing: Watchable, span: FrameSpan) {
  const whole = { from: 0, to: version.frames };
  let [mine, others] = [0, 0];
  for (const found of hiddenKeeps(framing, version.watched, whole, version.masterSize, version.rules)) {
    const length = found.span.to - found.span.from;
    if (found.keep.id !== thing.id) others += length;
    else mine += overlapOf(found.span, span);
  }
  return { mine, others };
}

/**
 * Moves the window only while the thing is there, and glides back. Null where that is no other than moving it through
 * the whole shot, where the window is not still, or where nothing is won by it.
 */
function mendWhile(version: RemedyVersion, trouble: Trouble): Mend | null {
  const { shots, frames, watched, masterSize, rules } = version;
  const thing = thingOf(version, trouble);
  const units = unitsOf(version.framing, shots, frames);
  const unit = unitAt(units, trouble.span.from);
  const span = { from: Math.max(trouble.span.from, unit.from), to: Math.min(trouble.span.to, unit.to) };
  const { move, fill } = stretchAt(version.framing, unit.from);
  if (!thing || move.kind !== 'hold' || (fill && fill.kind !== 'filled')) return null;
  if (span.from === unit.from && span.to === unit.to) return null;

  // As if the span were a shot of its own: what is hidden before and after it does not count against the move.
  const alone = frameAlone(version.framing, units, unit);
  const parted = replaceFramingIn(alone, span, clipOf(alone, span), frames);
  const parts = unitsOf(parted, shots, frames);
  const hidden = { keep: thing, how: hidingOf(trouble), span };
  const mend = suggestMend(hidden, parted, parts, unitAt(parts, span.from), watched, masterSize, rules);
  if (!mend) return null;
  const glide = Math.max(1, Math.round(glideSeconds * fps(version.rate)));
  const framing = setShotFraming(alone, units, unit, {
    move: thereAndBack(unit, span, glide, move.pose, mend.pose),
    fill: { kind: 'filled' },
    length: unit.to - unit.from,
  });
  const before = hiddenFrames(version, version.framing, thing, span);
  const after = hiddenFrames(version, framing, thing, span);
  return after.mine === 0 && after.others <= before.others ? { ...mend, framing } : null;
}

/** Moves the window of the shot only while the thing is there, and back: see {@link moveWindow}. */
export const moveWindowWhile = (version: RemedyVersion, trouble: Trouble): Framing | null =>
  mendWhile(version, trouble)?.framing ?? null;

/**
 * Shows the whole master over a soft copy of itself for as long as a trouble lasts and no longer; what is before and
 * after it in its shots stays as it was. Null where that would change nothing.
 */
function showWholeWhile(version: RemedyVersion, trouble: Trouble): Framing | null {
  const units = unitsOf(version.framing, version.shots, version.frames);
  let framing: Framing | null = null;
  for (const unit of unitsIn(units, trouble)) {
    const before: Framing = framing ?? version.framing;
    const span = { from: Math.max(trouble.span.from, unit.from), to: Math.min(trouble.span.to, unit.to) };
    const { fill } = stretchAt(before, span.from);
    if (fill?.kind === 'bars' || fill?.kind === 'soft') continue;
    framing = replaceFramingIn(
      frameAlone(before, units, unit),
      span,
      { move: { kind: 'hold', pose: centredPose }, fill: { kind: 'soft' }, length: span.to - span.from },
      version.frames,
    );
  }
  return framing;
}

/** One way out of a trouble: the framing that it would make, and how far a window moves for it, master pixels. */
export interface WayOut {
  kind: 'move' | 'move-while' | 'whole-while' | 'whole';
  framing: Framing;
  moved: { dx: number; dy: number; zoomsOut: boolean } | null;
}

/** Every way out of a trouble that a framing can give, the one that changes least first. */
export function waysOut(version: RemedyVersion, trouble: Trouble): WayOut[] {
  const ways: WayOut[] = [];
  const moving = (kind: WayOut['kind'], mend: Mend | null) => {
    if (!mend) return;
    const { framing, dx, dy, zoomsOut } = mend;
    ways.push({ kind, framing, moved: { dx, dy, zoomsOut } });
  };
  moving('move', mendOf(version, trouble));
  moving('move-while', mendWhile(version, trouble));
  if (!thingOf(version, trouble)) return ways;
  const parts = showWholeWhile(version, trouble);
  if (parts) ways.push({ kind: 'whole-while', framing: parts, moved: null });
  const shots = showWhole(version, trouble);
  // Where the trouble lasts as long as its shots, the two are one.
  const same = parts && shots && JSON.stringify(parts) === JSON.stringify(shots);
  if (shots && !same) ways.push({ kind: 'whole', framing: shots, moved: null });
  return ways;
}

/**
 * Shows the whole master over a soft copy of itself in every shot that a trouble lies in: each of them is framed on its
 * own from then on, so that no other shot of its setup changes. Null where that would change nothing.
 */
export function showWhole(version: RemedyVersion, trouble: Trouble): Framing | null {
  const units = unitsOf(version.framing, version.shots, version.frames);
  let framing: Framing | null = null;
  for (const unit of unitsIn(units, trouble)) {
    const before: Framing = framing ?? version.framing;
    const stretch = before.stretches.findLast((s) => s.from <= unit.from);
    if (stretch?.fill && stretch.fill.kind !== 'filled' && stretch.fill.kind !== 'stacked') continue;
    framing = setShotFraming(frameAlone(before, units, unit), units, unit, {
      move: { kind: 'hold', pose: centredPose },
      fill: { kind: 'soft' },
      length: unit.to - unit.from,
    });
  }
  return framing;
}
