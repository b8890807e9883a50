import { z } from 'zod';
import { parseRate } from '../time/rate.ts';

/**
 * An object that refuses unknown fields, naming them, except those that start with `x-`.
 * Zod's strict objects know no such exception, so the rule is a refinement on a loose one.
 */
function closed<Shape extends z.ZodRawShape>(shape: Shape) {
  return z.looseObject(shape).superRefine((value, context) => {
    for (const key of Object.keys(value)) {
      if (!(key in shape) && !key.startsWith('x-')) {
        context.addIssue({
          code: 'custom',
          path: [key],
          message: 'this field is not known; fields of your own start with x-',
        });
      }
    }
  });
}

const id = z
  .string()
  .regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'an id is made of lower-case letters, digits and hyphens');
const name = z.string().trim().min(1, 'a name is needed').max(80);
const fraction = z.number().min(0).max(1);

const evenSide = z
  .number()
  .int('a frame side is a whole number of pixels')
  .min(16, 'a frame side is at least 16 pixels')
  .max(8192, 'a frame side is at most 8192 pixels')
  .refine((n) => n % 2 === 0, 'a frame side must be even: colour is stored for pairs of pixels');

const frame = closed({ width: evenSide, height: evenSide });

const rateString = z
  .string()
  .refine((text) => parseRate(text).ok, 'a rate is written as "25" or "30000/1001"');

const duration = closed({
  minSeconds: z.number().positive().optional(),
  maxSeconds: z.number().positive().optional(),
}).refine((d) => d.minSeconds === undefined || d.maxSeconds === undefined || d.minSeconds <= d.maxSeconds, {
  message: 'the shortest length is longer than the longest',
});

const kbps = z.number().positive().max(1_000_000);

const videoRate = z.discriminatedUnion('mode', [
  z
    .object({ mode: z.literal('two-pass'), targetKbps: kbps, maxKbps: kbps })
    .strict()
    .refine((r) => r.targetKbps <= r.maxKbps, 'the target is above the ceiling'),
  z.object({ mode: z.literal('quality'), crf: z.number().min(0).max(63), maxKbps: kbps.optional() }).strict(),
]);

const video = closed({
  codec: z.enum(['h264', 'hevc', 'vp9', 'av1']),
  rate: videoRate,
  keyframeSeconds: z.number().positive().max(60).optional(),
});

const loudness = closed({
  integratedLufs: z.number().min(-40).max(-5),
  truePeakDbtp: z.number().min(-20).max(0),
});

const audio = closed({
  codec: z.enum(['aac', 'opus']),
  kbps: z.number().min(16).max(1024),
  sampleRate: z.union([z.literal(44100), z.literal(48000), z.literal(96000)]),
  channels: z.union([z.literal(1), z.literal(2)]),
  loudness: loudness.optional(),
});

const margins = closed({ top: fraction, right: fraction, bottom: fraction, left: fraction }).refine(
  (m) => m.top + m.bottom < 1 && m.left + m.right < 1,
  'the margins leave no picture between them',
);

const blocked = closed({ name, x: fraction, y: fraction, width: fraction, height: fraction }).refine(
  (b) => b.width > 0 && b.height > 0 && b.x + b.width <= 1.0001 && b.y + b.height <= 1.0001,
  'a blocked area must lie inside the frame',
);

const day = z.string().regex(/^\d{4}-\d{2}-\d{2}$/, 'a date is written 2026-11-02');

/** One slot of an outlet, with its numbers. */
export const placementSchema = closed({
  id,
  name,
  verifiedOn: day.optional(),
  source: z.string().max(400).optional(),
  frame,
  largerFrame: frame.optional(),
  duration: duration.optional(),
  frameRate: closed({
    max: rateString.optional(),
    allowed: z.array(rateString).min(1).optional(),
  }).optional(),
  container: z.enum(['mp4', 'mov', 'webm']),
  maxBytes: z.number().int().positive().optional(),
  video,
  audio: audio.nullable(),
  safeMargin: margins.optional(),
  blocked: z.array(blocked).max(32).optional(),
  captions: z.enum(['none', 'sidecar', 'burned']).optional(),
  /** Letters of its files' names: of any script where missing, or plain ones (a to z, digits, hyphens). */
  fileNames: z.enum(['plain']).optional(),
}).superRefine((p, context) => {
  const issue = (path: PropertyKey[], message: string) => context.addIssue({ code: 'custom', path, message });
  if (p.container === 'webm' && (p.video.codec === 'h264' || p.video.codec === 'hevc'))
    issue(
      ['video', 'codec'],
      `webm files do not hold ${p.video.codec}; use vp9 or av1, or another container`,
    );
  if (p.container === 'mov' && (p.video.codec === 'vp9' || p.video.codec === 'av1'))
    issue(
      ['video', 'codec'],
      `mov files do not hold ${p.video.codec}; use h264 or hevc, or another container`,
    );
  if (p.container === 'webm' && p.audio && p.audio.codec !== 'opus')
    issue(['audio', 'codec'], 'webm files need opus sound');
  if (p.container !== 'webm' && p.audio && p.audio.codec !== 'aac')
    issue(['audio', 'codec'], `${p.container} files need aac sound`);
  if (p.largerFrame && p.largerFrame.width * p.frame.height !== p.largerFrame.height * p.frame.width)
    issue(['largerFrame'], 'the larger frame must have the shape of the frame');
});

/** A place that shows films. */
export const outletSchema = closed({ id, name, placements: z.array(placementSchema).min(1) });

/** The spec book file, `*.specbook.json`: outlets and their placements, dated and sourced. */
export const specBookSchema = closed({
  format: z.literal('mivvy-spec-book'),
  version: z.literal(1),
  outlets: z.array(outletSchema).min(1),
}).superRefine((book, context) => {
  const seen = new Map<string, string>();
  book.outlets.forEach((outlet, o) => {
    const note = (what: string, path: PropertyKey[]) => {
      if (seen.has(what))
        context.addIssue({
          code: 'custom',
          path,
          message: `the id is used twice, first at ${seen.get(what)}`,
        });
      else seen.set(what, path.join('.'));
    };
    note(`outlet ${outlet.id}`, ['outlets', o, 'id']);
    outlet.placements.forEach((placement, p) =>
      note(`placement ${placement.id}`, ['outlets', o, 'placements', p, 'id']),
    );
  });
});

export type Placement = z.infer<typeof placementSchema>;
export type Outlet = z.infer<typeof outletSchema>;
export type SpecBook = z.infer<typeof specBookSchema>;
export type VideoRate = z.infer<typeof videoRate>;
export type VideoCodec = Placement['video']['codec'];

/** The published JSON Schema (draft 2020-12) of the spec book file. */
export function specBookJsonSchema(): unknown {
  return z.toJSONSchema(specBookSchema, {
    target: 'draft-2020-12',
    io: 'input',
    override: ({ jsonSchema }) => {
      // The refinement that refuses unknown fields is invisible to the generator; this says the same.
      if (jsonSchema.type === 'object' && jsonSchema.additionalProperties !== false) {
        jsonSchema.additionalProperties = false;
        jsonSchema.patternProperties = { '^x-': {} };
      }
    },
  });
}
