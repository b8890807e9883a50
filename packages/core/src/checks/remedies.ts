import type { Framing } from '../framing/framing.ts';
import { centredPose } from '../framing/pose.ts';
import { frameAlone, setShotFraming, unitAt, unitsOf, type Unit } from '../framing/shots-of.ts';
import type { Size } from '../picture/geometry.ts';
import type { Shot } from '../shots/shots.ts';
import { suggestMend } from './mend.ts';
import type { Trouble } from './trouble-kinds.ts';
import type { FrameRules, HiddenSpan, Watchable } from './visibility.ts';

/** A version of a film, as far as a remedy needs it. */
export interface RemedyVersion {
  framing: Framing;
  shots: readonly Shot[];
  frames: number;
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

/**
 * Moves the window of the shot in which a trouble begins so that the thing it is about is seen, and nothing else is
 * hidden more than before. Null where no move of a still window does that, or the trouble is about no thing.
 */
export function moveWindow(version: RemedyVersion, trouble: Trouble): Framing | null {
  const id = trouble.keepId ?? trouble.seen?.id;
  const thing = version.watched.find((w) => w.id === id);
  if (!thing) return null;
  const units = unitsOf(version.framing, version.shots, version.frames);
  const { masterSize, rules, watched } = version;
  const hidden = { keep: thing, how: hidingOf(trouble), span: trouble.span };
  const unit = unitAt(units, trouble.span.from);
  return suggestMend(hidden, version.framing, units, unit, watched, masterSize, rules)?.framing ?? null;
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
