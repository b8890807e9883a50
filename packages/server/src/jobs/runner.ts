import { and, asc, eq, lt, or, sql } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import type { Logger } from 'pino';
import type { Framing, Played, Problem, Result } from '@mivvy/core';
import { Cancelled } from '@mivvy/media';
import type { Job } from '@mivvy/api';
import type { Database } from '../db/database.ts';
import { jobs } from '../db/schema.ts';
import type { Events } from '../events.ts';

export type JobRow = typeof jobs.$inferSelect;
export type JobKind = JobRow['kind'];

/** How long a held job stays held without a sign of life; past that another process takes it over. */
const leaseMs = 8000;
const heartbeatMs = 2000;
/** A job that was taken over so often is given up: something in it brings the server down. */
const maxAttempts = 3;

/** What a job's work is given. */
export interface JobContext {
  job: JobRow;
  signal: AbortSignal;
  /** Tells how far it has come; written and sent at most a few times a second. */
  progress: (p: { stage: string; fraction: number; etaSeconds?: number | null; speed?: number }) => void;
}
export type JobWork = (context: JobContext) => Promise<Result<void>>;

/** A job row as the API shows it. */
export function toJob(row: JobRow): Job {
  const { id, kind, productionId, subjectId, label, state, attempts, stage, fraction, etaSeconds, speed, problem, createdAt, startedAt, finishedAt } = row;
  return { id, kind, productionId, subjectId, label, state, attempts, stage, fraction, etaSeconds, speed, problem, createdAt, startedAt, finishedAt };
}

/**
 * Runs jobs, which are rows: one at a time of each kind, oldest first. The process that runs a job holds a lease on its
 * row; if the process dies, the lease runs out and the next one starts the job again.
 */
export class Runner {
  private readonly owner = nanoid(12);
  private readonly running = new Map<string, AbortController>();
  private readonly busy = new Set<JobKind>();
  private work: Partial<Record<JobKind, JobWork>> = {};
  private timer: NodeJS.Timeout | undefined;
  private stopped = false;
  private readonly ending = new Set<Promise<void>>();

  constructor(
    private readonly db: Database,
    private readonly events: Events,
    private readonly log: Logger,
  ) {}

  /** Starts taking jobs. */
  start(work: Record<JobKind, JobWork>): void {
    this.work = work;
    this.timer = setInterval(() => this.wake(), 1000);
    this.wake();
  }

  /** Stops taking jobs and ends the running ones; they go back into the queue. */
  async stop(): Promise<void> {
    this.stopped = true;
    clearInterval(this.timer);
    for (const controller of this.running.values()) controller.abort();
    await Promise.all(this.ending);
  }

  /** Puts a job into the queue. */
  async enqueue(job: { kind: JobKind; productionId: string; subjectId: string; label: string; framing?: Framing; cut?: Played | null }): Promise<JobRow> {
    const [row] = await this.db.insert(jobs).values({ ...job, framing: job.framing ?? null, cut: job.cut ?? null, id: nanoid(10), state: 'queued', createdAt: new Date().toISOString() }).returning();
    this.events.tell({ kind: 'job', job: toJob(row!) });
    this.wake();
    return row!;
  }

  /** Stops a job, whether it waits or runs. */
  async cancel(id: string): Promise<JobRow | undefined> {
    const [row] = await this.db.update(jobs).set({ state: 'cancelled', finishedAt: new Date().toISOString(), etaSeconds: null })
      .where(and(eq(jobs.id, id), or(eq(jobs.state, 'queued'), eq(jobs.state, 'running')))).returning();
    this.running.get(id)?.abort();
    if (row) this.events.tell({ kind: 'job', job: toJob(row) });
    return row;
  }

  /** Puts a job that failed or was cancelled back into the queue. */
  async retry(id: string): Promise<JobRow | undefined> {
    const [row] = await this.db.update(jobs).set({ state: 'queued', problem: null, fraction: 0, stage: '', attempts: 0, startedAt: null, finishedAt: null, etaSeconds: null })
      .where(and(eq(jobs.id, id), or(eq(jobs.state, 'failed'), eq(jobs.state, 'cancelled')))).returning();
    if (row) this.events.tell({ kind: 'job', job: toJob(row) });
    this.wake();
    return row;
  }

  /** Ends every job about something that is being removed, and waits until none of them writes any more. */
  async forget(subjectIds: readonly string[]): Promise<void> {
    for (const subject of subjectIds) {
      const rows = await this.db.select().from(jobs).where(eq(jobs.subjectId, subject));
      for (const row of rows) await this.cancel(row.id);
    }
    await Promise.all([...this.ending]);
  }

