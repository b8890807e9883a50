import { join } from 'node:path';
import { nanoid } from 'nanoid';
import {
  checkFile,
  fail,
  ok,
  type CheckLine,
  type CheckReport,
  type MeasuredFile,
  type Placement,
  type RenderPlan,
  type Result,
} from '@mivvy/core';
import { decodesWhole, examineFile, heardIn, picturesAgree } from '@mivvy/media';
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

/** Lines that hold a file's pictures and sound against its film. */
const comparing: ReadonlySet<CheckLine['id']> = new Set([
  'picture',
  'crop',
  'overlay',
  'missing',
  'repeated',
  'black',
  'frozen',
  'bars',
  'sync',
  'sound-alike',
]);

/**
 * Whether what a machine brought back is what was asked for. Its own report is not believed: the file is decoded whole
 * with every error fatal, and measured and held against its film here. The report that counts is the one made here.
 */
export async function judge(
  ws: Pick<Workspace, 'storage'>,
  order: ExportOrder,
  brought: { path: string; report: CheckReport },
): Promise<Result<CheckReport>> {
  const { plan, placement, masterPath } = order;
  const wrong = (what: string) =>
    fail<never>(
      broughtWrong,
      `It brought back a file that ${what}, so the file was thrown away.`,
      'Look at that machine’s log. Once it is mended, let it take work again.',
    );
  const decoded = await decodesWhole(brought.path, { nice: true });
  if (!decoded.ok) return decoded.problem.code === 'damaged' ? wrong('is damaged') : decoded;
  const examined = await examineFile(brought.path, plan, masterPath, { nice: true });
  if (!examined.ok) return examined.problem.code === 'disk-full' ? examined : wrong('cannot be read');
  const heard = await heardIn(plan, masterPath);
  if (!heard.ok) return heard;
  const { measured, compared } = examined.value;
  const own = checkFile({ plan, heard: heard.value, alone: false }, measured, { placement, compared });

  const { report } = brought;
  if (report.passed !== report.checks.every((line) => line.ok)) return wrong('is not what its report says');
  const saidOk = new Set(report.checks.filter((line) => line.ok).map((line) => line.id));
  const hidden = own.checks.find((line) => !line.ok && saidOk.has(line.id));
  if (hidden)
    return wrong(
      comparing.has(hidden.id) ? 'shows something else than was asked for' : 'is not what its report says',
    );
  if (own.passed) return ok(own);
  // Both say that it fails. Such a file is kept and shown, unless it is another one altogether.
  const alike = await picturesAgree(plan, brought.path, {
    masterPath,
    graphicPath: (what) => graphicPath(ws.storage, what),
    folder: join(ws.storage.work, `judge-${nanoid(8)}`),
  });
  if (!alike.ok) return alike;
  return alike.value ? ok(own) : wrong('shows something else than was asked for');
}
