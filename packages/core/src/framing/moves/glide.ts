import * as z from 'zod';
import { clamp } from '../../picture/geometry.ts';
import { poseSchema } from '../pose.ts';
import { offsetSchema, samePose, type MoveKind } from './kind.ts';

/** The window stands on `a` until `start`, moves to `b` until `end`, and stands there. `soft` eases in and out. */
const schema = z
  .object({
    kind: z.literal('glide'),
    a: poseSchema,
    b: poseSchema,
    start: offsetSchema,
    end: offsetSchema,
    ease: z.enum(['soft', 'even']),
  })
  .refine((g) => g.end > g.start, 'a glide ends after it starts');
export type GlideMove = z.infer<typeof schema>;

/** Eases in and out with no jump in speed (cubic Hermite; its highest speed is 1.5 times the average). */
const soften = (t: number) => t * t * (3 - 2 * t);

/** True at frames that are nearer to where the glide starts. */
const nearerToStart = (move: GlideMove, at: number) => at - move.start < move.end - at;

export const glide = {
  schema,
  writer(move, settle) {
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
  },
  isStill: (move) => samePose(move.a, move.b),
  firstPose: (move) => move.a,
  shift: (move, by) => ({ ...move, start: move.start - by, end: move.end - by }),
  stretch(move, factor) {
    const start = Math.round(move.start * factor);
    return { ...move, start, end: Math.max(start + 1, Math.round(move.end * factor)) };
  },
  lastFrame: (move) => move.end,
  mapPoses: (move, change) => ({ ...move, a: change(move.a), b: change(move.b) }),
  // It is set at its ends: a pose is the one of the end that is nearer.
  withPoseAt: (move, at, pose) => (nearerToStart(move, at) ? { ...move, a: pose } : { ...move, b: pose }),
  editAt: (move, at) => (nearerToStart(move, at) ? move.start : move.end),
  largestZoom: (move) => Math.max(move.a.zoom, move.b.zoom),
  setFrames: (move) => [move.start, move.end],
  course: (move) => [
    { at: move.start, pose: move.a },
    { at: move.end, pose: move.b },
  ],
  make({ pose, length }, course) {
    const last = Math.max(1, length - 1);
    const [from, to] = [course?.[0], course?.at(-1)];
    if (!from || !to || from.at >= to.at)
      return { kind: 'glide', a: pose, b: pose, start: 0, end: last, ease: 'soft' };
    return {
      kind: 'glide',
      a: from.pose,
      b: to.pose,
      start: Math.max(0, from.at),
      end: Math.max(1, to.at),
      ease: 'soft',
    };
  },
} satisfies MoveKind<GlideMove> & { schema: typeof schema };
