import * as z from 'zod';
import { maxZoom } from '../pose.ts';
import { splineAt } from '../spline.ts';
import { offsetSchema, type MoveKind } from './kind.ts';

/** Controls of a spline along one axis, [0,1] of the master; a single one where the window does not move that way. */
const controls = z
  .array(z.number().min(0).max(1))
  .min(1)
  .max(60_000)
  .refine((c) => c.length === 1 || c.length >= 4, 'a spline has four controls at least');

/** A place that a person has set on the way of a window that follows. */
const setPointSchema = z.object({
  at: offsetSchema,
  x: z.number().min(0).max(1),
  y: z.number().min(0).max(1),
});
export type SetPoint = z.infer<typeof setPointSchema>;

/** A span of a following window that a person has made stand still, or go evenly. */
const setSpanSchema = z.object({ from: offsetSchema, to: offsetSchema, how: z.enum(['still', 'even']) });
export type SetSpan = z.infer<typeof setSpanSchema>;

/**
 * The window goes along a way that was worked out from a subject (see `splineAt`): its middle as two splines from
 * `start`, a control every `step` frames, at one zoom. What a person has set of it is kept beside it, so that working it
 * out again keeps to that.
 */
const schema = z
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
  .refine((f) => f.points.every((p, i) => i === 0 || p.at > f.points[i - 1]!.at), 'points come in order');
export type FollowMove = z.infer<typeof schema>;

/** A following window with one more place set by hand; the way itself is to be worked out again. */
export function withPoint(move: FollowMove, point: SetPoint): FollowMove {
  return {
    ...move,
    points: [...move.points.filter((p) => p.at !== point.at), point].sort((a, b) => a.at - b.at),
  };
}

/** Frames about a second apart, from the first to the last. */
function everySecond(last: number, framesPerSecond: number): number[] {
  const count = Math.max(1, Math.round(last / framesPerSecond));
  return [...new Set(Array.from({ length: count + 1 }, (_, i) => Math.round((i * last) / count)))];
}

export const follow = {
  schema,
  writer(move, settle) {
    const axis = (values: readonly number[], place: (value: number) => number) =>
      Float64Array.from(values, place);
    const xs = axis(move.x, (x) => settle({ x, y: 0.5, zoom: move.zoom }).x);
    const ys = axis(move.y, (y) => settle({ x: 0.5, y, zoom: move.zoom }).y);
    return (at, out) => {
      const u = (at - move.start) / move.step;
      out[0] = splineAt(xs, u);
      out[1] = splineAt(ys, u);
      out[2] = move.zoom;
    };
  },
  isStill: (move) => move.x.every((x) => x === move.x[0]) && move.y.every((y) => y === move.y[0]),
  firstPose: (move) => ({ x: splineAt(move.x, 0), y: splineAt(move.y, 0), zoom: move.zoom }),
  shift: (move, by) => ({
    ...move,
    start: move.start - by,
    points: move.points.map((p) => ({ ...p, at: p.at - by })),
    spans: move.spans.map((s) => ({ ...s, from: s.from - by, to: s.to - by })),
  }),
  stretch: (move, factor) => ({
    ...move,
    start: move.start * factor,
    step: move.step * factor,
    points: move.points
      .map((p) => ({ ...p, at: Math.round(p.at * factor) }))
      .filter((p, i, all) => i === 0 || p.at > all[i - 1]!.at),
    spans: move.spans.map((s) => ({
      ...s,
      from: Math.round(s.from * factor),
      to: Math.round(s.to * factor),
    })),
  }),
  lastFrame: (move) => Math.ceil(move.start + (Math.max(move.x.length, move.y.length) - 4) * move.step),
  mapPoses(move, change) {
    // The axes are changed one by one: a change of a pose moves its middle along each by itself.
    const at = (x: number, y: number) => change({ x, y, zoom: move.zoom });
    const [x0, y0] = [move.x[0]!, move.y[0]!];
    return {
      ...move,
      zoom: at(x0, y0).zoom,
      x: move.x.map((x) => at(x, y0).x),
      y: move.y.map((y) => at(x0, y).y),
      points: move.points.map((p) => {
        const { x, y } = at(p.x, p.y);
        return { ...p, x, y };
      }),
    };
  },
  withPoseAt: (move, at, pose) => withPoint(move, { at, x: pose.x, y: pose.y }),
  editAt: (_move, at) => at,
  largestZoom: (move) => move.zoom,
  setFrames: (move) => move.points.map((p) => p.at),
  // A way that was worked out becomes keyframes a second apart, to go on from by hand.
  course: (_move, { length, framesPerSecond }, poseAt) =>
    everySecond(Math.max(1, length - 1), framesPerSecond).map((at) => ({ at, pose: poseAt(at) })),
  make: null,
} satisfies MoveKind<FollowMove> & { schema: typeof schema };
