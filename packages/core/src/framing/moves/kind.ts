import * as z from 'zod';
import type { Size } from '../../picture/geometry.ts';
import type { Pose } from '../pose.ts';

/** Frames counted from the first frame of the stretch that a move belongs to; may lie outside of it. */
export const offsetSchema = z.number().int().min(-10_000_000).max(10_000_000);

/** A pose worked out at a frame: written into three numbers, so that ten minutes of film cost no garbage. */
export type PoseWriter = (at: number, out: Float64Array) => void;

/** What a move stands in where it is made into another kind. */
export interface MoveScene {
  masterSize: Size;
  /** The frame, or the part of it, that the window fills. */
  part: Size;
  framesPerSecond: number;
  /** Frames of the stretch. */
  length: number;
  /** The frame that is looked at, counted from the stretch's start, and the pose there. */
  at: number;
  pose: Pose;
}

/**
 * What a kind of move is: everything that is different from kind to kind. A new one is a file beside this, a line in
 * `kinds.ts`, and a line in the interface's record of their words; the compiler lists what is missing.
 */
export interface MoveKind<M extends { kind: string }> {
  /** How it is written in a framing. */
  schema: z.ZodType<M>;
  /** Readies it for many frames; `settle` puts a pose where it can stand. */
  writer: (move: M, settle: (pose: Pose) => Pose) => PoseWriter;
  /** The window never moves. */
  isStill: (move: M) => boolean;
  /** The pose that it starts from. */
  firstPose: (move: M) => Pose;
  /** The same move seen from a stretch that starts `by` frames later. */
  shift: (move: M, by: number) => M;
  /** The same move in a stretch that is `factor` times as long; whole frames, never collapsing. */
  stretch: (move: M, factor: number) => M;
  /** The last frame that it has something to do at. */
  lastFrame: (move: M) => number;
  mapPoses: (move: M, change: (pose: Pose) => Pose) => M;
  /** The move with another pose at a frame. */
  withPoseAt: (move: M, at: number, pose: Pose) => M;
  /** Where a change of the pose at a frame takes hold. */
  editAt: (move: M, at: number) => number;
  /** The largest zoom on its way. */
  largestZoom: (move: M) => number;
  /** The frames at which something of it is set: ends, keyframes, points. */
  setFrames: (move: M) => readonly number[];
  /** The poses that another kind takes over when this becomes it, with their frames; null where it is one pose. */
  course: (move: M, scene: MoveScene, poseAt: (at: number) => Pose) => readonly PathKey[] | null;
  /** A move of this kind that shows what is shown, `course` of the one before; null where it cannot be made by hand. */
  make: ((scene: MoveScene, course: readonly PathKey[] | null) => M) | null;
}

/** A pose at a frame. */
export interface PathKey {
  at: number;
  pose: Pose;
}

export const samePose = (a: Pose, b: Pose): boolean => a.x === b.x && a.y === b.y && a.zoom === b.zoom;
