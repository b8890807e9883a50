import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { Worker, type Job as Ticket } from 'bullmq';
import pRetry, { AbortError } from 'p-retry';
import { rendererRevision, type Problem } from '@mivvy/core';
import { Cancelled, DecodedFilms, IdleWatch, locateTools, SoundShelf } from '@mivvy/media';
import {
  machineKinds,
  release,
  ticketLine,
  ticketSchema,
  type MachineEnd,
  type MachineKind,
  type MachineOrder,
  type MachineOrders,
  type MachineProgress,
  type TicketData,
} from '@mivvy/api';
import { checkMadeElsewhere } from './check-made-elsewhere.ts';
import { AnotherFilm, FilmCache } from './film-cache.ts';
import type { LastLines } from './last-lines.ts';
import { lookAt } from './look-at.ts';
import { makeExport, NoRoom, type Making } from './make-export.ts';
import { matchFilms } from './match-films.ts';
import { prepare } from './prepare-film.ts';
import { SharedFolder } from './shared-folder.ts';
import { Refused, ServerClient } from './server-client.ts';

/** A ticket that is held is renewed well within this; past it another machine gets it. Milliseconds. */
const ticketLockMs = 10_000;
/** After a disk without room, nothing is taken for so long, milliseconds. */
const restMs = 30_000;
/** How long is tried to tell the server how a job ended, before it is left to whoever takes it next. */
const endRetries = { retries: 8, minTimeout: 500, maxTimeout: 8000 };

export interface MachineOptions {
  server: string;
  queue: string;
  token: string | undefined;
  name: string;
  session: string;
  folder: string;
  cacheLimit: number;
  /** Where this machine sees the workspace's data folder; without it films are fetched. */
  share: string | undefined;
  /** So many exports at once at most; without it as many as the machine bears. */
  atOnce: number | undefined;
  log: LastLines;
}

interface Running {
  controller: AbortController;
  progress: MachineProgress;
}

/** What broke off is given back, unless it would break off again wherever it is tried: then it counts as a try. */
const endingOf = (error: unknown): MachineEnd['ending'] =>
  error instanceof AnotherFilm
    ? {
        state: 'failed',
        problem: {
          code: 'another-film',
          sentence: error.message,
          mend: 'Take the changed film in its place, then export again.',
        },
      }
    : { state: 'given-back' };

/** Does what an order asks for, each kind in its own way. */
function done(order: MachineOrder, making: Making): Promise<MachineEnd> {
  switch (order.kind) {
    case 'export':
      return makeExport(order, making);
    case 'prepare':
      return prepare(order, making);
    case 'look':
      return lookAt(order, making);
    case 'match':
      return matchFilms(order, making);
    case 'check':
      return checkMadeElsewhere(order, making);
  }
}

/** Why a machine ended that was not told to by its own person. */
export type Ended = { problem: Problem } | undefined;

/**
 * A machine that makes exports for a server: it draws tickets from the queue, takes their jobs from the server, and
 * brings back what it made. It knows nothing that the server does not know better: whatever it has in hand may be lost.
 */
export class RenderMachine {
  private readonly running = new Map<string, Running>();
  private readonly idle = new IdleWatch();
  private readonly sounds = new SoundShelf();
  private readonly films: DecodedFilms;
  private readonly cache: FilmCache;
  private shared: SharedFolder | null = null;
  private readonly server: ServerClient;
  private orders: Pick<MachineOrders, 'draining' | 'atOnce'> = { draining: false, atOnce: null };
  private trouble: Problem | null = null;
  private restUntil = 0;
  /** What draws tickets, one for each kind of job. */
  private readonly lines = new Map<MachineKind, Worker<TicketData>>();
  private stopping = false;
  private end: (ended: Ended) => void = () => undefined;
  /** When it has ended, and why. */
  readonly ended = new Promise<Ended>((resolve) => (this.end = resolve));

  constructor(private readonly options: MachineOptions) {
    this.server = new ServerClient(options.server, options.session, options.token);
    this.cache = new FilmCache(join(options.folder, 'films'), options.cacheLimit);
    this.films = new DecodedFilms(join(options.folder, 'work'));
  }

  /** Joins, and takes work from then on. Throws {@link Refused} where the server does not let it in. */
  async start(): Promise<void> {
    const tools = await locateTools();
    if (!tools.ok) throw new Refused(0, tools.problem);
    const { name, session, cacheLimit, log } = this.options;
    const joined = await this.server.join({
      name,
      session,
      release,
      renderer: rendererRevision,
      ffmpeg: tools.value.version,
      cores: availableParallelism(),
      cacheLimit,
    });
    log.say(`joined ${this.options.server} as ${name}`);
    const { share } = this.options;
    if (share !== undefined) {
      this.shared = await SharedFolder.proved(share, joined.proof);
      log.say(
        this.shared
          ? `films are used where they lie, in ${share}`
          : `${share} is not the data folder of that workspace: films are fetched instead`,
      );
    }
    for (const kind of machineKinds) {
      const line = new Worker<TicketData>(ticketLine(kind), (ticket) => this.use(ticket), {
        connection: { url: this.options.queue, maxRetriesPerRequest: null },
        prefix: joined.prefix,
        lockDuration: ticketLockMs,
        stalledInterval: ticketLockMs / 2,
        // How often is for the server to count.
        maxStalledCount: 1_000_000,
        drainDelay: 1,
        skipVersionCheck: true,
      });
      line.on('error', (error) => this.meet(error));
      this.lines.set(kind, line);
    }
    const beating = setInterval(() => void this.beat(), joined.beatMs);
    const bearing = setInterval(() => this.bear(), 1000);
    void this.ended.then(() => {
      clearInterval(beating);
      clearInterval(bearing);
    });
  }

