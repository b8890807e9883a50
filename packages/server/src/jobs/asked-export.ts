import * as z from 'zod';
import { placementSchema, renderPlanSchema } from '@mivvy/core';

/** What an export makes, decided once and kept in its job's row. */
export const askedExportSchema = z.object({
  plan: renderPlanSchema,
  placement: placementSchema,
  /** The outlet's name, for the file's. */
  outlet: z.string(),
  /** What the file is expected to come to; null where its rate follows the picture. */
  expectedBytes: z.number().nullable(),
});
export type AskedExport = z.infer<typeof askedExportSchema>;
