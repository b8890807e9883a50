import * as z from 'zod';
import { comparisonSchema, renderPlanSchema } from '@mivvy/core';

/** What the worker that compares sounds is told. */
export const soundJobSchema = z.object({
  plan: renderPlanSchema,
  masterPath: z.string(),
  file: z.object({
    path: z.string(),
    stream: z.number().int().nonnegative(),
    /** Where its first picture stands in its sound, seconds. */
    start: z.number(),
  }),
});
export type SoundJob = z.infer<typeof soundJobSchema>;

/** Where a file's sound stands beside its picture, and what of it is not the master's; null where nothing can be told. */
export const comparedSoundSchema = comparisonSchema.pick({ sound: true, otherSound: true });
export type ComparedSound = z.infer<typeof comparedSoundSchema>;

/** What it tells: what it found, or the problem that stopped it; neither where it was cancelled. */
export const soundNewsSchema = z.object({
  kind: z.literal('ended'),
  compared: comparedSoundSchema.nullable(),
  problem: z
    .object({
      code: z.string(),
      sentence: z.string(),
      mend: z.string(),
      bytesNeeded: z.number().optional(),
    })
    .nullable(),
});
export type SoundNews = z.infer<typeof soundNewsSchema>;