  /** Gives back what is in hand and ends. */
  async stop(ended?: Ended): Promise<void> {
    if (this.stopping) return;
    this.stopping = true;
    this.idle.stop();
    for (const { controller } of this.running.values()) controller.abort();
    const closed = Promise.allSettled([...this.lines.values()].map((line) => line.close()));
    await Promise.race([closed, pause(8000)]);
    this.end(ended);
  }

  private meet(error: Error): void {
    const what = `the queue: ${error.message || error.name}`;
    if (what !== this.lastMet) this.options.log.say((this.lastMet = what));
  }
  private lastMet = '';

  /** As many at once as the server allows, the person at it, and what is idle of the machine. */
  private bear(): void {
    if (this.stopping) return;
    if (performance.now() > this.restUntil) this.trouble = null;
    const takes = !this.orders.draining && this.trouble === null;
    for (const line of this.lines.values()) {
      if (takes && line.isPaused()) void line.resume();
      if (!takes && !line.isPaused()) void line.pause(true);
    }
    // A film is looked at by one core for about as long as it runs: one at a time, beside whatever is made.
    const limit = Math.min(this.options.atOnce ?? Infinity, this.orders.atOnce ?? Infinity);
    const more = this.running.size < limit && this.idle.bears(this.running.size) ? 1 : 0;
    this.lines.get('export')!.concurrency = Math.max(1, Math.min(limit, this.running.size + more));
  }

  private async beat(): Promise<void> {
    const jobs = [...this.running].map(([id, { progress }]) => ({ id, progress }));
    try {
      const cacheBytes = await this.cache.bytes();
      const said = { jobs, cacheBytes, trouble: this.trouble, log: this.options.log.text() };
      const { lost, ...orders } = await this.server.beat(said);
      this.orders = orders;
      for (const id of lost) this.running.get(id)?.controller.abort();
    } catch (error) {
      if (error instanceof Refused && [401, 403, 410].includes(error.status)) {
        this.options.log.say(error.problem.sentence);
        await this.stop({ problem: error.problem });
      }
      // Whatever else it is: the server is away for a while, and what is in hand goes on.
    }
  }

  /** Does what a ticket leads to. Throwing puts the ticket back for a moment. */
  private async use(ticket: Ticket<TicketData>): Promise<void> {
    const drawn = ticketSchema.safeParse(ticket.data);
    if (!drawn.success || this.running.has(drawn.data.id)) return;
    if (this.stopping) throw new Error('it is ending');
    const taken = await this.server.take(drawn.data);
    if (taken.is === 'gone') return;
    if (taken.is === 'later') throw new Error('it has to wait');
    const { order } = taken;
    const { log, folder } = this.options;
    const controller = new AbortController();
    const running: Running = { controller, progress: { stage: '', fraction: 0, etaSeconds: null, speed: 0 } };
    this.running.set(order.jobId, running);
    this.idle.begun();
    log.say(`${order.jobId} begun`);
    try {
      const doing = {
        server: this.server,
        cache: this.cache,
        shared: this.shared,
        folder: join(folder, 'work', order.jobId),
        signal: controller.signal,
        progress: (progress: MachineProgress) => void (running.progress = progress),
      };
      await this.tell(order.jobId, await done(order, { ...doing, sounds: this.sounds, films: this.films }));
    } catch (error) {
      if (error instanceof NoRoom) this.rest(error.message);
      // The server knows already, where it was cancelled; where this machine is ending, it is given back.
      const how =
        error instanceof Cancelled || controller.signal.aborted ? 'let go of' : `broke off: ${String(error)}`;
      log.say(`${order.jobId} ${how}`);
      await this.tell(order.jobId, { ending: endingOf(error), log: String(error).slice(0, 2000) });
    } finally {
      this.running.delete(order.jobId);
    }
  }

  /** Tells the server how a job ended; where it cannot be told, the job is somebody else's before long. */
  private async tell(jobId: string, ended: MachineEnd): Promise<void> {
    try {
      const { counted } = await pRetry(async () => {
        try {
          return await this.server.end(jobId, ended);
        } catch (error) {
          throw error instanceof Refused && error.status < 500 ? new AbortError(error) : error;
        }
      }, endRetries);
      this.options.log.say(
        `${jobId} ${ended.ending.state}${counted ? '' : ', which did not count any more'}`,
      );
    } catch (error) {
      this.options.log.say(`${jobId} could not be ended: ${(error as Error).message}`);
    }
  }

  private rest(why: string): void {
    this.restUntil = performance.now() + restMs;
    this.trouble = {
      code: 'disk-full',
      sentence: why,
      mend: 'Free some space on its disk; it goes on by itself.',
    };
  }
}
