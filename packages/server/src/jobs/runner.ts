import { setTimeout as pause } from 'node:timers/promises';
import { and, eq, inArray, sql } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import type { Logger } from 'pino';
import { ownFault, type Problem, type Result } from '@mivvy/core';
import { Cancelled, IdleWatch } from '@mivvy/media';
import type { Job } from '@mivvy/api';
import type { Database, Writer } from '../db/database.ts';
import { diskFullProblem, isDiskFull } from '../disk/full.ts';
import { jobs } from '../db/schema.ts';
import type { Events } from '../events.ts';
import { steadyNow } from '../clocks.ts';
import { tellProduction, tellVersion } from '../tell.ts';
import type {
  AlsoWrite,
  JobEnding,
  JobKind,
  JobProgress,
  JobQueue,
  JobRow,
  NewJob,
} from './queue/job-queue.ts';

export type { JobKind, JobRow, NewJob } from './queue/job-queue.ts';

/** A job that runs is renewed so often, milliseconds: well within its lease. */
const heartbeatMs = 2000;
/** A job during which whoever did it died so often is given up: something in it brings them down. */
export const maxAttempts = 3;
/** For so long after a render machine was heard of that takes work, some kinds are left to it; milliseconds. */
const leftToMachinesMs = 8000;
/** What a render machine does while there is one, so that the server has its cores. */
const leftToMachines: ReadonlySet<JobKind> = new Set(['prepare', 'look', 'match', 'check']);
/** While the disk has no room for a row, what became of a job is written again and again, so often. */
const persistEveryMs = 1000;

/**
 * How many jobs of a kind run at once: those that wait for the line and not for the processor do not hold each other
 * up; of exports, as many as the machine bears.
 */
const atOnce: Readonly<Record<JobKind, number>> = {
  ingest: 1,
  prepare: 1,
  export: Infinity,
  look: 1,
  match: 1,
  // Measuring needs much of the machine: the others wait.
  check: 1,
  dispatch: 4,
};

/** What a job does, for the sentence about one that stops by a fault of ours before it has said where it is. */
const doing: Readonly<Record<JobKind, string>> = {
  ingest: 'reading the film',
  prepare: 'preparing the film for the screen',
  export: 'making the file',
  look: 'looking at the film',
  match: 'comparing the films',
  check: 'checking the file',
  dispatch: 'delivering the files',
};

/** What a job's work is given. */
export interface JobContext {
  job: JobRow;
  signal: AbortSignal;
  /** Tells how far it has come; written and sent at most a few times a second. */
  progress: (p: { stage: string; fraction: number; etaSeconds?: number | null; speed?: number }) => void;
}
export type JobWork = (context: JobContext) => Promise<Result<void>>;

/** What is done for a kind of job, and what follows from how it came out; both hooks write with the job's own row. */
export interface JobKindWork {
  run: JobWork;
  /** After a job has failed or was cancelled. */
  onEnd?: (tx: Writer, job: JobRow) => Promise<void>;
  /** Before a job that had ended so is started again. */
  onRetry?: (tx: Writer, job: JobRow) => Promise<void>;
}

interface RunnerOptions {
  /** Called when a job has met a full disk. */
  onDiskFull: () => void;
  /** So many exports at once at most, 0 for none; without it as many as the machine bears. */
  exportsAtOnce: number | undefined;
}

/** What of a job is shown: what it was asked for with stays in its row. */
export const jobColumns = {
  id: jobs.id,
  kind: jobs.kind,
  productionId: jobs.productionId,
  subjectId: jobs.subjectId,
  label: jobs.label,
  state: jobs.state,
  rank: jobs.rank,
  attempts: jobs.attempts,
  stage: jobs.stage,
  fraction: jobs.fraction,
  etaSeconds: jobs.etaSeconds,
  speed: jobs.speed,
  problem: jobs.problem,
  machine: jobs.machine,
  createdAt: jobs.createdAt,
  startedAt: jobs.startedAt,
  finishedAt: jobs.finishedAt,
};

