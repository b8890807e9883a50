import { eq } from 'drizzle-orm';
import { ok, type Result } from '@mivvy/core';
import type {
  MachineEnd,
  MachineKind,
  MachineOrder,
  MachineProgress,
  MachineTaken,
  TicketData,
} from '@mivvy/api';
import writeFileAtomic from 'write-file-atomic';
import { jobs } from '../db/schema.ts';
import { exportOrder, filmIsBeingRead } from '../jobs/export-order.ts';
import { lookOrder } from '../jobs/look.ts';
import { matchOrder } from '../jobs/match.ts';
import type { JobEnding, JobRow } from '../jobs/queue/job-queue.ts';
import { maxAttempts } from '../jobs/runner.ts';
import { prepareOrder } from '../preparing.ts';
import { logPath } from '../storage.ts';
import { tellLook } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { beatMs, ownerOf, type MachineRow } from './machines.ts';
import { dropBegun, dropBrought } from './brought.ts';
import { checkFor, takeBackCheck } from './remote-checks.ts';
import { exportFor, filesOf, takeBackExport } from './remote-exports.ts';
import { lookFor, takeBackLook } from './remote-looks.ts';
import { matchFor, takeBackMatch } from './remote-matches.ts';
import { prepareFor, takeBackPrepared } from './remote-preparing.ts';

type OrderFor = (ws: Workspace, row: JobRow, base: string) => Promise<Result<MachineOrder | null>>;

/** A kind of job: what it is done with, and how a machine is told that. Nothing where there is nothing to do any more. */
const handing =
  <Order>(
    orderOf: (ws: Workspace, row: JobRow) => Promise<Result<Order | null>>,
    tell: (ws: Workspace, row: JobRow, order: Order, base: string) => Promise<MachineOrder>,
  ): OrderFor =>
  async (ws, row, base) => {
    const ordered = await orderOf(ws, row);
    if (!ordered.ok) return ordered;
    return ok(ordered.value === null ? null : await tell(ws, row, ordered.value, base));
  };

const orderFor: Readonly<Record<MachineKind, OrderFor>> = {
  export: handing(exportOrder, exportFor),
  prepare: handing(prepareOrder, prepareFor),
  look: handing(lookOrder, lookFor),
  match: handing(matchOrder, matchFor),
  check: handing((ws, row) => Promise.resolve(ok(ws.checks.orderOf(row.id) ?? null)), checkFor),
};

const isForMachines = (kind: JobRow['kind']): kind is MachineKind => kind in orderFor;

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
  if (waiting?.kind === 'export' && (await filmIsBeingRead(ws, waiting))) return { is: 'later' };
  const owner = ownerOf(machine);
  const row = await ws.handed?.takeHanded(ticket, owner, machine.name);
  if (!row) return { is: 'gone' };
  if (await ws.runner.gaveUp(row, owner)) return { is: 'gone' };
  const base = `/api/machines/${machine.id}/jobs/${row.id}`;
  if (!isForMachines(row.kind)) return { is: 'gone' };
  const ordered = await orderFor[row.kind](ws, row, base);
  if (!ordered.ok) await ws.runner.end(row, owner, { state: 'failed', problem: ordered.problem });
  else if (!ordered.value) await ws.runner.end(row, owner, { state: 'done' });
  if (!ordered.ok || !ordered.value) return { is: 'gone' };
  ws.runner.tell(row);
  if (row.kind === 'look') await tellLook(ws, row.subjectId);
  return { is: 'yours', order: ordered.value };
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
 * Takes back how a job ended on a machine, and says whether that counted: it counts once, and only for who holds the job;
 * what was brought back counts only when it is what was asked for.
 */
export async function endFor(
  ws: Workspace,
  machine: MachineRow,
  jobId: string,
  { ending, log }: MachineEnd,
): Promise<boolean> {
  try {
    const row = await heldJob(ws, machine, jobId);
    if (!row) return false;
    await writeFileAtomic(logPath(ws.storage, jobId), `made on ${machine.name}\n${log}`);
    const counts = await ended(ws, machine, row, ending);
    if (counts && ending.state === 'done') await dropBegun(ws, jobId);
    return counts;
  } finally {
    if (ending.state === 'done') await dropBrought(ws, filesOf(ending));
  }
}

async function ended(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  ending: MachineEnd['ending'],
): Promise<boolean> {
  const end = async (as: JobEnding) => (await ws.runner.end(row, ownerOf(machine), as)) !== undefined;
  switch (ending.state) {
    case 'done':
      return (
        row.kind === 'export' &&
        whileRenewed(ws, machine, row, () => takeBackExport(ws, machine, row, ending))
      );
    case 'looked':
      return row.kind === 'look' && takeBackLook(ws, machine, row, ending.scan);
    case 'prepared':
      return row.kind === 'prepare' && takeBackPrepared(ws, machine, row);
    case 'matched':
      return row.kind === 'match' && takeBackMatch(ws, machine, row, ending.found);
    case 'checked':
      return (
        row.kind === 'check' &&
        whileRenewed(ws, machine, row, () => takeBackCheck(ws, machine, row, ending.report))
      );
    case 'failed':
      // What fails on one machine may be that machine's fault: another tries, until that was tried often enough.
      return end(row.attempts < maxAttempts ? { state: 'dropped' } : ending);
    case 'given-back':
      return end(ending);
  }
}

/** Looking at what came back takes longer than a lease: it is renewed meanwhile. */
async function whileRenewed<T>(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  work: () => Promise<T>,
): Promise<T> {
  const stage = 'looking at what came back';
  const renewing = setInterval(() => {
    renewFor(ws, machine, row.id, { stage, fraction: 0.99, etaSeconds: null, speed: 0 }).catch(
      (error: unknown) => ws.log.warn({ err: error }, 'heartbeat missed'),
    );
  }, beatMs);
  try {
    return await work();
  } finally {
    clearInterval(renewing);
  }
}
