import * as z from 'zod';
import { poseSchema, type Pose } from '../pose.ts';
import { offsetSchema, samePose, type MoveKind, type PathKey, type PoseWriter } from './kind.ts';

/** The window passes through keyframes, smoothly and without overshooting them. */
const schema = z
  .object({
    kind: z.literal('path'),
    keys: z
      .array(z.object({ at: offsetSchema, pose: poseSchema }))
      .min(1)
      .max(20_000),
  })
  .refine((p) => p.keys.every((k, i) => i === 0 || k.at > p.keys[i - 1]!.at), 'keyframes come in order');
export type PathMove = z.infer<typeof schema>;

/**
 * Slopes at the knots of a monotone cubic: no overshoot, no wobble between keyframes. Fritsch and Carlson, “Monotone
 * Piecewise Cubic Interpolation”, SIAM J. Numer. Anal. 17 (1980), in the weighted-harmonic-mean form of Fritsch and
 * Butland (1984), from memory. The ends are level, so that a path starts and ends at rest.
 */
function monotoneSlopes(at: readonly number[], values: readonly number[]): number[] {
  return values.map((v, i) => {
    if (i === 0 || i === values.length - 1) return 0;
    const [h0, h1] = [at[i]! - at[i - 1]!, at[i + 1]! - at[i]!];
    const [d0, d1] = [(v - values[i - 1]!) / h0, (values[i + 1]! - v) / h1];
    if (d0 * d1 <= 0) return 0;
    const [w0, w1] = [2 * h1 + h0, h1 + 2 * h0];
    return (w0 + w1) / (w0 / d0 + w1 / d1);
  });
}

/** The place of the last knot at or before a frame; the frame lies between the first and the last. */
function knotBefore(at: readonly number[], frame: number): number {
  let low = 0;
  let high = at.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (at[middle]! <= frame) low = middle;
    else high = middle;
  }
  return low;
}

function pathWriter(keys: readonly PathKey[], settle: (pose: Pose) => Pose): PoseWriter {
  const at = keys.map((k) => k.at);
  const poses = keys.map((k) => settle(k.pose));
  // The zoom moves evenly in proportion, so it is interpolated as a logarithm.
  const axes = [poses.map((p) => p.x), poses.map((p) => p.y), poses.map((p) => Math.log(p.zoom))];
  const slopes = axes.map((values) => monotoneSlopes(at, values));
  const last = keys.length - 1;
  return (frame, out) => {
    const end = frame <= at[0]! ? 0 : frame >= at[last]! ? last : -1;
    if (end >= 0) {
      out[0] = poses[end]!.x;
      out[1] = poses[end]!.y;
      out[2] = poses[end]!.zoom;
      return;
    }
    const low = knotBefore(at, frame);
    const h = at[low + 1]! - at[low]!;
    const t = (frame - at[low]!) / h;
    const [t2, t3] = [t * t, t * t * t];
    for (let axis = 0; axis < 3; axis++) {
      const [v, m] = [axes[axis]!, slopes[axis]!];
      out[axis] =
        (2 * t3 - 3 * t2 + 1) * v[low]! +
        (t3 - 2 * t2 + t) * h * m[low]! +
        (3 * t2 - 2 * t3) * v[low + 1]! +
        (t3 - t2) * h * m[low + 1]!;
    }
    out[2] = Math.exp(out[2]!);
  };
}

/** A path without its keyframe at a frame; the last one that is left stays, and another kind of move is as it was. */
export function withoutKey<M extends { kind: string }>(move: M | PathMove, at: number): M | PathMove {
  if (!isPath(move) || move.keys.length < 2) return move;
  return { ...move, keys: move.keys.filter((k) => k.at !== at) };
}
const isPath = (move: { kind: string }): move is PathMove => move.kind === 'path';

const isStill = (move: PathMove): boolean => move.keys.every((k) => samePose(k.pose, move.keys[0]!.pose));

export const path = {
  schema,
  writer: (move, settle) => pathWriter(move.keys, settle),
  isStill,
  firstPose: (move) => move.keys[0]!.pose,
  shift: (move, by) => ({ ...move, keys: move.keys.map((k) => ({ ...k, at: k.at - by })) }),
  stretch(move, factor) {
    const keys: PathKey[] = [];
    for (const key of move.keys) {
      const at = Math.round(key.at * factor);
      // Of keyframes that fall together the later one stands.
      if (keys.length && keys.at(-1)!.at >= at) keys.pop();
      keys.push({ ...key, at });
    }
    return { ...move, keys };
  },
  lastFrame: (move) => move.keys.at(-1)!.at,
  mapPoses: (move, change) => ({
    ...move,
    keys: move.keys.map((k) => ({ ...k, pose: change(k.pose) })),
  }),
  withPoseAt: (move, at, pose) => ({
    kind: 'path',
    keys: [...move.keys.filter((k) => k.at !== at), { at, pose }].sort((a, b) => a.at - b.at),
  }),
  editAt: (_move, at) => at,
  largestZoom: (move) => Math.max(...move.keys.map((k) => k.pose.zoom)),
  setFrames: (move) => move.keys.map((k) => k.at),
  // Keyframes that are all alike say no more than one pose does.
  course: (move) => (isStill(move) ? null : move.keys),
  make: ({ at, pose }, course) => ({ kind: 'path', keys: course ? [...course] : [{ at, pose }] }),
} satisfies MoveKind<PathMove> & { schema: typeof schema };