const progressOf = ({ stage, fraction, etaSeconds, speed }: JobRow): JobProgress => ({
  stage,
  fraction,
  etaSeconds,
  speed,
});

/** A job row as the API shows it. */
export function toJob({
  asked: _asked,
  framing: _framing,
  cut: _cut,
  dressing: _dressing,
  coverFrame: _coverFrame,
  sharpen: _sharpen,
  textless: _textless,
  effort: _effort,
  placementRevision: _placementRevision,
  owner: _owner,
  leaseUntil: _lease,
  handed: _handed,
  ...job
}: JobRow): Job {
  return job;
}

/**
 * Runs jobs as the queue hands them out: as many at a time of each kind as it bears, oldest first. It renews what it
 * runs; if the process dies, the lease runs out and the next one starts the job again.
 */
export class Runner {
  private readonly owner = `server.${nanoid(12)}`;
  private readonly running = new Map<string, AbortController>();
  /** The end of each job that runs here, by its id. */
  private readonly ends = new Map<string, Promise<void>>();
  private readonly busy = new Map<JobKind, number>();
  private work: Partial<Record<JobKind, JobKindWork>> = {};
  private timer: NodeJS.Timeout | undefined;
  private stopped = false;
  private machineTookAt = 0;
  private readonly turns = new Set<Promise<void>>();
  private readonly idle = new IdleWatch();

  constructor(
    private readonly db: Database,
    private readonly queue: JobQueue,
    private readonly events: Events,
    private readonly log: Logger,
    private readonly options: RunnerOptions,
  ) {}

  /**
   * Starts taking jobs. The data folder is this process's alone, so a job that a server is said to run belongs to one
   * that has died: it is taken over at once.
   */
  async start(work: Record<JobKind, JobKindWork>, held: readonly JobKind[] = []): Promise<void> {
    this.work = work;
    for (const kind of held) this.queue.hold(kind, true);
    await this.queue.release();
    this.timer = setInterval(() => this.wake(), 1000);
    this.wake();
  }

  /** Stops taking jobs and ends the running ones; they go back into the queue. */
  async stop(): Promise<void> {
    this.stopped = true;
    clearInterval(this.timer);
    this.idle.stop();
    for (const controller of this.running.values()) controller.abort();
    await Promise.all(this.turns);
  }

  /** Puts a job into the queue. */
  async enqueue(job: NewJob): Promise<JobRow> {
    const row = await this.add(this.db, job);
    this.announce([row]);
    return row;
  }

  /** Writes a job's row with others that belong to it; {@link announce} follows when they are all written. */
  add(tx: Writer, job: NewJob): Promise<JobRow> {
    return this.queue.add(tx, job);
  }

  /** Tells of jobs whose rows were changed, and goes on with the queue. */
  announce(rows: readonly JobRow[]): void {
    for (const row of rows) {
      if (row.state === 'cancelled') this.running.get(row.id)?.abort();
      this.events.tell({ kind: 'job', job: toJob(row) });
    }
    this.wake();
  }

  /** A render machine is there that takes work: what is left to such ones is not begun here. */
  machineTakes(): void {
    this.machineTookAt = steadyNow();
  }

  /** Tells how a job stands that a render machine has. */
  tell(row: JobRow): void {
    this.events.tell({ kind: 'job', job: toJob(row) });
  }

  /** Stops a job, whether it waits or runs. */
  async cancel(id: string): Promise<JobRow | undefined> {
    const row = await this.db.transaction((tx) => this.cancelIn(tx, id));
    if (row) this.announce([row]);
    return row;
  }

  /** Writes that a job is stopped, with others that belong to it; {@link announce} follows. */
  async cancelIn(tx: Writer, id: string): Promise<JobRow | undefined> {
    const row = await this.queue.cancel(tx, id);
    if (row) await this.hook('onEnd', tx, row);
    return row;
  }

  /** Begins no job of a kind until they are let go on; what runs is finished. */
  hold(kind: JobKind, on: boolean): void {
    this.queue.hold(kind, on);
    this.wake();
  }

