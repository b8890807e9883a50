import * as z from 'zod';
import { renderPlanSchema } from '@mivvy/core';

/** What the picture worker is told: a plan, and how the two tools at its ends are called. */
export const pictureJobSchema = z.object({
  plan: renderPlanSchema,
  ffmpeg: z.string(),
  /** How each kept span is decoded, in playing order. */
  decodes: z.array(z.array(z.string())).min(1),
  /** Whether one picture comes for each delivered frame, or one for each kept frame of the master. */
  comes: z.enum(['delivered', 'kept']),
  /** Pictures come as the frame shows them; otherwise whole, to be drawn. */
  drawn: z.boolean(),
  encode: z.array(z.string()),
  cwd: z.string(),
  nice: z.boolean(),
});
export type PictureJob = z.infer<typeof pictureJobSchema>;

/** What the picture worker tells. */
export const pictureNewsSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('progress'), frames: z.number(), speed: z.number() }),
  z.object({
    kind: z.literal('ended'),
    ok: z.boolean(),
    stderr: z.string(),
    toolFailed: z.boolean(),
    exit: z.string(),
    /** What we failed at ourselves, and the delivered frame; missing where a tool or nothing failed. */
    fault: z.object({ frame: z.number(), why: z.string() }).optional(),
  }),
]);
export type PictureNews = z.infer<typeof pictureNewsSchema>;
