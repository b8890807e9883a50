import * as z from 'zod';
import { comparisonSchema, rateSchema, renderPlanSchema, sizeSchema } from '@mivvy/core';

/** What the comparing worker is told. */
export const compareJobSchema = z.object({
  ffmpeg: z.string(),
  plan: renderPlanSchema,
  masterPath: z.string(),
  file: z.object({
    path: z.string(),
    stream: z.number().int().nonnegative(),
    /** As shown: after rotation and pixel aspect. */
    displayed: sizeSchema,
    /** As tagged; null for none. */
    matrix: z.string().nullable(),
    /** Frames a second. */
    rate: rateSchema,
  }),
  nice: z.boolean(),
});
export type CompareJob = z.infer<typeof compareJobSchema>;

/** What a comparison says of the picture. */
export const pictureComparisonSchema = comparisonSchema.omit({
  sound: true,
  otherSound: true,
  captions: true,
});
export type PictureComparison = z.infer<typeof pictureComparisonSchema>;

/** What the comparing worker tells. */
export const compareNewsSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('progress'), fraction: z.number() }),
  z.object({ kind: z.literal('ended'), comparison: pictureComparisonSchema.nullable(), stderr: z.string() }),
]);
export type CompareNews = z.infer<typeof compareNewsSchema>;
