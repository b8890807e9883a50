import * as z from 'zod';
import { clamp, type MasterRect, type Size } from '../picture/geometry.ts';
import { largestWindowSize } from '../picture/fit.ts';

/** The most a window may zoom in: an eighth of the largest window each way. */
export const maxZoom = 8;

/**
 * Where a window sits, free of any frame's shape, so that it can be carried from one placement to another:
 * its centre in [0,1] of the displayed master, and a zoom of 1 (the largest window that fits) up to {@link maxZoom}.
 */
export const poseSchema = z.object({
  x: z.number().min(0).max(1),
  y: z.number().min(0).max(1),
  zoom: z.number().min(1).max(maxZoom),
});
export type Pose = z.infer<typeof poseSchema>;

/** The middle of the master, as large as it goes. */
export const centredPose: Pose = { x: 0.5, y: 0.5, zoom: 1 };

/** The window of a pose: the frame's exact shape, wholly inside the master. Never rounded. */
export function windowOf(pose: Pose, masterSize: Size, frameSize: Size): MasterRect {
  const largest = largestWindowSize(masterSize, frameSize);
  const zoom = clamp(pose.zoom, 1, maxZoom);
  const width = largest.width / zoom;
  const height = largest.height / zoom;
  return {
    x: clamp(pose.x * masterSize.width - width / 2, 0, masterSize.width - width),
    y: clamp(pose.y * masterSize.height - height / 2, 0, masterSize.height - height),
    width,
    height,
  };
}

/** The pose whose window has this left edge and top (master pixels) at a zoom, clamped into the master. */
export function poseAt(left: number, top: number, zoom: number, masterSize: Size, frameSize: Size): Pose {
  const largest = largestWindowSize(masterSize, frameSize);
  const z = clamp(zoom, 1, maxZoom);
  const width = largest.width / z;
  const height = largest.height / z;
  return {
    x: (clamp(left, 0, masterSize.width - width) + width / 2) / masterSize.width,
    y: (clamp(top, 0, masterSize.height - height) + height / 2) / masterSize.height,
    zoom: z,
  };
}

/** Puts a pose's centre where its window really sits, so that repeated nudges never wind up beyond an edge. */
export function clampPose(pose: Pose, masterSize: Size, frameSize: Size): Pose {
  const window = windowOf(pose, masterSize, frameSize);
  return poseAt(window.x, window.y, pose.zoom, masterSize, frameSize);
}

/** Zooms a pose to `zoom` while the master point at (`u`, `v`), fractions of the master, stays where it is in the frame. */
export function zoomAbout(
  pose: Pose,
  zoom: number,
  u: number,
  v: number,
  masterSize: Size,
  frameSize: Size,
): Pose {
  const before = windowOf(pose, masterSize, frameSize);
  const z = clamp(zoom, 1, maxZoom);
  const largest = largestWindowSize(masterSize, frameSize);
  const fx = (u * masterSize.width - before.x) / before.width;
  const fy = (v * masterSize.height - before.y) / before.height;
  return poseAt(
    u * masterSize.width - (fx * largest.width) / z,
    v * masterSize.height - (fy * largest.height) / z,
    z,
    masterSize,
    frameSize,
  );
}

/** How near, in screen or master pixels as the caller counts, a dragged window comes before it is caught by a guide. */
export interface Snap {
  pose: Pose;
  /** Guides that caught it, for drawing: fractions of the master. */
  x: number | null;
  y: number | null;
}

/** Lines that a window's middle is caught by: the master's centre and its thirds (common practice). */
const guides = [1 / 2, 1 / 3, 2 / 3];

/** Lets the centre and the thirds of the master catch a window's middle when it comes within `reach` master pixels. */
export function snapPose(pose: Pose, masterSize: Size, frameSize: Size, reach: number): Snap {
  const settled = clampPose(pose, masterSize, frameSize);
  const catchAt = (value: number, length: number) =>
    guides.find((g) => Math.abs(g - value) * length <= reach) ?? null;
  const [x, y] = [catchAt(settled.x, masterSize.width), catchAt(settled.y, masterSize.height)];
  const snapped = clampPose(
    { x: x ?? settled.x, y: y ?? settled.y, zoom: settled.zoom },
    masterSize,
    frameSize,
  );
  // A guide that the window cannot reach from inside the master has not caught it.
  return {
    pose: snapped,
    x: x !== null && Math.abs(snapped.x - x) < 1e-9 ? x : null,
    y: y !== null && Math.abs(snapped.y - y) < 1e-9 ? y : null,
  };
}