  private wake(): void {
    for (const kind of Object.keys(this.work) as JobKind[]) {
      if (this.stopped || this.busy.has(kind)) continue;
      this.busy.add(kind);
      const turn = this.takeOne(kind)
        .catch((error: unknown) => (this.log.error({ err: error }, 'a job could not be taken'), false))
        .then((more) => {
          this.busy.delete(kind);
          this.ending.delete(turn);
          if (more) this.wake();
        });
      this.ending.add(turn);
    }
  }

  /** Takes the oldest job of a kind that nobody holds and runs it to its end. Returns whether there was one. */
  private async takeOne(kind: JobKind): Promise<boolean> {
    const time = Date.now();
    const free = or(eq(jobs.state, 'queued'), and(eq(jobs.state, 'running'), lt(jobs.leaseUntil, time)));
    const oldest = this.db.select({ id: jobs.id }).from(jobs).where(and(eq(jobs.kind, kind), free)).orderBy(asc(jobs.createdAt), asc(jobs.id)).limit(1);
    // One statement, so that two processes on one data folder cannot take the same job.
    const [row] = await this.db.update(jobs)
      .set({ state: 'running', owner: this.owner, leaseUntil: time + leaseMs, attempts: sql`${jobs.attempts} + 1`, startedAt: new Date(time).toISOString(), fraction: 0 })
      .where(sql`${jobs.id} = (${oldest})`).returning();
    if (!row) return false;
    if (row.attempts > maxAttempts) {
      await this.finish(row, { state: 'failed', problem: { code: 'gave-up', sentence: `It was started ${maxAttempts} times and the server stopped each time.`, mend: 'Look at its log, then start it again.' } });
      return true;
    }
    await this.run(row);
    return true;
  }

  private async run(row: JobRow): Promise<void> {
    const controller = new AbortController();
    this.running.set(row.id, controller);
    this.events.tell({ kind: 'job', job: toJob(row) });
    let shown: JobRow = row;
    let dirty = false;
    const flush = async () => {
      if (!dirty) return;
      dirty = false;
      this.events.tell({ kind: 'job', job: toJob(shown) });
    };
    const beat = setInterval(() => {
      const { stage, fraction, etaSeconds, speed } = shown;
      this.db.update(jobs).set({ leaseUntil: Date.now() + leaseMs, stage, fraction, etaSeconds, speed })
        .where(and(eq(jobs.id, row.id), eq(jobs.state, 'running'), eq(jobs.owner, this.owner))).returning({ id: jobs.id })
        // The row was cancelled or taken over by another process: let go of it.
        .then((held) => held.length || controller.abort(), (error: unknown) => this.log.warn({ err: error }, 'heartbeat missed'));
    }, heartbeatMs);
    const show = setInterval(() => void flush(), 250);
    let outcome: Partial<JobRow>;
    try {
      const result = await this.work[row.kind]!({
        job: row,
        signal: controller.signal,
        progress: (p) => {
          shown = { ...shown, stage: p.stage, fraction: p.fraction, etaSeconds: p.etaSeconds ?? null, speed: p.speed ?? 0 };
          dirty = true;
        },
      });
      outcome = result.ok ? { state: 'done', fraction: 1 } : { state: 'failed', problem: result.problem };
    } catch (error) {
      if (error instanceof Cancelled || controller.signal.aborted) {
        outcome = this.stopped ? { state: 'queued', owner: null, leaseUntil: null } : { state: 'cancelled' };
      } else {
        this.log.error({ err: error, job: row.id }, 'job ended unexpectedly');
        const problem: Problem = { code: 'unexpected', sentence: 'Something unexpected happened while this ran.', mend: 'Start it again; the server’s log tells more.' };
        outcome = { state: 'failed', problem };
      }
    } finally {
      clearInterval(beat);
      clearInterval(show);
      this.running.delete(row.id);
    }
    await this.finish(row, { stage: shown.stage, fraction: shown.fraction, speed: shown.speed, ...outcome });
  }

  private async finish(row: JobRow, change: Partial<JobRow>): Promise<void> {
    const ended = change.state !== 'queued';
    const [done] = await this.db.update(jobs).set({ ...change, etaSeconds: null, finishedAt: ended ? new Date().toISOString() : null })
      .where(and(eq(jobs.id, row.id), eq(jobs.state, 'running'), eq(jobs.owner, this.owner))).returning();
    if (done) this.events.tell({ kind: 'job', job: toJob(done) });
    this.events.tell({ kind: 'production', productionId: row.productionId });
  }
}
