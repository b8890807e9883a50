import * as z from 'zod';
import { soundFaultKinds } from './sound.ts';
import { frameSpanSchema } from '../time/span.ts';

/** Where something was measured, and how much of it. */
const measuredAt = z.object({ value: z.number(), at: z.number().int().nonnegative() });

/** What a file's pictures are beside those that its plan asks for, and its sound beside the master's. */
export const comparisonSchema = z.object({
  /** Frames of the file that were looked at closely. */
  samples: z.number().int(),
  /** Structural similarity of the least alike of them (SSIM, 1 the same); null where nothing could be compared. */
  likeness: measuredAt.nullable(),
  /** Frames whose pictures are not the plan's. */
  unlike: z.array(frameSpanSchema),
  /** Frames that show what no frame of the plan around them does; missing where it was not asked. */
  odd: z.array(frameSpanSchema).optional(),
  /** What lies over the picture and the plan has not, with its place in fractions of the frame; missing likewise. */
  foreign: z
    .array(
      z.object({
        span: frameSpanSchema,
        box: z.object({ x: z.number(), y: z.number(), width: z.number(), height: z.number() }),
      }),
    )
    .optional(),
  /** Largest difference of colour, in levels of 8 bits, mean of a picture; null where nothing could be compared. */
  colour: measuredAt.nullable(),
  /** By what share contrast is higher, and colours lie elsewhere; null where the film has too little; missing likewise. */
  grade: z.object({ contrast: z.number().nullable(), tint: z.number().nullable() }).optional(),
  /** How far the window's edges lie from the plan's at most, master pixels; null where the picture does not tell. */
  window: z
    .object({ value: z.number(), at: z.number().int().nonnegative(), tolerance: z.number() })
    .nullable(),
  /** Where they lie further off than is allowed. */
  shifted: z.array(frameSpanSchema),
  /** Depth of bars that were not asked for, delivered pixels. */
  bars: z.object({ top: z.number(), right: z.number(), bottom: z.number(), left: z.number() }).nullable(),
  barred: z.array(frameSpanSchema),
  black: z.array(frameSpanSchema),
  /** Null, as are the next two, where the picture is too unlike the plan's to tell which frame is which. */
  frozen: z.array(frameSpanSchema).nullable(),
  /** Frames that show what the one before them shows, where the plan goes on. */
  repeated: z.array(frameSpanSchema).nullable(),
  /** Frames that the plan has and the file does not, by where in the file they should be. */
  missing: z
    .array(z.object({ at: z.number().int().nonnegative(), count: z.number().int().positive() }))
    .nullable(),
  /** Captions that are drawn into the picture; missing where none are. */
  captions: z
    .object({
      /** Cues that were looked at, at their first and last frames and beside them. */
      looked: z.number().int(),
      /** Those that are not shown as planned, delivered frames. */
      wrong: z.array(frameSpanSchema),
    })
    .optional(),
  /** The sound's place beside the picture; null where there is none, or nothing is heard. */
  sound: z
    .object({
      /** How much later than in the master it comes, seconds, where that is most. */
      seconds: z.number(),
      at: z.number().int().nonnegative(),
      /** False where it is not the master's sound at all. */
      found: z.boolean(),
    })
    .nullable(),
  /** What of the sound is not the master's; missing where that cannot be told, and in reports of earlier releases. */
  otherSound: z
    .array(
      z.object({
        kind: z.enum([...soundFaultKinds, 'unlike']),
        span: frameSpanSchema,
        seconds: z.number(),
        /** 0 the left one, 1 the right one; missing where it is about all. */
        channel: z.number().int().optional(),
      }),
    )
    .optional(),
});
export type Comparison = z.infer<typeof comparisonSchema>;