  /** Moves a waiting job before another of its kind, or to the end of the queue. */
  async move(id: string, before: string | null): Promise<JobRow[]> {
    const moved = await this.queue.move(id, before);
    this.announce(moved);
    return moved;
  }

  /** Puts a job that failed or was cancelled back into the queue. */
  async retry(id: string): Promise<JobRow | undefined> {
    const row = await this.queue.retry(id, (tx, again) => this.hook('onRetry', tx, again));
    if (row) this.announce([row]);
    return row;
  }

  /**
   * Starts again what failed for want of room on the disk, as far as so many bytes suffice for it, and was not asked for
   * once more since.
   *
   * @returns whether something waits for more room than that
   */
  async retryForRoom(free: number): Promise<boolean> {
    const rows = await this.db
      .select({ id: jobs.id, problem: jobs.problem })
      .from(jobs)
      .where(
        and(
          eq(jobs.state, 'failed'),
          sql`'disk-full' in (json_extract(${jobs.problem}, '$.value.code'), json_extract(${jobs.problem}, '$.code'))`,
          sql`not exists (select 1 from jobs later where later.production_id = jobs.production_id
            and later.created_at > jobs.created_at and later.kind = jobs.kind and later.subject_id = jobs.subject_id)`,
        ),
      );
    const fits = rows.filter(({ problem }) => (problem?.bytesNeeded ?? 0) <= free);
    for (const { id } of fits) await this.retry(id);
    return fits.length < rows.length;
  }

  /** Ends every job about something that is being removed, and waits until none of them writes any more. */
  async forget(subjectIds: readonly string[]): Promise<void> {
    const rows = await this.db
      .select({ id: jobs.id })
      .from(jobs)
      .where(inArray(jobs.subjectId, [...subjectIds]));
    for (const { id } of rows) await this.cancel(id);
    await this.ended(rows.map((row) => row.id));
  }

  /** Waits for the end of those of some jobs that run here. */
  async ended(ids: readonly string[]): Promise<void> {
    await Promise.all(ids.map((id) => this.ends.get(id)));
  }

  /** Those that run here of the jobs about some things. */
  async runningAbout(subjectIds: readonly string[]): Promise<string[]> {
    const rows = await this.db
      .select({ id: jobs.id })
      .from(jobs)
      .where(inArray(jobs.subjectId, [...subjectIds]));
    return rows.map((row) => row.id).filter((id) => this.ends.has(id));
  }

  /** What follows for a job's kind from how it came out. */
  private async hook(name: 'onEnd' | 'onRetry', tx: Writer, row: JobRow): Promise<void> {
    await this.work[row.kind]?.[name]?.(tx, row);
  }

  private wake(): void {
    for (const kind of Object.keys(this.work) as JobKind[]) {
      const taking = this.busy.get(kind) ?? 0;
      if (this.stopped || taking >= atOnce[kind]) continue;
      if (kind === 'export' && !this.bearsExport(taking)) continue;
      if (leftToMachines.has(kind) && steadyNow() - this.machineTookAt < leftToMachinesMs) continue;
      this.busy.set(kind, taking + 1);
      const turn = this.takeOne(kind)
        .catch((error: unknown) => (this.log.error({ err: error }, 'a job could not be taken'), false))
        .then((more) => {
          this.busy.set(kind, this.busy.get(kind)! - 1);
          this.turns.delete(turn);
          if (more) this.wake();
        });
      this.turns.add(turn);
    }
  }

  private bearsExport(running: number): boolean {
    return running < (this.options.exportsAtOnce ?? Infinity) && this.idle.bears(running);
  }

  /** Takes the oldest job of a kind that nobody holds and runs it to its end. Returns whether there was one. */
  private async takeOne(kind: JobKind): Promise<boolean> {
    const row = await this.queue.take(kind, this.owner);
    if (!row) return false;
    if (kind === 'export') this.idle.begun();
    if (await this.gaveUp(row, this.owner)) return true;
    const end = this.run(row).finally(() => this.ends.delete(row.id));
    this.ends.set(row.id, end);
    await end;
    return true;
  }

