import { and, asc, eq, gt, inArray, isNull, lt, max, notLike, or, sql, type SQL } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import type { Database, Writer } from '../../db/database.ts';
import { jobs } from '../../db/schema.ts';
import { dateNow, steadyNow } from '../../clocks.ts';
import {
  machineOwner,
  type AlsoWrite,
  type JobEnding,
  type JobKind,
  type JobProgress,
  type JobQueue,
  type JobRow,
  type NewJob,
  type QueueState,
} from './job-queue.ts';

/** How long a held job stays held without a sign of life; past that it can be taken over. Milliseconds. */
export const leaseMs = 8000;

/** First those of the lowest rank, then the oldest. */
const inOrder = [asc(jobs.rank), asc(jobs.createdAt), asc(jobs.id)];

const heldBy = (id: string, owner: string) =>
  and(eq(jobs.id, id), eq(jobs.state, 'running'), eq(jobs.owner, owner));

/** What an ending writes. */
function written(ending: JobEnding, at: string): Partial<JobRow> {
  switch (ending.state) {
    case 'done':
      // What was made is in its deliverable's plan; only what can be started again needs it here.
      return { state: 'done', fraction: 1, finishedAt: at, framing: null, cut: null, dressing: null };
    case 'failed':
      return { state: 'failed', problem: ending.problem, finishedAt: at };
    case 'cancelled':
      return { state: 'cancelled', finishedAt: at };
    case 'given-back':
      return { state: 'queued', owner: null, machine: null, leaseUntil: null };
    case 'dropped':
      return { owner: null, machine: null, leaseUntil: 0 };
  }
}

/** When the newest job was asked for, milliseconds; 0 where there is none. */
async function newestIn(tx: Writer): Promise<number> {
  const [row] = await tx.select({ at: max(jobs.createdAt) }).from(jobs);
  return row?.at ? Date.parse(row.at) : 0;
}

/** A job that can be taken. */
export interface FreeJob {
  id: string;
  /** How often it was handed over. */
  handed: number;
  /** Somebody held it, and has shown no sign of life for too long. */
  lapsed: boolean;
}

/** Jobs that are rows of the workspace's own database, for one process or for several on one folder. */
export class RowsQueue implements JobQueue {
  /** When the last job was added, milliseconds: no two are added in the same one, so that their order is told by it. */
  private lastAdded = 0;
  /** When the newest job was asked for that was there at the start. */
  private newest: Promise<number> | null = null;
  /** Kinds of which none is handed out. */
  private readonly held = new Set<JobKind>();

  constructor(
    private readonly db: Database,
    /** By which leases run out, milliseconds. */
    private readonly clock: () => number = steadyNow,
  ) {}

  async add(tx: Writer, job: NewJob): Promise<JobRow> {
    // A clock that was set back does not put a job before those that were asked for earlier.
    this.newest ??= newestIn(tx).catch((error: unknown) => {
      this.newest = null;
      throw error;
    });
    this.lastAdded = Math.max(Date.now(), (await this.newest) + 1, this.lastAdded + 1);
    const [row] = await tx
      .insert(jobs)
      .values({
        ...job,
        framing: job.framing ?? null,
        cut: job.cut ?? null,
        coverFrame: job.coverFrame ?? null,
        sharpen: job.sharpen ?? null,
        textless: job.textless ?? false,
        effort: job.effort ?? 'usual',
        dressing: job.dressing ?? null,
        id: nanoid(10),
        state: 'queued',
        createdAt: new Date(this.lastAdded).toISOString(),
      })
      .returning();
    return row!;
  }

  async take(kind: JobKind, owner: string): Promise<JobRow | undefined> {
    if (this.held.has(kind)) return undefined;
    const first = this.db
      .select({ id: jobs.id })
      .from(jobs)
      .where(and(eq(jobs.kind, kind), this.isFree()))
      .orderBy(...inOrder)
      .limit(1);
    // One statement, so that two processes on one data folder cannot take the same job.
    return this.takeThat(sql`${jobs.id} = (${first})`, owner);
  }

  /** Those of a kind that can be taken, the first of them in order; none while the kind is held. */
  async free(kind: JobKind, most: number): Promise<FreeJob[]> {
    if (this.held.has(kind)) return [];
    return this.db
      .select({ id: jobs.id, handed: jobs.handed, lapsed: sql<number>`${jobs.state} = 'running'` })
      .from(jobs)
      .where(and(eq(jobs.kind, kind), this.isFree()))
      .orderBy(...inOrder)
      .limit(most)
      .then((rows) => rows.map((row) => ({ ...row, lapsed: row.lapsed === 1 })));
  }

  /** Takes one job, by the number under which it was last handed over; undefined where it is not free under that. */
  takeHanded(
    { id, handed }: { id: string; handed: number },
    owner: string,
    machine: string | null = null,
  ): Promise<JobRow | undefined> {
    return this.takeThat(and(eq(jobs.id, id), eq(jobs.handed, handed), this.isFree())!, owner, machine);
  }

