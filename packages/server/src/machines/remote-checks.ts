import { ok, type CheckReport } from '@mivvy/core';
import type { CheckOrderForMachine } from '@mivvy/api';
import { measureFile } from '@mivvy/media';
import type { CheckOrder } from '../awaited-checks.ts';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import type { Workspace } from '../workspace.ts';
import { broughtWrong } from './brought.ts';
import { agrees } from './judge.ts';
import { lying } from './lying.ts';
import { ownerOf, takeOutOfService, type MachineRow } from './machines.ts';

/** What a file is checked with on another machine. */
export async function checkFor(
  ws: Workspace,
  row: JobRow,
  { plan, placement, masterPath, file }: CheckOrder,
  base: string,
): Promise<CheckOrderForMachine> {
  return {
    kind: 'check',
    jobId: row.id,
    plan,
    placement,
    film: await lying(ws, { path: masterPath, sha256: plan.master.sha256, address: `${base}/film` }),
    file: await lying(ws, { ...file, address: `${base}/file` }),
  };
}

/** Takes in a machine's report of a file: it counts where every line that is measured here comes out the same. */
export async function takeBackCheck(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  report: CheckReport,
): Promise<boolean> {
  const owner = ownerOf(machine);
  const order = ws.checks.orderOf(row.id);
  if (order) {
    const measured = await measureFile(order.file.path);
    const right =
      measured.ok && report.compared && agrees(report, order.plan, order.placement, measured.value);
    if (!right) {
      await takeOutOfService(ws, machine.id, {
        code: broughtWrong,
        sentence:
          'It brought back a report that is not of the file that it was given, so it was thrown away.',
        mend: 'Look at that machine’s log. Once it is mended, let it take work again.',
      });
      await ws.runner.end(row, owner, { state: 'dropped' });
      return false;
    }
    ws.checks.answer(row.id, ok(report));
  }
  return (await ws.runner.end(row, owner, { state: 'done' })) !== undefined;
}
