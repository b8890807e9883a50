import * as z from 'zod';
import { poseSchema } from '../pose.ts';
import type { MoveKind } from './kind.ts';

/** The window stands still. */
const schema = z.object({ kind: z.literal('hold'), pose: poseSchema });
export type HoldMove = z.infer<typeof schema>;

export const hold = {
  schema,
  writer(move, settle) {
    const { x, y, zoom } = settle(move.pose);
    return (_at, out) => {
      out[0] = x;
      out[1] = y;
      out[2] = zoom;
    };
  },
  isStill: () => true,
  firstPose: (move) => move.pose,
  shift: (move) => move,
  stretch: (move) => move,
  lastFrame: () => 0,
  mapPoses: (move, change) => ({ ...move, pose: change(move.pose) }),
  withPoseAt: (_move, _at, pose) => ({ kind: 'hold', pose }),
  editAt: (_move, at) => at,
  largestZoom: (move) => move.pose.zoom,
  setFrames: () => [],
  course: () => null,
  make: ({ pose }) => ({ kind: 'hold', pose }),
} satisfies MoveKind<HoldMove> & { schema: typeof schema };
