import {
  clamp,
  clipOf,
  editFrame,
  moveAs,
  frameAlone,
  frameOfPanel,
  setShotFraming,
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
  masterSize: Size;
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
  masterSize: Size,
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
  const poseOf = (panel: Panel) => poseOfMove(moveOf(panel), at, masterSize, partOf(panel));
  const editAt = (panel: Panel) => clamp(editFrame(moveOf(panel), at), 0, unit.to - unit.from - 1);
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
    masterSize: masterSize,
    framesPerSecond,
    shared: sharedSetup(framing, unit),
    movable: clip.fill.kind === 'filled' || clip.fill.kind === 'stacked',
    partOf,
    moveOf,
    poseOf,
    withMove,
    withClip,
    editAt,
    editPose: (panel) => poseOfMove(moveOf(panel), editAt(panel), masterSize, partOf(panel)),
    windowOf: (panel) => windowOf(poseOf(panel), masterSize, partOf(panel)),
    withPose: (panel, pose) => withMove(panel, withPoseAt(moveOf(panel), editAt(panel), pose)),
    withFill: (fill) => withClip({ ...clip, fill }),
    sharedOut: () => shareWithSetup(framing, units, unit),
    alone: () => frameAlone(framing, units, unit),
  };
}

/** The window at hand as another kind of move, going on from what is shown at the play head. */
export function moveTo(kind: Move['kind'], shot: ShotEditor, panel: Panel): Move {
  return moveAs(kind, shot.moveOf(panel), {
    masterSize: shot.masterSize,
    part: shot.partOf(panel),
    framesPerSecond: shot.framesPerSecond,
    length: shot.unit.to - shot.unit.from,
    at: shot.at,
    pose: shot.poseOf(panel),
  });
}
