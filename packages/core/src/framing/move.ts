import { z } from 'zod';
import { clamp, type Size } from '../picture/geometry.ts';
import { maxZoom, poseSchema, clampPose, type Pose } from './pose.ts';
import { splineAt } from './spline.ts';

/** Frames counted from the first frame of the stretch that a move belongs to; may lie outside of it. */
const offset = z.number().int().min(-10_000_000).max(10_000_000);

/** Controls of a spline along one axis, [0,1] of the master; a single one where the window does not move that way. */
const controls = z
  .array(z.number().min(0).max(1))
  .min(1)
  .max(60_000)
  .refine((c) => c.length === 1 || c.length >= 4, 'a spline has four controls at least');

/** A place that a person has set on the way of a window that follows. */
const setPointSchema = z.object({ at: offset, x: z.number().min(0).max(1), y: z.number().min(0).max(1) });
export type SetPoint = z.infer<typeof setPointSchema>;

/** A span of a following window that a person has made stand still, or go evenly. */
const setSpanSchema = z.object({ from: offset, to: offset, how: z.enum(['still', 'even']) });
export type SetSpan = z.infer<typeof setSpanSchema>;

/**
 * How a window behaves through a stretch.
 * - `hold`: it stands still.
 * - `glide`: it stands on `a` until `start`, moves to `b` until `end`, and stands there. `soft` eases in and out.
 * - `path`: it passes through keyframes, smoothly and without overshooting them.
 * - `follow`: it goes along a way that was worked out from a subject (see `splineAt`): its middle as two splines from
 *   `start`, a control every `step` frames, at one zoom. What a person has set of it is kept beside it, so that working
 *   it out again keeps to that.
 */
export const moveSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('hold'), pose: poseSchema }),
  z
    .object({
      kind: z.literal('glide'),
      a: poseSchema,
      b: poseSchema,
      start: offset,
      end: offset,
      ease: z.enum(['soft', 'even']),
    })
    .refine((g) => g.end > g.start, 'a glide ends after it starts'),
  z
    .object({
      kind: z.literal('path'),
      keys: z
        .array(z.object({ at: offset, pose: poseSchema }))
        .min(1)
        .max(20_000),
    })
    .refine((p) => p.keys.every((k, i) => i === 0 || k.at > p.keys[i - 1]!.at), 'keyframes come in order'),
  z
    .object({
      kind: z.literal('follow'),
      start: z.number().min(-10_000_000).max(10_000_000),
      step: z.number().positive().max(10_000),
      zoom: z.number().min(1).max(maxZoom),
      x: controls,
      y: controls,
      points: z.array(setPointSchema).max(2000),
      spans: z.array(setSpanSchema).max(2000),
    })
    .refine((f) => f.points.every((p, i) => i === 0 || p.at > f.points[i - 1]!.at), 'points come in order'),
]);
export type Move = z.infer<typeof moveSchema>;
export type PathKey = Extract<Move, { kind: 'path' }>['keys'][number];

/** Eases in and out with no jump in speed (cubic Hermite; its highest speed is 1.5 times the average). */
const soften = (t: number) => t * t * (3 - 2 * t);

/** A pose worked out at a frame: written into three numbers, so that ten minutes of film cost no garbage. */
type PoseWriter = (at: number, out: Float64Array) => void;

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
    let low = 0;
    let high = last;
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if (at[middle]! <= frame) low = middle;
      else high = middle;
    }
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

/**
 * Readies a move for many frames. Poses are settled first, so that a window moves between the places where it really
 * stands and never idles at an edge of the master. The writer takes frames counted from the stretch's start and
 * writes x, y and zoom.
 */
export function moveWriter(move: Move, master: Size, frame: Size): PoseWriter {
  const settle = (pose: Pose) => clampPose(pose, master, frame);
  switch (move.kind) {
    case 'hold': {
      const { x, y, zoom } = settle(move.pose);
      return (_at, out) => {
        out[0] = x;
        out[1] = y;
        out[2] = zoom;
      };
    }
    case 'glide': {
      const [a, b] = [settle(move.a), settle(move.b)];
      const soft = move.ease === 'soft';
      const ratio = b.zoom / a.zoom;
      return (at, out) => {
        const even = clamp((at - move.start) / (move.end - move.start), 0, 1);
        const t = soft ? soften(even) : even;
        out[0] = a.x + (b.x - a.x) * t;
        out[1] = a.y + (b.y - a.y) * t;
        out[2] = ratio === 1 ? a.zoom : a.zoom * ratio ** t;
      };
    }
    case 'path':
      return pathWriter(move.keys, settle);
    case 'follow': {
      const axis = (controls: readonly number[], place: (value: number) => number) =>
        Float64Array.from(controls, place);
      const xs = axis(move.x, (x) => settle({ x, y: 0.5, zoom: move.zoom }).x);
      const ys = axis(move.y, (y) => settle({ x: 0.5, y, zoom: move.zoom }).y);
      return (at, out) => {
        const u = (at - move.start) / move.step;
        out[0] = splineAt(xs, u);
        out[1] = splineAt(ys, u);
        out[2] = move.zoom;
      };
    }
  }
}

/** The pose of a move at a frame counted from its stretch's start. See {@link moveWriter}. */
export function poseOfMove(move: Move, at: number, master: Size, frame: Size): Pose {
  const out = new Float64Array(3);
  moveWriter(move, master, frame)(at, out);
  return { x: out[0]!, y: out[1]!, zoom: out[2]! };
}

