import { canonicalJson } from '../canonical.ts';
import type { Size } from '../picture/geometry.ts';
import { shotSpans, type Shot } from '../shots/shots.ts';
import type { FrameSpan } from '../time/span.ts';
import {
  filled,
  frameOfPanel,
  stretchAt,
  stretchIndexAt,
  type Fill,
  type Framing,
  type FramingDecision,
  type FramingSegment,
} from './framing.ts';
import { firstPose, fitMove, isStill, mapPoses, shiftMove } from './move.ts';
import type { Move } from './moves/kinds.ts';
import { clampPose } from './pose.ts';

/**
 * What is framed at a time: a shot, or a part of one where the framing changes inside it. `shot` is the index of the
 * shot that it lies in.
 */
export interface Unit extends FrameSpan {
  shot: number;
  setup: string;
}

/** Everything that can be framed on its own, in order: the shots, cut further where the framing itself changes. */
export function unitsOf(framing: Framing, shots: readonly Shot[], frames: number): Unit[] {
  const starts = [...new Set([...shots.map((s) => s.from), ...framing.stretches.map((s) => s.from)])]
    .filter((f) => f < frames)
    .sort((a, b) => a - b);
  const spans = shotSpans(shots, frames);
  let shot = 0;
  return starts.map((from, i) => {
    while (shot + 1 < spans.length && spans[shot + 1]!.from <= from) shot++;
    return { from, to: starts[i + 1] ?? Math.max(frames, from + 1), shot, setup: shots[shot]!.setup };
  });
}

/** The unit that a frame falls in. */
export function unitAt(units: readonly Unit[], frame: number): Unit {
  return units.findLast((u) => u.from <= frame) ?? units[0]!;
}

const shiftFill = (fill: Fill | undefined, by: number): Fill | undefined =>
  fill?.kind === 'stacked' ? { ...fill, lower: shiftMove(fill.lower, by) } : fill;

/** A stretch seen from a later start, showing the same pictures. */
function startingAt(stretch: FramingSegment, from: number): FramingSegment {
  const by = from - stretch.from;
  const fill = shiftFill(stretch.fill, by);
  // What was there before the choice belonged to the whole stretch.
  const pick = stretch.pick && by !== 0 ? { ...stretch.pick, before: undefined } : stretch.pick;
  return {
    ...stretch,
    from,
    move: shiftMove(stretch.move, by),
    ...(fill ? { fill } : {}),
    ...(pick ? { pick } : {}),
  };
}

/** What is seen and how, without where in the film: what is copied from a shot and pasted on another. */
export interface Clip {
  move: Move;
  fill: Fill;
  /** Frames of the shot that it comes from. */
  length: number;
  /** What it was chosen by, where it was not framed by hand. */
  pick?: FramingDecision;
  locked?: true;
}

/** The framing of a span, to be carried elsewhere. */
export function clipOf(framing: Framing, span: FrameSpan): Clip {
  const { move, fill } = startingAt(stretchAt(framing, span.from), span.from);
  return { move, fill: fill ?? filled, length: span.to - span.from };
}

/** A clip's stretch at a place: pressed together where the shot is shorter than the one that it comes from. */
function stretchOf(clip: Clip, span: FrameSpan, setup: string | undefined): FramingSegment {
  const length = span.to - span.from;
  const fill =
    clip.fill.kind === 'stacked'
      ? { ...clip.fill, lower: fitMove(clip.fill.lower, clip.length, length) }
      : clip.fill;
  return {
    from: span.from,
    move: fitMove(clip.move, clip.length, length),
    ...(fill.kind === 'filled' ? {} : { fill }),
    ...(setup ? { setup } : {}),
    ...(clip.pick ? { pick: clip.pick } : {}),
    ...(clip.locked ? { locked: true as const } : {}),
  };
}

/** The framing with one span of a film of `frames` framed anew; everything outside the span shows what it showed before. */
export function replaceFramingIn(
  framing: Framing,
  span: FrameSpan,
  clip: Clip,
  frames: number,
  setup?: string,
): Framing {
  const before = framing.stretches.filter((s) => s.from < span.from);
  const after = framing.stretches.filter((s) => s.from >= span.to && s.from < frames);
  // What ran on past the span starts again behind it.
  const rest =
    span.to >= frames || after[0]?.from === span.to ? [] : [startingAt(stretchAt(framing, span.to), span.to)];
  return { version: 1, stretches: [...before, stretchOf(clip, span, setup), ...rest, ...after] };
}

