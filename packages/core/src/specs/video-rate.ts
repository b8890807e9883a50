import * as z from 'zod';

/** Codecs of the picture. */
export const videoCodecSchema = z.enum(['h264', 'hevc', 'vp9', 'av1']);
export type VideoCodec = z.infer<typeof videoCodecSchema>;

const kbps = z.number().positive().max(1_000_000);

/** How many bits the picture may have: an average and a ceiling, or a quality, with a ceiling if wanted. */
export const videoRateSchema = z.discriminatedUnion('mode', [
  z
    .object({ mode: z.literal('two-pass'), targetKbps: kbps, maxKbps: kbps })
    .strict()
    .refine((r) => r.targetKbps <= r.maxKbps, 'the target is above the ceiling'),
  z.object({ mode: z.literal('quality'), crf: z.number().min(0).max(63), maxKbps: kbps.optional() }).strict(),
]);
export type VideoRate = z.infer<typeof videoRateSchema>;