/** True when the window never moves. */
export function isStill(move: Move): boolean {
  const same = (a: Pose, b: Pose) => a.x === b.x && a.y === b.y && a.zoom === b.zoom;
  switch (move.kind) {
    case 'hold':
      return true;
    case 'glide':
      return same(move.a, move.b);
    case 'path':
      return move.keys.every((k) => same(k.pose, move.keys[0]!.pose));
    case 'follow':
      return move.x.every((x) => x === move.x[0]) && move.y.every((y) => y === move.y[0]);
  }
}

/** The pose that a move starts from. */
export function firstPose(move: Move): Pose {
  switch (move.kind) {
    case 'hold':
      return move.pose;
    case 'glide':
      return move.a;
    case 'path':
      return move.keys[0]!.pose;
    case 'follow':
      return { x: splineAt(move.x, 0), y: splineAt(move.y, 0), zoom: move.zoom };
  }
}

/** The same move seen from a stretch that starts `by` frames later. */
export function shiftMove(move: Move, by: number): Move {
  if (by === 0) return move;
  switch (move.kind) {
    case 'hold':
      return move;
    case 'glide':
      return { ...move, start: move.start - by, end: move.end - by };
    case 'path':
      return { ...move, keys: move.keys.map((k) => ({ ...k, at: k.at - by })) };
    case 'follow':
      return {
        ...move,
        start: move.start - by,
        points: move.points.map((p) => ({ ...p, at: p.at - by })),
        spans: move.spans.map((s) => ({ ...s, from: s.from - by, to: s.to - by })),
      };
  }
}

/** The same move in a stretch that is `factor` times as long; whole frames, never collapsing a glide or two keyframes. */
export function stretchMove(move: Move, factor: number): Move {
  if (factor === 1) return move;
  switch (move.kind) {
    case 'hold':
      return move;
    case 'glide': {
      const start = Math.round(move.start * factor);
      return { ...move, start, end: Math.max(start + 1, Math.round(move.end * factor)) };
    }
    case 'path': {
      const keys: PathKey[] = [];
      for (const key of move.keys) {
        const at = Math.round(key.at * factor);
        // Of keyframes that fall together the later one stands.
        if (keys.length && keys.at(-1)!.at >= at) keys.pop();
        keys.push({ ...key, at });
      }
      return { ...move, keys };
    }
    case 'follow': {
      const points = move.points
        .map((p) => ({ ...p, at: Math.round(p.at * factor) }))
        .filter((p, i, all) => i === 0 || p.at > all[i - 1]!.at);
      return {
        ...move,
        start: move.start * factor,
        step: move.step * factor,
        points,
        spans: move.spans.map((s) => ({
          ...s,
          from: Math.round(s.from * factor),
          to: Math.round(s.to * factor),
        })),
      };
    }
  }
}

/** Fits a move made for a stretch of `from` frames into one of `to`: as it is where it fits, else pressed together. */
export function fitMove(move: Move, from: number, to: number): Move {
  const last =
    move.kind === 'glide'
      ? move.end
      : move.kind === 'path'
        ? move.keys.at(-1)!.at
        : move.kind === 'follow'
          ? Math.ceil(move.start + (Math.max(move.x.length, move.y.length) - 4) * move.step)
          : 0;
  return last < to || from <= to ? move : stretchMove(move, to / from);
}

const axes = ({ x, y }: Pose) => ({ x, y });

/** Applies a change to every pose of a move. */
export function mapPoses(move: Move, change: (pose: Pose) => Pose): Move {
  switch (move.kind) {
    case 'hold':
      return { ...move, pose: change(move.pose) };
    case 'glide':
      return { ...move, a: change(move.a), b: change(move.b) };
    case 'path':
      return { ...move, keys: move.keys.map((k) => ({ ...k, pose: change(k.pose) })) };
    case 'follow': {
      // The axes are changed one by one: a change of a pose moves its middle along each by itself.
      const at = (x: number, y: number) => change({ x, y, zoom: move.zoom });
      const [x0, y0] = [move.x[0]!, move.y[0]!];
      return {
        ...move,
        zoom: at(x0, y0).zoom,
        x: move.x.map((x) => at(x, y0).x),
        y: move.y.map((y) => at(x0, y).y),
        points: move.points.map((p) => ({ ...p, ...axes(at(p.x, p.y)) })),
      };
    }
  }
}

/**
 * The move with another pose at a frame: a hold takes it everywhere, a glide takes it at the end that the frame is
 * nearer to, a path gets a keyframe there.
 */
export function withPoseAt(move: Move, at: number, pose: Pose): Move {
  switch (move.kind) {
    case 'hold':
      return { kind: 'hold', pose };
    case 'glide':
      return at - move.start < move.end - at ? { ...move, a: pose } : { ...move, b: pose };
    case 'path':
      return {
        kind: 'path',
        keys: [...move.keys.filter((k) => k.at !== at), { at, pose }].sort((a, b) => a.at - b.at),
      };
    case 'follow':
      return withPoint(move, { at, x: pose.x, y: pose.y });
  }
}

export type FollowMove = Extract<Move, { kind: 'follow' }>;

/** A following window with one more place set by hand; the way itself is to be worked out again. */
export function withPoint(move: FollowMove, point: SetPoint): FollowMove {
  return {
    ...move,
    points: [...move.points.filter((p) => p.at !== point.at), point].sort((a, b) => a.at - b.at),
  };
}
