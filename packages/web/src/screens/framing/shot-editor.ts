import {
  clipOf,
  frameAlone,
  frameOfPanel,
  setShotFraming,
  isStill,
  poseOfMove,
  shareWithSetup,
  sharedSetup,
  stretchAt,
  unitAt,
  windowOf,
  withPoseAt,
  type Clip,
  type Fill,
  type Framing,
  type MasterRect,
  type Move,
  type Pose,
  type Size,
  type Unit,
} from '@mivvy/core';

export type Panel = 'upper' | 'lower';

/** The shot that the play head stands in, as something that can be framed. */
export interface ShotEditor {
  units: readonly Unit[];
  unit: Unit;
  clip: Clip;
  /** Frames from the start of the shot to the play head. */
  at: number;
  master: Size;
  framesPerSecond: number;
  /** The setup that this framing is shared with, if it is. */
  shared: string | undefined;
  /** The window can be moved: bars and soft grounds show the whole master. */
  movable: boolean;
  partOf: (panel: Panel) => Size;
  moveOf: (panel: Panel) => Move;
  poseOf: (panel: Panel) => Pose;
  /** Where a change of the pose takes hold: the nearer end of a glide, else the play head. Frames from the shot's start. */
  editAt: (panel: Panel) => number;
  /** The pose there. */
  editPose: (panel: Panel) => Pose;
  windowOf: (panel: Panel) => MasterRect;
  /** Each of these gives the whole framing with the change in it. */
  withMove: (panel: Panel, move: Move) => Framing;
  withPose: (panel: Panel, pose: Pose) => Framing;
  withFill: (fill: Fill) => Framing;
  withClip: (clip: Clip) => Framing;
  sharedOut: () => Framing;
  alone: () => Framing;
}

/** Takes the shot at a frame into the hand. */
export function shotEditorAt(
  framing: Framing,
  units: readonly Unit[],
  frame: number,
  master: Size,
  size: Size,
  framesPerSecond: number,
): ShotEditor {
  const unit = unitAt(units, frame);
  const clip = clipOf(framing, unit);
  const at = frame - unit.from;
  // A lock is the shot's, whatever is done to it by hand; shots that share a framing are not locked by each other.
  const locked = stretchAt(framing, unit.from).locked && !sharedSetup(framing, unit);
  const withClip = (next: Clip) => setShotFraming(framing, units, unit, locked ? { ...next, locked } : next);
  const partOf = (panel: Panel) => frameOfPanel(clip.fill, panel, size);
  const moveOf = (panel: Panel) =>
    panel === 'lower' && clip.fill.kind === 'stacked' ? clip.fill.lower : clip.move;
  const poseOf = (panel: Panel) => poseOfMove(moveOf(panel), at, master, partOf(panel));
  const editAt = (panel: Panel) => {
    const move = moveOf(panel);
    if (move.kind !== 'glide') return at;
    return Math.max(
      0,
      Math.min(unit.to - unit.from - 1, at - move.start < move.end - at ? move.start : move.end),
    );
  };
  const withMove = (panel: Panel, move: Move) =>
    withClip(
      panel === 'lower' && clip.fill.kind === 'stacked'
        ? { ...clip, fill: { ...clip.fill, lower: move } }
        : { ...clip, move },
    );
  return {
    units,
    unit,
    clip,
    at,
    master,
    framesPerSecond,
    shared: sharedSetup(framing, unit),
    movable: clip.fill.kind === 'filled' || clip.fill.kind === 'stacked',
    partOf,
    moveOf,
    poseOf,
    withMove,
    withClip,
    editAt,
    editPose: (panel) => poseOfMove(moveOf(panel), editAt(panel), master, partOf(panel)),
    windowOf: (panel) => windowOf(poseOf(panel), master, partOf(panel)),
    withPose: (panel, pose) => withMove(panel, withPoseAt(moveOf(panel), editAt(panel), pose)),
    withFill: (fill) => withClip({ ...clip, fill }),
    sharedOut: () => shareWithSetup(framing, units, unit),
    alone: () => frameAlone(framing, units, unit),
  };
}

/** The same window as another kind of move: it starts from what is shown at the play head. */
export function moveAs(kind: Move['kind'], hand: ShotEditor, panel: Panel): Move {
  const pose = hand.poseOf(panel);
  const old = hand.moveOf(panel);
  const last = Math.max(1, hand.unit.to - hand.unit.from - 1);
  switch (kind) {
    case 'hold':
      return { kind, pose };
    case 'glide':
      if (old.kind === 'follow')
        return {
          kind,
          a: poseOfMove(old, 0, hand.master, hand.partOf(panel)),
          b: poseOfMove(old, last, hand.master, hand.partOf(panel)),
          start: 0,
          end: last,
          ease: 'soft',
        };
      return old.kind === 'path' && !isStill(old)
        ? {
            kind,
            a: old.keys[0]!.pose,
            b: old.keys.at(-1)!.pose,
            start: Math.max(0, old.keys[0]!.at),
            end: Math.max(1, old.keys.at(-1)!.at),
            ease: 'soft',
          }
        : { kind, a: pose, b: pose, start: 0, end: last, ease: 'soft' };
    case 'path':
      // A way that was worked out becomes keyframes a second apart, to go on from by hand.
      if (old.kind === 'follow')
        return {
          kind,
          keys: everySecond(last, hand.framesPerSecond).map((at) => ({
            at,
            pose: poseOfMove(old, at, hand.master, hand.partOf(panel)),
          })),
        };
      return old.kind === 'glide'
        ? {
            kind,
            keys: [
              { at: old.start, pose: old.a },
              { at: old.end, pose: old.b },
            ],
          }
        : { kind, keys: [{ at: hand.at, pose }] };
    case 'follow':
      return old;
  }
}

const everySecond = (last: number, framesPerSecond: number): number[] => {
  const count = Math.max(1, Math.round(last / framesPerSecond));
  return [...new Set(Array.from({ length: count + 1 }, (_, i) => Math.round((i * last) / count)))];
};

/** A path without its keyframe at a frame; the last one that is left stays. */
export function withoutKey(move: Move, at: number): Move {
  if (move.kind !== 'path' || move.keys.length < 2) return move;
  return { ...move, keys: move.keys.filter((k) => k.at !== at) };
}