  private async run(row: JobRow): Promise<void> {
    const controller = new AbortController();
    this.running.set(row.id, controller);
    if (this.stopped) controller.abort();
    this.events.tell({ kind: 'job', job: toJob(row) });
    let shown: JobRow = row;
    let dirty = false;
    const flush = () => {
      // What a job says while it is being stopped would show it as running again, for good.
      if (!dirty || controller.signal.aborted) return;
      dirty = false;
      this.events.tell({ kind: 'job', job: toJob(shown) });
    };
    const beat = setInterval(() => {
      this.queue
        .renew(row.id, this.owner, progressOf(shown))
        // It was cancelled, or somebody else took it over: let go of it.
        .then(
          (held) => held || controller.abort(),
          (error: unknown) => this.log.warn({ err: error }, 'heartbeat missed'),
        );
    }, heartbeatMs);
    const show = setInterval(flush, 250);
    let ending: JobEnding;
    try {
      const result = await this.work[row.kind]!.run({
        job: row,
        signal: controller.signal,
        progress: (p) => {
          shown = {
            ...shown,
            stage: p.stage,
            fraction: p.fraction,
            etaSeconds: p.etaSeconds ?? null,
            speed: p.speed ?? 0,
          };
          dirty = true;
        },
      });
      ending = result.ok ? { state: 'done' } : { state: 'failed', problem: result.problem };
    } catch (error) {
      if (error instanceof Cancelled || controller.signal.aborted) {
        ending = { state: this.stopped ? 'given-back' : 'cancelled' };
      } else {
        this.log.error({ err: error, job: row.id }, 'job ended unexpectedly');
        const problem = isDiskFull(error) ? diskFullProblem : ownFault(shown.stage || doing[row.kind]);
        ending = { state: 'failed', problem };
      }
    } finally {
      clearInterval(beat);
      clearInterval(show);
      this.running.delete(row.id);
    }
    await this.end(shown, this.owner, ending);
  }

  /** Ends a job that was started too often already, for whoever took it just now. */
  async gaveUp(row: JobRow, owner: string): Promise<boolean> {
    if (row.attempts <= maxAttempts) return false;
    const problem: Problem = {
      code: 'gave-up',
      sentence: `It was started ${maxAttempts} times and ${row.machine === null ? 'the server' : 'whatever made it'} died each time.`,
      mend: 'Look at its log, then start it again.',
    };
    await this.end(row, owner, { state: 'failed', problem });
    return true;
  }

  /**
   * Ends a job for its owner, with what belongs to that, and tells of it. Undefined, and nothing written, where the owner
   * does not hold it any more.
   */
  async end(row: JobRow, owner: string, ending: JobEnding, also?: AlsoWrite): Promise<JobRow | undefined> {
    const done = await this.persist(() =>
      this.queue.finish(row.id, owner, ending, progressOf(row), async (tx, written) => {
        await also?.(tx, written);
        if (written.state === 'failed') await this.hook('onEnd', tx, written);
      }),
    );
    if (done) this.events.tell({ kind: 'job', job: toJob(done) });
    // Only now: whoever looks for what waits for room finds it once it is written.
    if (done?.problem?.code === 'disk-full') this.options.onDiskFull();
    const ws = { db: this.db, events: this.events };
    if (row.kind === 'export') await tellVersion(ws, row.subjectId);
    else await tellProduction(ws, row.productionId);
    return done;
  }

  /** Writes what must not be lost: while the disk is full it waits for room. A server that is being stopped does not wait. */
  private async persist<T>(write: () => Promise<T>): Promise<T | undefined> {
    for (;;) {
      try {
        return await write();
      } catch (error) {
        this.log.error({ err: error }, 'what became of a job could not be written');
        if (this.stopped || !isDiskFull(error)) return undefined;
        await pause(persistEveryMs);
      }
    }
  }
}