/** The setup that a unit's framing is shared with, if it is. */
export function sharedSetup(framing: Framing, unit: FrameSpan): string | undefined {
  const stretch = stretchAt(framing, unit.from);
  return stretch.from === unit.from ? stretch.setup : undefined;
}

/** Gives some units one framing. */
function frameUnits(
  framing: Framing,
  units: readonly Unit[],
  chosen: readonly Unit[],
  clip: Clip,
  setup?: string,
): Framing {
  const frames = units.at(-1)!.to;
  return chosen.reduce((f, unit) => replaceFramingIn(f, unit, clip, frames, setup), framing);
}

/**
 * Frames a unit. Where it shares its framing with its setup, all that share it follow; a unit that is framed on its
 * own changes alone.
 */
export function setShotFraming(framing: Framing, units: readonly Unit[], unit: Unit, clip: Clip): Framing {
  const shared = sharedSetup(framing, unit);
  const chosen = shared
    ? units.filter((u) => u.from === unit.from || sharedSetup(framing, u) === shared)
    : [unit];
  return frameUnits(framing, units, chosen, clip, shared);
}

/** Gives every shot of a unit's setup this unit's framing, and lets them follow each other from now on. */
export function shareWithSetup(framing: Framing, units: readonly Unit[], unit: Unit): Framing {
  return frameUnits(
    framing,
    units,
    units.filter((u) => u.setup === unit.setup),
    clipOf(framing, unit),
    unit.setup,
  );
}

/** Takes a unit out of its setup's shared framing; it stays as it is and changes alone from now on. */
export function frameAlone(framing: Framing, units: readonly Unit[], unit: Unit): Framing {
  return frameUnits(framing, units, [unit], clipOf(framing, unit));
}

/** Moves a change of the framing along with a cut that was moved by hand. */
export function moveChange(framing: Framing, from: number, to: number): Framing {
  const index = framing.stretches.findIndex((s) => s.from === from);
  if (index <= 0) return framing;
  const [low, high] = [framing.stretches[index - 1]!.from, framing.stretches[index + 1]?.from ?? Infinity];
  if (to <= low || to >= high) return framing;
  return { version: 1, stretches: framing.stretches.map((s, i) => (i === index ? { ...s, from: to } : s)) };
}

/**
 * A framing reduced to what is seen of one frame shape in some spans of the master, in order: settled poses, nothing
 * outside the spans, neighbours that show the same joined, links left out. Equal pictures give equal framings.
 */
export function tidyFraming(
  framing: Framing,
  spans: readonly FrameSpan[],
  masterSize: Size,
  frameSize: Size,
): Framing {
  const settle = (move: Move, part: Size): Move => {
    const settled = mapPoses(move, (pose) => clampPose(pose, masterSize, part));
    return isStill(settled) ? { kind: 'hold', pose: firstPose(settled) } : settled;
  };
  const stretches: FramingSegment[] = [];
  for (const span of spans) {
    const seen = framing.stretches.slice(stretchIndexAt(framing, span.from)).filter((s) => s.from < span.to);
    for (const stretch of seen) {
      const from = Math.max(span.from, stretch.from);
      const { move, fill } = startingAt(stretch, from);
      const shown: FramingSegment =
        fill?.kind === 'bars' || fill?.kind === 'soft'
          ? { from, move: { kind: 'hold', pose: { x: 0.5, y: 0.5, zoom: 1 } }, fill }
          : fill?.kind === 'stacked'
            ? {
                from,
                move: settle(move, frameOfPanel(fill, 'upper', frameSize)),
                fill: { ...fill, lower: settle(fill.lower, frameOfPanel(fill, 'lower', frameSize)) },
              }
            : { from, move: settle(move, frameSize) };
      const last = stretches.at(-1);
      const still =
        shown.move.kind === 'hold' && (shown.fill?.kind !== 'stacked' || isStill(shown.fill.lower));
      if (last && still && canonicalJson({ ...last, from: 0 }) === canonicalJson({ ...shown, from: 0 }))
        continue;
      stretches.push(shown);
    }
  }
  // A framing starts at frame 0, whatever part of it is seen.
  return { version: 1, stretches: stretches.map((s, i) => (i === 0 ? startingAt(s, 0) : s)) };
}
