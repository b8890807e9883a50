import * as z from 'zod';
import {
  acceptanceSchema,
  checkReportSchema,
  dressingSchema,
  lineIdOf,
  framingSchema,
  happeningSchema,
  keepsSchema,
  keptSchema,
  marginChoiceSchema,
  masterFactsSchema,
  paceSchema,
  placementSchema,
  playedSchema,
  renderPlanSchema,
  shotsSchema,
  sizeSchema,
  rateSchema,
  seenFaceSchema,
  textlessFilmSchema,
  trackSchema,
} from '@mivvy/core';
import {
  carriedSchema,
  effortMeasuredSchema,
  ledgerQuerySchema,
  problemSchema,
  receiptSchema,
  unimportantSchema,
} from '@mivvy/api';
import { askedExportSchema } from '../jobs/asked-export.ts';
import type { JsonCodec } from './json-column.ts';

/** What must be known of a replaced film to carry its framing over. */
const filmBeforeSchema = z.object({
  name: z.string(),
  shots: shotsSchema,
  frames: z.number().int(),
  rate: rateSchema,
  displayed: sizeSchema,
  sha256: z.string().nullable(),
});
export type FilmBefore = z.infer<typeof filmBeforeSchema>;

/** By what a file on the disk is known again without reading it: where all three agree, it is the same file. */
const fileMarkSchema = z.object({
  bytes: z.number(),
  /** When its bytes were last written, and when anything of it last changed; milliseconds since 1970. */
  modifiedMs: z.number(),
  changedMs: z.number(),
});
export type FileMark = z.infer<typeof fileMarkSchema>;

/** A shot's boundary that was moved, in master frames. */
const movedBoundarySchema = z.object({ from: z.number().int(), to: z.number().int() });
export type MovedBoundary = z.infer<typeof movedBoundarySchema>;

/**
 * A change that can be taken back: what a version's framing, a cut's spans, pace and joins, or a master's shots and
 * keeps, were before and after. A moved boundary takes the framings' changes along, there and back.
 */
const mementoSchema = z.union([
  z.strictObject({ placementRevision: z.number().int() }),
  z.strictObject({ framing: framingSchema }),
  z.strictObject({ dressing: dressingSchema }),
  z.strictObject({ kept: keptSchema, pace: paceSchema, joinMs: z.number() }),
  z.strictObject({
    shots: shotsSchema,
    keeps: keepsSchema,
    unimportant: unimportantSchema.optional(),
    movedCut: movedBoundarySchema.optional(),
  }),
]);
export type Memento = z.infer<typeof mementoSchema>;

/** What a version is given when it is added to a production that was started from another. */
const expectedSchema = z.object({
  placementId: z.string(),
  dueOn: z.string().nullable(),
  holder: z.string(),
});

/** For shapes that have not changed since values stood alone. */
const asItIs = (old: unknown) => old;

/** Lines of reports had no id at first: they are told by their names. */
function linesWithIds(old: unknown): unknown {
  const report = z.looseObject({ checks: z.array(z.looseObject({ name: z.string() })) }).parse(old);
  return { ...report, checks: report.checks.map((line) => ({ id: lineIdOf(line.name), ...line })) };
}

const codec = <T>(
  what: string,
  schema: z.ZodType<T>,
  upgrades: JsonCodec<T>['upgrades'] = [asItIs],
): JsonCodec<T> => ({ what, schema, upgrades });

/** Every JSON column's way of being kept. A change of a shape adds an upgrade here and a database to `db/fixtures`. */
export const codecs = {
  effortMeasured: codec('measurement of efforts', effortMeasuredSchema),
  margin: codec('margin', marginChoiceSchema),
  mark: codec('file mark', fileMarkSchema),
  facts: codec('set of facts', masterFactsSchema),
  problem: codec('problem', problemSchema),
  textless: codec('matched textless master', textlessFilmSchema),
  shots: codec('list of shots', shotsSchema),
  keeps: codec('list of keeps', keepsSchema),
  faces: codec('list of seen faces', z.array(seenFaceSchema)),
  unimportant: codec('list of seen things', unimportantSchema),
  placement: codec('placement', placementSchema),
  placementIds: codec('set of places', z.array(z.string())),
  tracks: codec('list of drawn subjects', z.array(trackSchema)),
  filmBefore: codec('replaced film', filmBeforeSchema),
  carried: codec('word on carrying over', carriedSchema),
  kept: codec('list of kept spans', keptSchema),
  pace: codec('pace', paceSchema),
  framing: codec('framing', framingSchema),
  accepted: codec('list of acceptances', z.array(acceptanceSchema)),
  played: codec('cut as it was', playedSchema),
  askedExport: codec('export as it was asked for', askedExportSchema),
  plan: codec('render plan', renderPlanSchema),
  report: codec('check report', checkReportSchema, [linesWithIds]),
  memento: codec('change', mementoSchema),
  dressing: codec('dressing', dressingSchema),
  expected: codec('list of expected versions', z.array(expectedSchema)),
  happening: codec('happening', happeningSchema),
  versionIds: codec('list of versions', z.array(z.string())),
  receipt: codec('receipt', receiptSchema),
  ledgerQuery: codec('way of looking at the ledger', ledgerQuerySchema),
};
