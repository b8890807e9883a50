import { Queue, Worker, type Job as BullJob } from 'bullmq';
import { Redis } from 'ioredis';
import { nanoid } from 'nanoid';
import PQueue from 'p-queue';
import type { Logger } from 'pino';
import type { Problem } from '@mivvy/core';
import { machineKinds, ticketLine, type TicketData } from '@mivvy/api';
import type { Writer } from '../../db/database.ts';

import { handOver, ticketName, type Ticket } from './hand-over.ts';
import type {
  AlsoWrite,
  JobEnding,
  JobKind,
  JobProgress,
  JobQueue,
  JobRow,
  NewJob,
  QueueState,
} from './job-queue.ts';
import type { RowsQueue } from './rows-queue.ts';
import { type FreeJob } from './rows-queue.ts';

/** So many of a kind are handed over at once: more than machines take before the next look at them. */
const mostHanded = 200;
/** What is handed over is held against what is free so often, milliseconds. */
const tendEveryMs = 1000;
/** A worker that holds a ticket renews it within this; past it somebody else gets the ticket. Milliseconds. */
const ticketLockMs = 10_000;

/** Where a kind's tickets lie, and what takes them for this server. */
interface Line {
  queue: Queue<TicketData>;
  taker: Worker<TicketData>;
  /** One look at a time. */
  turns: PQueue;
}

interface Options {
  url: string;
  /** What the workspace's queues are called in front of their kind. */
  prefix: string;
  log: Logger;
}

/**
 * Jobs that other machines can take, too: each is written as a row first, which stays the truth, and handed over as a
 * ticket. Whoever draws a ticket has nothing yet: the row is taken by it, once, if it is still free under the number that
 * the ticket has. So tickets can be lost, doubled, late or old: a job is done once. What is lost is handed over again.
 */
export class RedisQueue implements JobQueue {
  private readonly redis: Redis;
  private readonly lines = new Map<JobKind, Line>();
  private readonly timer: NodeJS.Timeout;
  private trouble: QueueState['trouble'] = null;
  private closed = false;

  constructor(
    private readonly rows: RowsQueue,
    private readonly options: Options,
  ) {
    this.redis = new Redis(options.url, {
      // A request that finds nobody fails, so that this is said; it is made again a moment later.
      enableOfflineQueue: false,
      maxRetriesPerRequest: null,
      connectTimeout: 3000,
      commandTimeout: 5000,
      retryStrategy: (times) => Math.min(200 * times, 2000),
    });
    this.redis.on('error', (error: Error) => this.met(error));
    this.redis.on('ready', () => (this.trouble = null));
    // The rest is done where the workspace is.
    for (const kind of machineKinds) this.lines.set(kind, this.lineOf(kind));
    this.timer = setInterval(() => void this.tendAll(), tendEveryMs);
  }

  /** What its queues are called in front of their kind. */
  get prefix(): string {
    return this.options.prefix;
  }

  /** Where it is, without what opens it. */
  get address(): string {
    return queueAddress(this.options.url);
  }

  private lineOf(kind: JobKind): Line {
    const at = { connection: this.redis, prefix: this.options.prefix, skipVersionCheck: true };
    const name = ticketLine(kind);
    const queue = new Queue<TicketData>(name, {
      ...at,
      skipMetasUpdate: true,
      defaultJobOptions: {
        removeOnComplete: true,
        removeOnFail: true,
        // Whoever could not reach the server with a ticket tries it again.
        attempts: 1000,
        backoff: { type: 'fixed', delay: 2000 },
      },
    });
    const taker = new Worker<TicketData>(name, null, {
      ...at,
      autorun: false,
      blockingConnection: false,
      lockDuration: ticketLockMs,
    });
    queue.on('error', (error: Error) => this.met(error));
    taker.on('error', (error: Error) => this.met(error));
    return { queue, taker, turns: new PQueue({ concurrency: 1 }) };
  }

  add(tx: Writer, job: NewJob): Promise<JobRow> {
    return this.rows.add(tx, job);
  }

  async take(kind: JobKind, owner: string): Promise<JobRow | undefined> {
    const line = this.lines.get(kind);
    if (!line) return this.rows.take(kind, owner);
    return this.reaching(async () => {
      await this.tend(kind);
      for (;;) {
        const drawn = nanoid(8);
        const ticket = (await line.taker.getNextJob(drawn, { block: false })) as
          BullJob<TicketData> | undefined;
        if (!ticket) return undefined;
        const row = await this.rows.takeHanded(ticket.data, owner);
        // A ticket that cannot be torn up leads nowhere from now on; the job that it has led to is ours.
        await ticket.moveToCompleted(null, drawn, false).catch((error: Error) => this.met(error));
        if (row) return row;
      }
    });
  }

  /** Takes the job of a ticket that a machine has drawn; undefined where it is not to be had under it. */
  takeHanded(ticket: TicketData, owner: string, machine: string): Promise<JobRow | undefined> {
    return this.rows.takeHanded(ticket, owner, machine);
  }

