import * as z from 'zod';
import { trackedBoxSchema } from '@mivvy/core';

const whole = z.number().int().nonnegative();

/** What the worker that follows a drawn box is told. */
export const followJobSchema = z.object({
  ffmpeg: z.string(),
  decode: z.array(z.string()),
  size: z.object({ width: whole, height: whole }),
  step: z.number().int().positive(),
  /** Master frames of the first picture and behind the last. */
  from: whole,
  to: whole,
  framesPerSecond: z.number().positive(),
  /** Picture that it was drawn on, and the box in look pixels. */
  at: whole,
  box: z.object({ x: z.number(), y: z.number(), width: z.number(), height: z.number() }),
});
export type FollowJob = z.infer<typeof followJobSchema>;

export const followNewsSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('ended'),
    ok: z.boolean(),
    places: z.array(trackedBoxSchema),
    stderr: z.string(),
  }),
]);
export type FollowNews = z.infer<typeof followNewsSchema>;
