import { mkdir } from 'node:fs/promises';
import { dirname } from 'node:path';
import { differenceInMilliseconds } from 'date-fns';
import { graphicsShown, type Problem } from '@mivvy/core';
import type { Brought, ExportOrderForMachine, MachineEnd } from '@mivvy/api';
import { diskFullProblem, isDiskFull } from '../disk/full.ts';
import { moreOf, storedOrder, type ExportOrder } from '../jobs/export-order.ts';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import { dropMade, newPlace, takeIn } from '../jobs/take-in.ts';
import { graphicPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { broughtWrong, isWhole, putInPlace, uploadPath } from './brought.ts';
import { judge } from './judge.ts';
import { lying } from './lying.ts';
import { ownerOf, takeOutOfService, type MachineRow } from './machines.ts';

type Done = Extract<MachineEnd['ending'], { state: 'done' }>;

/** What an export is made of on another machine. */
export async function exportFor(
  ws: Workspace,
  row: JobRow,
  { plan, placement, masterPath, master }: ExportOrder,
  base: string,
): Promise<ExportOrderForMachine> {
  const graphics = [];
  for (const { kind, sha256 } of graphicsShown(plan.layers ?? [])) {
    const path = graphicPath(ws.storage, { kind, sha256 });
    const address = `${base}/graphics/${kind}/${sha256}`;
    graphics.push({ kind, ...(await lying(ws, { path, sha256, address })) });
  }
  return {
    kind: 'export',
    jobId: row.id,
    plan,
    placement,
    effort: row.effort,
    more: await moreOf(ws, master.id),
    film: await lying(ws, { path: masterPath, sha256: plan.master.sha256, address: `${base}/film` }),
    graphics,
  };
}

/** What a machine brought with the end of an export. */
export const filesOf = ({ film, cover }: Done): Brought[] => (cover ? [film, cover] : [film]);

/** Takes in what a machine brought back. */
export async function takeBackExport(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  ending: Done,
): Promise<boolean> {
  const owner = ownerOf(machine);
  const ordered = await storedOrder(ws, row);
  if (!ordered.ok || !ordered.value) {
    // Its film was changed or is being read again: it waits for that, and is made of what it is then.
    const end = ordered.ok
      ? ({ state: 'dropped' } as const)
      : ({ state: 'failed', problem: ordered.problem } as const);
    await ws.runner.end(row, owner, end);
    return false;
  }
  const order = ordered.value;
  const right = await isWhole(ws, filesOf(ending));
  const judged = right.ok
    ? await judge(ws, order, { path: uploadPath(ws, ending.film), report: ending.report })
    : right;
  if (!judged.ok) {
    // What keeps the server from looking at it is not the machine's fault.
    if (judged.problem.code === broughtWrong) await takeOutOfService(ws, machine.id, judged.problem);
    await ws.runner.end(row, owner, { state: 'dropped' });
    return false;
  }
  const { id, outPath } = newPlace(ws, order);
  try {
    await mkdir(dirname(outPath), { recursive: true });
    await putInPlace(ws, ending.film, outPath);
    if (ending.cover)
      await putInPlace(
        ws,
        ending.cover,
        `${outPath.slice(0, -order.plan.container.length)}${ending.cover.ending}`,
      );
    const made = {
      id,
      outPath,
      bytes: ending.film.bytes,
      sha256: ending.film.sha256,
      coverSha256: ending.cover?.sha256 ?? null,
      report: judged.value,
      effort: row.effort,
      tookSeconds: Math.max(0, differenceInMilliseconds(new Date(), new Date(row.startedAt!))) / 1000,
      madeOn: machine.name,
    };
    // Its row is written with the job's end, or not at all: whoever lost the job meanwhile has made nothing.
    const done = await ws.runner.end(row, owner, { state: 'done' }, (tx) => takeIn(tx, ws, order, made));
    if (!done) await dropMade(outPath);
    return done !== undefined;
  } catch (error) {
    await dropMade(outPath);
    const problem: Problem | null = isDiskFull(error) ? diskFullProblem : null;
    await ws.runner.end(row, owner, problem ? { state: 'failed', problem } : { state: 'dropped' });
    throw error;
  }
}
