import * as z from 'zod';
import { loudnessSchema } from '../masters/facts.ts';
import { sizeSchema } from '../picture/geometry.ts';
import { rateSchema } from '../time/rate.ts';

/** What was measured from a finished file, and nothing else. */
export const measuredFileSchema = z.object({
  bytes: z.number().int(),
  container: z.string(),
  /** `moov` before `mdat` (ISO/IEC 14496-12); null for containers that have neither. */
  moovFirst: z.boolean().nullable(),
  video: z.object({
    codec: z.string(),
    codecTag: z.string(),
    profile: z.string().nullable(),
    /** As H.264 writes it, e.g. `4.0`; null where the codec has none. */
    level: z.string().nullable(),
    frame: sizeSchema,
    squarePixels: z.boolean(),
    rotation: z.number(),
    rate: rateSchema,
    /** Pictures counted one by one. */
    frames: z.number().int(),
    /** True when every picture lasts exactly one frame of `rate`. */
    evenlySpaced: z.boolean(),
    pixelFormat: z.string(),
    primaries: z.string().nullable(),
    transfer: z.string().nullable(),
    matrix: z.string().nullable(),
    averageKbps: z.number(),
    peakKbps: z.number(),
    kbpsBySecond: z.array(z.number()),
    /** Frames between keyframes at most. */
    longestKeyframeGap: z.number().int(),
  }),
  audio: z
    .object({
      codec: z.string(),
      channels: z.number().int(),
      sampleRate: z.number().int(),
      seconds: z.number(),
      loudness: loudnessSchema,
    })
    .nullable(),
});
export type MeasuredFile = z.infer<typeof measuredFileSchema>;

/** What is known of the part of the master that a file was made from. */
export interface MadeFrom {
  /** Something is heard in it. */
  heard: boolean;
}
