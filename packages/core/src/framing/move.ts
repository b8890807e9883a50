import type { Size } from '../picture/geometry.ts';
import { clampPose, type Pose } from './pose.ts';
import type { MoveScene, PoseWriter } from './moves/kind.ts';
import { kindOf, moveKind, type Move } from './moves/kinds.ts';

/**
 * Readies a move for many frames. Poses are settled first, so that a window moves between the places where it really
 * stands and never idles at an edge of the master. The writer takes frames counted from the stretch's start and
 * writes x, y and zoom.
 */
export function moveWriter(move: Move, masterSize: Size, frameSize: Size): PoseWriter {
  return kindOf(move).writer(move, (pose) => clampPose(pose, masterSize, frameSize));
}

/** The pose of a move at a frame counted from its stretch's start. See {@link moveWriter}. */
export function poseOfMove(move: Move, at: number, masterSize: Size, frameSize: Size): Pose {
  const out = new Float64Array(3);
  moveWriter(move, masterSize, frameSize)(at, out);
  return { x: out[0]!, y: out[1]!, zoom: out[2]! };
}

/** True when the window never moves. */
export const isStill = (move: Move): boolean => kindOf(move).isStill(move);

/** The pose that a move starts from. */
export const firstPose = (move: Move): Pose => kindOf(move).firstPose(move);

/** The largest zoom on a move's way. */
export const largestZoom = (move: Move): number => kindOf(move).largestZoom(move);

/** Where a change of the pose at a frame takes hold: at the nearer end of a glide, else right there. */
export const editFrame = (move: Move, at: number): number => kindOf(move).editAt(move, at);

/** The frames at which something of a move is set: ends, keyframes, points. */
export const setFrames = (move: Move): readonly number[] => kindOf(move).setFrames(move);

/** The same move seen from a stretch that starts `by` frames later. */
export const shiftMove = (move: Move, by: number): Move => (by === 0 ? move : kindOf(move).shift(move, by));

/** The same move in a stretch that is `factor` times as long; whole frames, never collapsing a glide or two keyframes. */
export const stretchMove = (move: Move, factor: number): Move =>
  factor === 1 ? move : kindOf(move).stretch(move, factor);

/** Fits a move made for a stretch of `from` frames into one of `to`: as it is where it fits, else pressed together. */
export function fitMove(move: Move, from: number, to: number): Move {
  return kindOf(move).lastFrame(move) < to || from <= to ? move : stretchMove(move, to / from);
}

/** Applies a change to every pose of a move. */
export const mapPoses = (move: Move, change: (pose: Pose) => Pose): Move =>
  kindOf(move).mapPoses(move, change);

/**
 * The move with another pose at a frame: a hold takes it everywhere, a glide takes it at the end that the frame is
 * nearer to, a path gets a keyframe there, a way that is worked out a point.
 */
export const withPoseAt = (move: Move, at: number, pose: Pose): Move =>
  kindOf(move).withPoseAt(move, at, pose);

/** The same window as another kind of move, going on from what is shown; one that no hand makes leaves it as it is. */
export function moveAs(kind: Move['kind'], move: Move, scene: MoveScene): Move {
  const { make } = moveKind(kind);
  if (!make || kind === move.kind) return move.kind === 'hold' && make ? make(scene, null) : move;
  const course = kindOf(move).course(move, scene, (at) => poseOfMove(move, at, scene.masterSize, scene.part));
  return make(scene, course);
}
