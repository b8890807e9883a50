import * as z from 'zod';
import { comparisonSchema, type Comparison } from '../compare/comparison.ts';
import { placementRules } from '../specs/rules/rules.ts';
import { measuredFileSchema, type MeasuredFile } from './measured-file.ts';
import type { CheckLine } from './check-line.ts';
import { checkLineSchema } from './check-line.ts';
import { comparisonLines } from './comparison-lines.ts';
import type { Placement } from '../specs/schema.ts';
import type { Wanted } from './wanted.ts';

/** What was measured from a finished file, against what was asked for. */
export const checkReportSchema = z.object({
  passed: z.boolean(),
  checks: z.array(checkLineSchema),
  measured: measuredFileSchema,
  /** The file beside its master; missing where it was checked without, or by an earlier release. */
  compared: comparisonSchema.optional(),
});
export type CheckReport = z.infer<typeof checkReportSchema>;

/** What else a file is held against than its plan, where it is known. */
interface More {
  placement?: Placement | undefined;
  /** The file beside its master. */
  compared?: Comparison | undefined;
}

/** A report with a line more, of something that lies beside the file. */
export const withLine = (report: CheckReport, line: CheckLine): CheckReport => ({
  ...report,
  passed: report.passed && line.ok,
  checks: [...report.checks, line],
});

/** Compares a measured file with what was wanted, line by line. */
export function checkFile(
  wanted: Wanted,
  measured: MeasuredFile,
  { placement, compared }: More = {},
): CheckReport {
  const checks: CheckLine[] = [
    ...placementRules.flatMap((rule) => rule.lines?.(wanted, measured, placement ?? null) ?? []),
    ...(compared ? comparisonLines(wanted.plan, compared) : []),
  ];
  return { passed: checks.every((c) => c.ok), checks, measured, ...(compared ? { compared } : {}) };
}
