import * as z from 'zod';
import { shotsSchema } from '@mivvy/core';

/** What the shots worker is told: how the film is decoded into thumbs, and which of them are kept. */
export const shotsJobSchema = z.object({
  ffmpeg: z.string(),
  decode: z.array(z.string()),
  frames: z.number().int().positive(),
  /** Every so manyth thumb is kept to compare shots with each other. */
  looksEvery: z.number().int().positive(),
});
export type ShotsJob = z.infer<typeof shotsJobSchema>;

/** What the shots worker tells. */
export const shotsNewsSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('progress'), fraction: z.number() }),
  z.object({
    kind: z.literal('ended'),
    ok: z.boolean(),
    shots: shotsSchema.nullable(),
    looks: z.instanceof(Uint8Array),
    stderr: z.string(),
  }),
]);
export type ShotsNews = z.infer<typeof shotsNewsSchema>;
