import * as z from 'zod';
import { detectorNoteSchema, shotLookSchema, sizeSchema } from '@mivvy/core';
import { seenSchema } from './detector-picture.ts';

const span = z.object({ from: z.number().int().nonnegative(), to: z.number().int().positive() });

/** What the looking worker is told. */
export const lookJobSchema = z.object({
  ffmpeg: z.string(),
  /** Arguments that decode every `step`th picture to pipe 1 (small, planar) and, with a detector, some to pipe 3 (RGB). */
  decode: z.array(z.string()),
  size: z.object({ width: z.number().int(), height: z.number().int() }),
  step: z.number().int().positive(),
  framesPerSecond: z.number().positive(),
  frames: z.number().int().positive(),
  shots: z.array(span).min(1),
  /** Folder of the detector's models; null to do without. */
  models: z.string().nullable(),
  /** Size of the pictures that come down pipe 3, and of what in them has the film's own shape. */
  large: sizeSchema,
  picture: sizeSchema,
  /** Frames that come down pipe 3, in order. */
  detectAt: z.array(z.number().int().nonnegative()),
  /** Those of them that are looked at again, closer, where nobody is seen in them. */
  closerAt: z.array(z.number().int().nonnegative()),
});
export type LookJob = z.infer<typeof lookJobSchema>;

/** What the looking worker tells. */
export const lookNewsSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('detector'), note: detectorNoteSchema }),
  z.object({ kind: z.literal('shot'), look: shotLookSchema }),
  z.object({ kind: z.literal('ended'), ok: z.boolean(), stderr: z.string() }),
]);
export type LookNews = z.infer<typeof lookNewsSchema>;

/** What the detecting worker tells. */
export const detectNewsSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('ready') }),
  z.object({ kind: z.literal('missing'), why: z.string() }),
  /** A picture could not be looked at. */
  z.object({ kind: z.literal('failed'), why: z.string() }),
  z.object({ kind: z.literal('seen'), frame: z.number().int(), seen: z.array(seenSchema) }),
]);
export type DetectNews = z.infer<typeof detectNewsSchema>;
