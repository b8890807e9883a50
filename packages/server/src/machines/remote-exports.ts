import { mkdir, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { differenceInMilliseconds } from 'date-fns';
import { eq } from 'drizzle-orm';
import { graphicsShown, ok, type Problem, type Result } from '@mivvy/core';
import { sha256File } from '@mivvy/media';
import type { MachineEnd, MachineOrder, MachineProgress, MachineTaken, TicketData } from '@mivvy/api';
import writeFileAtomic from 'write-file-atomic';
import { jobs } from '../db/schema.ts';
import { diskFullProblem, isDiskFull } from '../disk/full.ts';
import { exportOrder, filmIsBeingRead, type ExportOrder } from '../jobs/export-order.ts';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import { maxAttempts } from '../jobs/runner.ts';
import { dropMade, newPlace, takeIn } from '../jobs/take-in.ts';
import { graphicPath, logPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { judge } from './judge.ts';
import { ownerOf, takeOutOfService, type MachineRow } from './machines.ts';

type Done = Extract<MachineEnd['ending'], { state: 'done' }>;

/** The job that a machine holds by that id; undefined where it does not hold it. */
export async function heldJob(
  { db }: Workspace,
  machine: MachineRow,
  jobId: string,
): Promise<JobRow | undefined> {
  const [row] = await db.select().from(jobs).where(eq(jobs.id, jobId));
  return row?.state === 'running' && row.owner === ownerOf(machine) ? row : undefined;
}

/** What a ticket that a machine has drawn leads to. */
export async function takeFor(ws: Workspace, machine: MachineRow, ticket: TicketData): Promise<MachineTaken> {
  if (machine.draining) return { is: 'later' };
  const [waiting] = await ws.db.select().from(jobs).where(eq(jobs.id, ticket.id));
  if (waiting && (await filmIsBeingRead(ws, waiting))) return { is: 'later' };
  const owner = ownerOf(machine);
  const row = await ws.handed?.takeHanded(ticket, owner, machine.name);
  if (!row) return { is: 'gone' };
  if (await ws.runner.gaveUp(row, owner)) return { is: 'gone' };
  const ordered = await exportOrder(ws, row);
  if (!ordered.ok) await ws.runner.end(row, owner, { state: 'failed', problem: ordered.problem });
  else if (!ordered.value) await ws.runner.end(row, owner, { state: 'done' });
  if (!ordered.ok || !ordered.value) return { is: 'gone' };
  ws.runner.tell(row);
  return { is: 'yours', order: await orderFor(ws, machine, row, ordered.value) };
}

async function orderFor(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  order: ExportOrder,
): Promise<MachineOrder> {
  const { plan, placement, masterPath } = order;
  const base = `/api/machines/${machine.id}/jobs/${row.id}`;
  const graphics = [];
  for (const { kind, sha256 } of graphicsShown(plan.layers ?? []))
    graphics.push({
      kind,
      sha256,
      bytes: (await stat(graphicPath(ws.storage, { kind, sha256 }))).size,
      address: `${base}/graphics/${kind}/${sha256}`,
    });
  return {
    jobId: row.id,
    plan,
    placement,
    effort: row.effort,
    film: { address: `${base}/film`, sha256: plan.master.sha256, bytes: (await stat(masterPath)).size },
    graphics,
  };
}

/** Keeps how far a machine is with a job. False where it is not its own any more. */
export async function renewFor(
  ws: Workspace,
  machine: MachineRow,
  jobId: string,
  progress: MachineProgress,
): Promise<boolean> {
  const held = (await ws.handed?.renew(jobId, ownerOf(machine), progress)) ?? false;
  const row = held ? await heldJob(ws, machine, jobId) : undefined;
  if (row) ws.runner.tell(row);
  return held;
}

/**
 * Takes back how a job ended on a machine. It counts once, and only for who holds the job; what was brought back counts
 * only when it is what was asked for.
 */
export async function endFor(
  ws: Workspace,
  machine: MachineRow,
  jobId: string,
  { ending, log }: MachineEnd,
  signal: AbortSignal,
): Promise<{ counted: boolean }> {
  const row = await heldJob(ws, machine, jobId);
  const owner = ownerOf(machine);
  try {
    if (!row) return { counted: false };
    await writeFileAtomic(logPath(ws.storage, jobId), `made on ${machine.name}\n${log}`);
    if (ending.state !== 'done') {
      // What fails on one machine may be that machine's fault: another tries, until that was tried often enough.
      const again = ending.state === 'failed' && row.attempts < maxAttempts;
      const end = again ? ({ state: 'dropped' } as const) : ending;
      return { counted: (await ws.runner.end(row, owner, end)) !== undefined };
    }
    // Judging takes longer than a lease: it is renewed meanwhile.
    const renewing = setInterval(() => {
      void renewFor(ws, machine, jobId, {
        stage: 'looking at what came back',
        fraction: 0.99,
        etaSeconds: null,
        speed: 0,
      });
    }, 2000);
    try {
      return { counted: await takeBack(ws, machine, row, ending, signal) };
    } finally {
      clearInterval(renewing);
    }
  } finally {
    if (ending.state === 'done')
      for (const brought of [ending.film, ...(ending.cover ? [ending.cover] : [])])
        await dropUpload(ws, brought.upload);
  }
}

/** Takes in what a machine brought back. */
async function takeBack(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  ending: Done,
  signal: AbortSignal,
): Promise<boolean> {
  const owner = ownerOf(machine);
  const ordered = await exportOrder(ws, row);
  if (!ordered.ok || !ordered.value) {
    const end = ordered.ok
      ? ({ state: 'done' } as const)
      : ({ state: 'failed', problem: ordered.problem } as const);
    return (await ws.runner.end(row, owner, end)) !== undefined;
  }
  const order = ordered.value;
  const right = await isWhole(ws, ending);
  const judged = right.ok
    ? await judge(ws, order, { path: uploadPath(ws, ending.film.upload), report: ending.report }, signal)
    : right;
  if (!judged.ok) {
    await takeOutOfService(ws.db, machine.id, judged.problem);
    ws.events.tell({ kind: 'machines' });
    await ws.runner.end(row, owner, { state: 'dropped' });
    return false;
  }
  const { id, outPath } = newPlace(ws, order);
  try {
    await mkdir(dirname(outPath), { recursive: true });
    await rename(uploadPath(ws, ending.film.upload), outPath);
    if (ending.cover)
      await rename(
        uploadPath(ws, ending.cover.upload),
        `${outPath.slice(0, -order.plan.container.length)}${ending.cover.ending}`,
      );
    const made = {
      id,
      outPath,
      bytes: ending.film.bytes,
      sha256: ending.film.sha256,
      coverSha256: ending.cover?.sha256 ?? null,
      report: ending.report,
      effort: row.effort,
      tookSeconds: differenceInMilliseconds(new Date(), new Date(row.startedAt!)) / 1000,
      madeOn: machine.name,
    };
    // Its row is written with the job's end, or not at all: whoever lost the job meanwhile has made nothing.
    const done = await ws.runner.end(row, owner, { state: 'done' }, (tx) => takeIn(tx, ws, order, made));
    if (!done) await dropMade(outPath);
    return done !== undefined;
  } catch (error) {
    await dropMade(outPath);
    const problem: Problem | null = isDiskFull(error) ? diskFullProblem : null;
    if (problem) ws.disk.met();
    await ws.runner.end(row, owner, problem ? { state: 'failed', problem } : { state: 'dropped' });
    throw error;
  }
}

const uploadPath = ({ storage }: Pick<Workspace, 'storage'>, id: string): string =>
  join(storage.results, basename(id));

async function dropUpload(ws: Workspace, id: string): Promise<void> {
  for (const path of [uploadPath(ws, id), `${uploadPath(ws, id)}.json`]) await rm(path, { force: true });
}

/** Whether every byte that a machine says it brought is here. */
async function isWhole(ws: Workspace, { film, cover }: Done): Promise<Result<void>> {
  for (const brought of [film, ...(cover ? [cover] : [])]) {
    const path = uploadPath(ws, brought.upload);
    const there = await stat(path).catch(() => null);
    const same = there?.size === brought.bytes && (await sha256File(path)) === brought.sha256;
    if (!same)
      return {
        ok: false,
        problem: {
          code: 'brought-wrong',
          sentence:
            'It brought back a file that is not the one whose sum it named, so the file was thrown away.',
          mend: 'Look at its disk and its network. Once that is mended, let it take work again.',
        },
      };
  }
  return ok(undefined);
}
