import { join } from 'node:path';
import { nanoid } from 'nanoid';
import {
  checkFile,
  fail,
  ok,
  type CheckReport,
  type MeasuredFile,
  type Placement,
  type RenderPlan,
  type Result,
} from '@mivvy/core';
import { measureFile, picturesAgree } from '@mivvy/media';
import { graphicPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { broughtWrong } from './brought.ts';
import type { ExportOrder } from '../jobs/export-order.ts';

/**
 * Whether a report says of a measured file what we say of it: every line of ours is there and came out the same. Lines
 * that need the film beside it are the report's own.
 */
export function agrees(
  report: CheckReport,
  plan: RenderPlan,
  placement: Placement,
  measured: MeasuredFile,
): boolean {
  if (report.passed !== report.checks.every((line) => line.ok)) return false;
  const said = report.checks.map(({ id, ok: passed }) => `${id} ${passed}`);
  // Whether the film is heard where it plays, the report knows and we do not ask again.
  return [true, false, null].some((heard) => {
    const { compared } = report;
    const own = checkFile({ plan, heard, alone: false }, measured, {
      placement,
      ...(compared ? { compared } : {}),
    });
    return own.checks.every(({ id, ok: passed }, i) => said[i] === `${id} ${passed}`);
  });
}

/** Whether what a machine brought back is what was asked for: measured here, and looked at in a few places. */
export async function judge(
  ws: Pick<Workspace, 'storage'>,
  order: ExportOrder,
  brought: { path: string; report: CheckReport },
): Promise<Result<void>> {
  const { plan, placement, masterPath } = order;
  const wrong = (what: string) =>
    fail<never>(
      broughtWrong,
      `It brought back a file that ${what}, so the file was thrown away.`,
      'Look at that machine’s log. Once it is mended, let it take work again.',
    );
  const measured = await measureFile(brought.path);
  if (!measured.ok) return measured.problem.code === 'disk-full' ? measured : wrong('cannot be read');
  if (!brought.report.compared) return wrong('was not held against its film');
  if (!agrees(brought.report, plan, placement, measured.value)) return wrong('is not what its report says');
  if (measured.value.video.frames !== plan.frames)
    return brought.report.passed ? wrong('has other frames') : ok(undefined);
  const alike = await picturesAgree(plan, brought.path, {
    masterPath,
    graphicPath: (what) => graphicPath(ws.storage, what),
    folder: join(ws.storage.work, `judge-${nanoid(8)}`),
  });
  if (!alike.ok) return alike;
  return alike.value ? ok(undefined) : wrong('shows something else than was asked for');
}