  renew(id: string, owner: string, progress: JobProgress): Promise<boolean> {
    return this.rows.renew(id, owner, progress);
  }

  finish(
    id: string,
    owner: string,
    ending: JobEnding,
    progress: JobProgress,
    also?: AlsoWrite,
  ): Promise<JobRow | undefined> {
    return this.rows.finish(id, owner, ending, progress, also);
  }

  cancel(tx: Writer, id: string): Promise<JobRow | undefined> {
    return this.rows.cancel(tx, id);
  }

  retry(id: string, also?: AlsoWrite): Promise<JobRow | undefined> {
    return this.rows.retry(id, also);
  }

  move(id: string, before: string | null): Promise<JobRow[]> {
    return this.rows.move(id, before);
  }

  hold(kind: JobKind, on: boolean): void {
    this.rows.hold(kind, on);
  }

  release(): Promise<void> {
    return this.rows.release();
  }

  state(): QueueState {
    return { kind: 'redis', trouble: this.trouble };
  }

  async close(): Promise<void> {
    this.closed = true;
    clearInterval(this.timer);
    for (const { queue, taker, turns } of this.lines.values()) {
      turns.clear();
      await Promise.allSettled([turns.onIdle(), queue.close(), taker.close(true)]);
    }
    this.redis.disconnect();
  }

  private async tendAll(): Promise<void> {
    for (const kind of this.lines.keys()) await this.reaching(() => this.tend(kind));
  }

  /** Hands over what is free and was not, in the order of the rows, and takes back what is not free. */
  private tend(kind: JobKind): Promise<void> {
    const { queue, turns } = this.lines.get(kind)!;
    return turns.add(async () => {
      // Rows first: a ticket that is drawn between the two looks is in hand, or its job is not free any more.
      const free = await this.rows.free(kind, mostHanded);
      const todo = handOver(free, await ticketsOf(queue));
      for (const name of todo.withdraw) await queue.remove(name);
      for (const { name, place } of todo.move)
        await (await queue.getJob(name))?.changePriority({ priority: place }).catch(() => undefined);
      for (const { job, place } of todo.add) await this.hand(queue, job, place);
    }) as Promise<void>;
  }

  private async hand(queue: Queue<TicketData>, job: FreeJob, place: number): Promise<void> {
    // The number is written before the ticket is: a ticket that was written and not noted is drawn for nothing.
    if (!(await this.rows.handAnew(job))) return;
    const ticket = { id: job.id, handed: job.handed + 1 };
    await queue.add('job', ticket, { jobId: ticketName(ticket), priority: place });
  }

  /** What needs the distributor: undefined, and why is kept, where it cannot be reached. */
  private async reaching<T>(work: () => Promise<T>): Promise<T | undefined> {
    if (this.closed) return undefined;
    if (this.redis.status !== 'ready') {
      // Why it is not has been said where it is known.
      if (!this.trouble) this.met(new Error(`the connection is ${this.redis.status}`));
      return undefined;
    }
    try {
      const done = await work();
      this.trouble = null;
      return done;
    } catch (error) {
      this.met(error as Error);
      return undefined;
    }
  }

  private met(error: Error): void {
    if (this.closed) return;
    if (!this.trouble) this.options.log.warn({ err: error }, 'the queue cannot be reached');
    const { code, sentence, mend } = troubleOf(error, this.address);
    if (this.trouble?.problem.code === code) return;
    this.trouble = { problem: { code, sentence, mend }, since: new Date().toISOString() };
  }
}

/** The address without what opens it. */
function queueAddress(url: string): string {
  const { protocol, hostname, port } = new URL(url);
  return `${protocol}//${hostname}:${port || 6379}`;
}

/** What an error of the distributor means for whoever waits. */
function troubleOf({ name, message }: Error, address: string): Problem {
  const refused = name === 'ReplyError' || /^(OOM|NOAUTH|WRONGPASS|MISCONF|READONLY) /.test(message);
  return refused
    ? {
        code: 'queue-refuses',
        sentence: `The queue at ${address} takes nothing, so no export is handed out. It says: ${message.slice(0, 200)}`,
        mend: 'Give it more memory, or the right password; what waits goes on by itself.',
      }
    : {
        code: 'no-queue',
        sentence: `The queue at ${address} does not answer, so no export is handed out.`,
        mend: 'Start it again; what waits goes on by itself.',
      };
}

/** Every ticket that lies there. */
async function ticketsOf(queue: Queue<TicketData>): Promise<Ticket[]> {
  const [lying, inHand] = await Promise.all([
    queue.getJobs(['prioritized', 'waiting'], 0, -1, true),
    queue.getJobs(['active', 'delayed'], 0, -1, true),
  ]);
  const ticket = (job: BullJob<TicketData> | undefined, held: boolean): Ticket[] =>
    job?.id === undefined ? [] : [{ name: job.id, place: job.priority, inHand: held }];
  return [...lying.flatMap((job) => ticket(job, false)), ...inHand.flatMap((job) => ticket(job, true))];
}