  /** Counts on the number under which a job is handed over, so that it can be once more. False where it is not free. */
  async handAnew({ id, handed }: { id: string; handed: number }): Promise<boolean> {
    const rows = await this.db
      .update(jobs)
      .set({ handed: handed + 1 })
      .where(and(eq(jobs.id, id), eq(jobs.handed, handed), this.isFree()))
      .returning({ id: jobs.id });
    return rows.length > 0;
  }

  private isFree(): SQL {
    return or(eq(jobs.state, 'queued'), and(eq(jobs.state, 'running'), lt(jobs.leaseUntil, this.clock())))!;
  }

  private async takeThat(
    which: SQL,
    owner: string,
    machine: string | null = null,
  ): Promise<JobRow | undefined> {
    const time = this.clock();
    // Only a death counts: a job that a server gave back when it was stopped is at its attempt still.
    const attempts = sql`case when ${jobs.state} = 'running' then ${jobs.attempts} + 1 else max(${jobs.attempts}, 1) end`;
    const [row] = await this.db
      .update(jobs)
      .set({
        state: 'running',
        owner,
        machine,
        leaseUntil: time + leaseMs,
        attempts,
        startedAt: dateNow(),
        fraction: 0,
      })
      .where(which)
      .returning();
    return row;
  }

  async renew(id: string, owner: string, progress: JobProgress): Promise<boolean> {
    const held = await this.db
      .update(jobs)
      .set({ leaseUntil: this.clock() + leaseMs, ...progress })
      .where(heldBy(id, owner))
      .returning({ id: jobs.id });
    return held.length > 0;
  }

  finish(
    id: string,
    owner: string,
    ending: JobEnding,
    progress: JobProgress,
    also?: AlsoWrite,
  ): Promise<JobRow | undefined> {
    const at = dateNow();
    return this.db.transaction(async (tx) => {
      const [row] = await tx
        .update(jobs)
        .set({ ...progress, ...written(ending, at), etaSeconds: null })
        .where(heldBy(id, owner))
        .returning();
      if (row) await also?.(tx, row);
      return row;
    });
  }

  async cancel(tx: Writer, id: string): Promise<JobRow | undefined> {
    const [row] = await tx
      .update(jobs)
      .set({ state: 'cancelled', finishedAt: dateNow(), etaSeconds: null })
      .where(and(eq(jobs.id, id), inArray(jobs.state, ['queued', 'running'])))
      .returning();
    return row;
  }

  retry(id: string, also?: AlsoWrite): Promise<JobRow | undefined> {
    return this.db.transaction(async (tx) => {
      const [row] = await tx
        .update(jobs)
        .set({
          state: 'queued',
          problem: null,
          fraction: 0,
          stage: '',
          attempts: 0,
          rank: 0,
          owner: null,
          machine: null,
          leaseUntil: null,
          startedAt: null,
          finishedAt: null,
          etaSeconds: null,
        })
        .where(and(eq(jobs.id, id), inArray(jobs.state, ['failed', 'cancelled'])))
        .returning();
      if (row) await also?.(tx, row);
      return row;
    });
  }

  move(id: string, before: string | null): Promise<JobRow[]> {
    return this.db.transaction(async (tx) => {
      const [job] = await tx
        .select()
        .from(jobs)
        .where(and(eq(jobs.id, id), eq(jobs.state, 'queued')));
      if (!job) return [];
      const waiting = await tx
        .select()
        .from(jobs)
        .where(and(eq(jobs.kind, job.kind), eq(jobs.state, 'queued')))
        .orderBy(...inOrder);
      const others = waiting.filter((other) => other.id !== id);
      const at = before === null ? -1 : others.findIndex((other) => other.id === before);
      const order = at < 0 ? [...others, job] : [...others.slice(0, at), job, ...others.slice(at)];
      const rows: JobRow[] = [];
      // Below zero, so that those that are asked for later stand behind them.
      for (const [i, { id: each }] of order.entries()) {
        const rank = i - order.length;
        rows.push(...(await tx.update(jobs).set({ rank }).where(eq(jobs.id, each)).returning()));
      }
      return rows;
    });
  }

  hold(kind: JobKind, on: boolean): void {
    if (on) this.held.add(kind);
    else this.held.delete(kind);
  }

  async release(): Promise<void> {
    // Those of machines go on. One that was written before the clock was set back would hold for that long.
    const longest = this.clock() + leaseMs;
    await this.db
      .update(jobs)
      .set({ leaseUntil: longest })
      .where(and(eq(jobs.state, 'running'), gt(jobs.leaseUntil, longest)));
    await this.db
      .update(jobs)
      .set({ leaseUntil: 0 })
      .where(
        and(eq(jobs.state, 'running'), or(isNull(jobs.owner), notLike(jobs.owner, machineOwner('%', '%')))),
      );
  }

  state(): QueueState {
    return { kind: 'rows', trouble: null };
  }

  close(): Promise<void> {
    return Promise.resolve();
  }
}
