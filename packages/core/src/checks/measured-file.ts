import * as z from 'zod';
import { loudnessSchema } from '../masters/facts.ts';
import { sizeSchema } from '../picture/geometry.ts';
import { rateSchema } from '../time/rate.ts';

/** A sound second by second. */
export const loudnessOverTimeSchema = z.object({
  /** The loudest 0.4 s that end in each second, and the 3 s that end with it; LUFS, null for silence. */
  momentary: z.array(z.number().nullable()),
  shortTerm: z.array(z.number().nullable()),
  /** Where the highest true peak lies, to a tenth of a second; null for silence. */
  peakSeconds: z.number().nullable(),
});
export type LoudnessOverTime = z.infer<typeof loudnessOverTimeSchema>;

/** What was measured from a finished file, and nothing else. */
export const measuredFileSchema = z.object({
  bytes: z.number().int(),
  container: z.string(),
  /** What the file says it is: the major brand of an MP4 or MOV, the document type of a WebM or Matroska. */
  brand: z.string().nullable().optional(),
  /** False when the file breaks off: a part of what it says it holds is missing. */
  whole: z.boolean().optional(),
  /** `moov` before `mdat` (ISO/IEC 14496-12); null for containers that have neither. */
  moovFirst: z.boolean().nullable(),
  video: z.object({
    /** Its number in the file, missing in reports of earlier releases, as are the other optional ones. */
    stream: z.number().int().optional(),
    /** Where the first picture stands in the file, seconds. */
    startSeconds: z.number().optional(),
    codec: z.string(),
    codecTag: z.string(),
    profile: z.string().nullable(),
    /** As H.264 writes it, e.g. `4.0`; null where the codec has none. */
    level: z.string().nullable(),
    frame: sizeSchema,
    squarePixels: z.boolean(),
    /** Width of a stored pixel over its height. */
    pixelAspect: rateSchema.optional(),
    rotation: z.number(),
    rate: rateSchema,
    /** Pictures counted one by one. */
    frames: z.number().int(),
    /** True when every picture lasts exactly one frame of `rate`. */
    evenlySpaced: z.boolean(),
    /** The first picture that does not come when it should. */
    unevenAt: z.number().int().nullable().optional(),
    pixelFormat: z.string(),
    primaries: z.string().nullable(),
    transfer: z.string().nullable(),
    matrix: z.string().nullable(),
    averageKbps: z.number(),
    peakKbps: z.number(),
    kbpsBySecond: z.array(z.number()),
    /** Frames between keyframes at most. */
    longestKeyframeGap: z.number().int(),
    /** The keyframe that the longest gap begins with. */
    longestGapAt: z.number().int().optional(),
    /** Pictures in a row, as they are shown, that look both ways; read from the order in which they are stored. */
    longestBRun: z.number().int().optional(),
    /** The first keyframe that pictures shown before it look past. */
    openGopAt: z.number().int().nullable().optional(),
    /** The second in which most bits lie. */
    peakSecond: z.number().int().optional(),
  }),
  audio: z
    .object({
      stream: z.number().int().optional(),
      codec: z.string(),
      channels: z.number().int(),
      sampleRate: z.number().int(),
      seconds: z.number(),
      loudness: loudnessSchema,
      /** Missing in reports of earlier releases. */
      over: loudnessOverTimeSchema.optional(),
    })
    .nullable(),
});
export type MeasuredFile = z.infer<typeof measuredFileSchema>;
