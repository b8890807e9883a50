import { checkFile, ok, type CheckReport, type Placement, type RenderPlan, type Result } from '@mivvy/core';
import { heardIn } from '../render/sound.ts';
import { examineFile, type ExamineOptions } from './examine-file.ts';

/** What a finished file is held against: a version's plan, its placement, and the film that it is to be made from. */
export interface HeldAgainst {
  plan: RenderPlan;
  placement: Placement;
  masterPath: string;
}

/** Holds a finished file against a version, every line of the report. Throws `Cancelled`. */
export async function checkAgainst(
  path: string,
  { plan, placement, masterPath }: HeldAgainst,
  options: ExamineOptions = {},
): Promise<Result<CheckReport>> {
  const heard = await heardIn(plan, masterPath, options.signal);
  if (!heard.ok) return heard;
  const examined = await examineFile(path, plan, masterPath, options);
  if (!examined.ok) return examined;
  const { measured, compared } = examined.value;
  return ok(checkFile({ plan, heard: heard.value, alone: false }, measured, { placement, compared }));
}
