import * as z from 'zod';
import type { RenderPlan } from '../render/plan-schema.ts';
import { placementRules } from '../specs/rules/rules.ts';
import { measuredFileSchema, type MadeFrom, type MeasuredFile } from './measured-file.ts';
import type { CheckLine } from './check-line.ts';
import { checkLineSchema } from './check-line.ts';

/** What was measured from a finished file, against what was asked for. */
export const checkReportSchema = z.object({
  passed: z.boolean(),
  checks: z.array(checkLineSchema),
  measured: measuredFileSchema,
});
export type CheckReport = z.infer<typeof checkReportSchema>;

/** Compares a measured file with its plan, line by line; `source` where it is known what it was made from. */
export function checkFile(plan: RenderPlan, measured: MeasuredFile, source?: MadeFrom | null): CheckReport {
  const checks: CheckLine[] = placementRules.flatMap(
    (rule) => rule.lines?.(plan, measured, source ?? null) ?? [],
  );
  return { passed: checks.every((c) => c.ok), checks, measured };
}
