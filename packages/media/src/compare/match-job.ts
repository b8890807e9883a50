import * as z from 'zod';
import { differenceSchema, frameSpanSchema, sizeSchema } from '@mivvy/core';

/** What the matching worker is told: how both films are decoded into small pictures of one size. */
export const matchJobSchema = z.object({
  ffmpeg: z.string(),
  film: z.array(z.string()),
  textless: z.array(z.string()),
  size: sizeSchema,
  frames: z.number().int().positive(),
});
export type MatchJob = z.infer<typeof matchJobSchema>;

/** What the matching worker tells. */
export const matchNewsSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('progress'), fraction: z.number() }),
  z.object({
    kind: z.literal('ended'),
    /** Pictures that both films have; fewer than expected where one of them could not be decoded to its end. */
    frames: z.number().int(),
    differs: z.array(differenceSchema),
    /** Frames whose pictures are others altogether. */
    others: z.array(frameSpanSchema),
    stderr: z.string(),
  }),
]);
export type MatchNews = z.infer<typeof matchNewsSchema>;
