import * as z from 'zod';
import { closed, idSchema, nameSchema } from './closed.ts';
import { audioRule } from './rules/audio.ts';
import { clearAreaRule } from './rules/clear-area.ts';
import { containerRule } from './rules/container.ts';
import { coverRule } from './rules/cover.ts';
import { durationRule } from './rules/duration.ts';
import { captionsRule } from './rules/captions.ts';
import { fileNamesRule } from './rules/file-names.ts';
import { fileSizeRule } from './rules/file-size.ts';
import { frameRateRule } from './rules/frame-rate.ts';
import { frameRule } from './rules/frame.ts';
import { videoRule } from './rules/video.ts';

const day = z.iso.date('a date is written 2026-11-02');

/** One slot of an outlet, with its numbers: what each rule adds is in `rules/`. */
export const placementSchema = closed({
  id: idSchema,
  name: nameSchema,
  verifiedOn: day.optional(),
  source: z.string().max(400).optional(),
  ...frameRule.fields,
  ...durationRule.fields,
  ...frameRateRule.fields,
  ...containerRule.fields,
  ...fileSizeRule.fields,
  ...videoRule.fields,
  ...audioRule.fields,
  ...clearAreaRule.fields,
  ...captionsRule.fields,
  ...coverRule.fields,
  ...fileNamesRule.fields,
}).superRefine((placement, context) => {
  for (const contradictions of [frameRule.contradictions, videoRule.contradictions, audioRule.contradictions])
    for (const { path, message } of contradictions(placement))
      context.addIssue({ code: 'custom', path, message });
});

/** A place that shows films. */
export const outletSchema = closed({
  id: idSchema,
  name: nameSchema,
  placements: z.array(placementSchema).min(1),
});

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
