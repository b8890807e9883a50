import type { Size } from '../picture/geometry.ts';
import { clipOf, setShotFraming, type Unit } from '../framing/shots-of.ts';
import { stretchAt, type Framing } from '../framing/framing.ts';
import { poseAt, windowOf, type Pose } from '../framing/pose.ts';
import { keepAt } from './keeps.ts';
import { hiddenKeeps, type FrameRules, type HiddenSpan, type Watchable } from './visibility.ts';

/** A change of a held window that clears a trouble, with what it comes to in master pixels. */
export interface Mend {
  framing: Framing;
  pose: Pose;
  dx: number;
  dy: number;
  /** The window must also become larger. */
  zoomsOut: boolean;
}

/** Clearing an edge by exactly its distance would be undone by rounding, master pixels. */
const clearance = 1;

/**
 * Looks for the smallest move of a held window that shows a hidden keep without hiding any other keep more than before.
 * Shots that share the framing are judged together. Null where no such move exists, or the shot's window moves.
 */
export function suggestMend(
  hidden: HiddenSpan<Watchable>,
  framing: Framing,
  units: readonly Unit[],
  unit: Unit,
  keeps: readonly Watchable[],
  masterSize: Size,
  rules: FrameRules,
): Mend | null {
  const stretch = stretchAt(framing, unit.from);
  if (stretch.move.kind !== 'hold' || (stretch.fill && stretch.fill.kind !== 'filled')) return null;
  const whole = { from: 0, to: units.at(-1)!.to };
  const held = stretch.move.pose;
  const clip = clipOf(framing, unit);
  const framed = (pose: Pose) =>
    setShotFraming(framing, units, unit, { ...clip, move: { kind: 'hold', pose } });
  /** Frames in which keeps are hidden: of the one in question inside the unit, and of all others anywhere. */
  const count = (f: Framing) => {
    const spans = hiddenKeeps(f, keeps, whole, masterSize, rules);
    const mine = spans.filter(
      (s) => s.keep.id === hidden.keep.id && s.span.from < unit.to && s.span.to > unit.from,
    );
    return { mine: total(mine), others: total(spans) - total(mine) };
  };
  const now = count(framing).others;
  const last = Math.min(hidden.span.to, unit.to) - 1;
  const boxes = [Math.max(hidden.span.from, unit.from), Math.floor((hidden.span.from + last) / 2), last].map(
    (f) => keepAt(hidden.keep, f),
  );

  for (const zoom of held.zoom > 1 ? [held.zoom, 1] : [held.zoom]) {
    const w = windowOf({ ...held, zoom }, masterSize, rules.frameSize);
    const room = { x: masterSize.width - w.width, y: masterSize.height - w.height };
    // Where a window's edge or a blocked area's edge would just touch the keep.
    const [xs, ys] = [new Set([w.x]), new Set([w.y])];
    for (const box of boxes) {
      const [left, top, right, bottom] = [
        box.x * masterSize.width,
        box.y * masterSize.height,
        (box.x + box.width) * masterSize.width,
        (box.y + box.height) * masterSize.height,
      ];
      const m = rules.margins ?? { left: 0, right: 0, top: 0, bottom: 0 };
      xs.add(left - m.left * w.width - clearance).add(right - (1 - m.right) * w.width + clearance);
      ys.add(top - m.top * w.height - clearance).add(bottom - (1 - m.bottom) * w.height + clearance);
      for (const b of rules.blocked) {
        xs.add(right - b.x * w.width + clearance).add(left - (b.x + b.width) * w.width - clearance);
        ys.add(bottom - b.y * w.height + clearance).add(top - (b.y + b.height) * w.height - clearance);
      }
    }
    const inside = (values: Set<number>, most: number) => [
      ...new Set([...values].map((v) => Math.max(0, Math.min(most, v)))),
    ];
    const candidates = inside(xs, room.x).flatMap((x) =>
      inside(ys, room.y).map((y) => ({
        dx: x - w.x,
        dy: y - w.y,
        pose: poseAt(x, y, zoom, masterSize, rules.frameSize),
      })),
    );
    candidates.sort((a, b) => a.dx ** 2 + a.dy ** 2 - (b.dx ** 2 + b.dy ** 2));
    for (const { dx, dy, pose } of candidates) {
      if (dx === 0 && dy === 0 && zoom === held.zoom) continue;
      const changed = framed(pose);
      const after = count(changed);
      if (after.mine === 0 && after.others <= now)
        return { framing: changed, pose, dx, dy, zoomsOut: zoom < held.zoom };
    }
  }
  return null;
}

function total(spans: readonly Pick<HiddenSpan, 'span'>[]): number {
  return spans.reduce((sum, s) => sum + s.span.to - s.span.from, 0);
}
