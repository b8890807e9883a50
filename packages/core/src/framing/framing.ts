import { z } from 'zod';
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

const moveSchema = z.discriminatedUnion('kind', [z.object({ kind: z.literal('hold'), pose: poseSchema })]);

/** A stretch of the framing, from a master frame until the next stretch starts or the film ends. */
const stretchSchema = z.object({ from: z.number().int().nonnegative(), move: moveSchema });

/** All windows of a version through time. The first stretch starts at frame 0; starts only grow. */
export const framingSchema = z
  .object({ version: z.literal(1), stretches: z.array(stretchSchema).min(1) })
  .refine((f) => f.stretches[0]?.from === 0, 'the first stretch starts at frame 0')
  .refine((f) => f.stretches.every((s, i) => i === 0 || s.from > f.stretches[i - 1]!.from), 'stretches come in order');
export type Framing = z.infer<typeof framingSchema>;

/** The middle of the master, as large as it goes. */
export const centredPose: Pose = { x: 0.5, y: 0.5, zoom: 1 };

/** A framing that holds one window through the whole film. */
export function heldFraming(pose: Pose = centredPose): Framing {
  return { version: 1, stretches: [{ from: 0, move: { kind: 'hold', pose } }] };
}

/** The window of a pose: the frame's exact shape, wholly inside the master. Never rounded. */
export function windowOf(pose: Pose, master: Size, frame: Size): MasterRect {
  const largest = largestWindowSize(master, frame);
  const zoom = clamp(pose.zoom, 1, maxZoom);
  const width = largest.width / zoom;
  const height = largest.height / zoom;
  return {
    x: clamp(pose.x * master.width - width / 2, 0, master.width - width),
    y: clamp(pose.y * master.height - height / 2, 0, master.height - height),
    width,
    height,
  };
}

/** The pose whose window has this left edge and top (master pixels) at a zoom, clamped into the master. */
export function poseAt(left: number, top: number, zoom: number, master: Size, frame: Size): Pose {
  const largest = largestWindowSize(master, frame);
  const z = clamp(zoom, 1, maxZoom);
  const width = largest.width / z;
  const height = largest.height / z;
  return {
    x: (clamp(left, 0, master.width - width) + width / 2) / master.width,
    y: (clamp(top, 0, master.height - height) + height / 2) / master.height,
    zoom: z,
  };
}

/** Puts a pose's centre where its window really sits, so that repeated nudges never wind up beyond an edge. */
export function settlePose(pose: Pose, master: Size, frame: Size): Pose {
  const window = windowOf(pose, master, frame);
  return poseAt(window.x, window.y, pose.zoom, master, frame);
}

/** Zooms a pose to `zoom` while the master point at (`u`, `v`), fractions of the master, stays where it is in the frame. */
export function zoomAbout(pose: Pose, zoom: number, u: number, v: number, master: Size, frame: Size): Pose {
  const before = windowOf(pose, master, frame);
  const z = clamp(zoom, 1, maxZoom);
  const largest = largestWindowSize(master, frame);
  const fx = (u * master.width - before.x) / before.width;
  const fy = (v * master.height - before.y) / before.height;
  return poseAt(u * master.width - (fx * largest.width) / z, v * master.height - (fy * largest.height) / z, z, master, frame);
}

/** The stretch of a framing that a master frame falls in. */
export function stretchAt(framing: Framing, masterFrame: number): Framing['stretches'][number] {
  let found = framing.stretches[0]!;
  for (const stretch of framing.stretches) {
    if (stretch.from > masterFrame) break;
    found = stretch;
  }
  return found;
}

/**
 * The one truth for the window: what the proof draws, the troubles are computed from and the renderer crops.
 *
 * @param masterFrame integer frame of the master
 * @param master displayed size of the master, pixels
 * @param frame delivered frame size, pixels
 */
export function windowAt(framing: Framing, masterFrame: number, master: Size, frame: Size): MasterRect {
  const { move } = stretchAt(framing, masterFrame);
  switch (move.kind) {
    case 'hold':
      return windowOf(move.pose, master, frame);
  }
}
