import { expect } from '@jest/globals';
import fc from 'fast-check';
import type { Database } from '../../db/database.ts';
import type { JobEnding, JobKind, JobProgress, JobQueue, JobRow } from './job-queue.ts';

// What every queue must do, whatever stands behind it: random jobs, owners and times, held against a model of a few
// lines.

/** A queue under test, on a database that holds the production `production`, and its clock. */
export interface QueueUnderTest {
  queue: JobQueue;
  db: Database;
  leaseMs: number;
  /** Lets time pass, milliseconds. */
  pass: (ms: number) => void;
}

interface ModelJob {
  kind: JobKind;
  state: JobRow['state'];
  owner: string | null;
  leaseUntil: number;
  attempts: number;
  rank: number;
}

/** Jobs in the order in which they were asked for, and the time. */
interface Model {
  jobs: Map<string, ModelJob>;
  /** Kinds of which none is handed out. */
  held: Set<JobKind>;
  time: number;
}

const kinds: readonly JobKind[] = ['export', 'look'];
const owners = ['one', 'two'] as const;
const endings: readonly JobEnding[] = [
  { state: 'done' },
  { state: 'failed', problem: { code: 'no', sentence: 'It did not work.', mend: 'Try again.' } },
  { state: 'cancelled' },
  { state: 'given-back' },
  { state: 'dropped' },
];
const stateAfter: Readonly<Record<JobEnding['state'], JobRow['state']>> = {
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
  'given-back': 'queued',
  dropped: 'running',
};
const goesOn = ({ state }: JobEnding): boolean => state === 'given-back' || state === 'dropped';
const progress: JobProgress = { stage: 'under way', fraction: 0.5, etaSeconds: 3, speed: 2 };

type Step = fc.AsyncCommand<Model, QueueUnderTest>;

const step = (name: string, run: (model: Model, real: QueueUnderTest) => Promise<void>): Step => ({
  check: () => true,
  run,
  toString: () => name,
});

const idAt = (model: Model, index: number): string =>
  [...model.jobs.keys()][index % Math.max(1, model.jobs.size)] ?? 'none';

const isHeld = (job: ModelJob | undefined, owner: string): job is ModelJob =>
  job?.state === 'running' && job.owner === owner;

/** Waiting jobs of a kind, the next one first. */
function inLine(model: Model, kind: JobKind, free: (job: ModelJob) => boolean): string[] {
  const all = [...model.jobs].filter(([, job]) => job.kind === kind && free(job));
  return all.sort(([, a], [, b]) => a.rank - b.rank).map(([id]) => id);
}

const add = (kind: JobKind) =>
  step(`add ${kind}`, async (model, { queue, db }) => {
    const row = await queue.add(db, { kind, productionId: 'production', subjectId: 'subject', label: '' });
    expect(row.state).toBe('queued');
    model.jobs.set(row.id, { kind, state: 'queued', owner: null, leaseUntil: 0, attempts: 0, rank: 0 });
  });

const take = (kind: JobKind, owner: string) =>
  step(`${owner} takes ${kind}`, async (model, { queue, leaseMs }) => {
    const lapsed = (job: ModelJob) => job.state === 'running' && job.leaseUntil < model.time;
    const [first] = model.held.has(kind)
      ? []
      : inLine(model, kind, (job) => job.state === 'queued' || lapsed(job));
    const taken = await queue.take(kind, owner);
    expect(taken?.id).toBe(first);
    if (first === undefined) return;
    const job = model.jobs.get(first)!;
    job.attempts = job.state === 'running' ? job.attempts + 1 : Math.max(1, job.attempts);
    Object.assign(job, { state: 'running', owner, leaseUntil: model.time + leaseMs });
    expect(taken).toMatchObject({ state: 'running', owner, attempts: job.attempts, fraction: 0 });
  });

const renew = (index: number, owner: string) =>
  step(`${owner} renews ${index}`, async (model, { queue, leaseMs }) => {
    const id = idAt(model, index);
    const job = model.jobs.get(id);
    expect(await queue.renew(id, owner, progress)).toBe(isHeld(job, owner));
    if (isHeld(job, owner)) job.leaseUntil = model.time + leaseMs;
  });

const finish = (index: number, owner: string, ending: JobEnding, fails: boolean) =>
  step(`${owner} ends ${index}: ${ending.state}${fails ? ', not written' : ''}`, async (model, { queue }) => {
    const id = idAt(model, index);
    const job = model.jobs.get(id);
    const held = isHeld(job, owner);
    let also = 0;
    const ended = queue.finish(id, owner, ending, progress, () => {
      also++;
      return fails ? Promise.reject(new Error('no room')) : Promise.resolve();
    });
    if (held && fails) {
      // What belongs to it could not be written, so nothing was.
      await expect(ended).rejects.toThrow();
      return;
    }
    const state = stateAfter[ending.state];
    expect((await ended)?.state).toBe(held ? state : undefined);
    expect(also).toBe(held ? 1 : 0);
    if (held) Object.assign(job, { state, ...(goesOn(ending) ? { owner: null, leaseUntil: -1 } : {}) });
  });

const cancel = (index: number) =>
  step(`cancel ${index}`, async (model, { queue, db }) => {
    const id = idAt(model, index);
    const job = model.jobs.get(id);
    const goes = job?.state === 'queued' || job?.state === 'running';
    const row = await db.transaction((tx) => queue.cancel(tx, id));
    expect(row?.state).toBe(goes ? 'cancelled' : undefined);
    if (goes) job.state = 'cancelled';
  });

const retry = (index: number) =>
  step(`retry ${index}`, async (model, { queue }) => {
    const id = idAt(model, index);
    const job = model.jobs.get(id);
    const goes = job?.state === 'failed' || job?.state === 'cancelled';
    const row = await queue.retry(id);
    expect(row?.state).toBe(goes ? 'queued' : undefined);
    if (goes) {
      expect(row).toMatchObject({ attempts: 0, problem: null, fraction: 0 });
      Object.assign(job, { state: 'queued', owner: null, attempts: 0, rank: 0 });
    }
  });

const move = (index: number, before: number | null) =>
  step(`move ${index} before ${before}`, async (model, { queue }) => {
    const id = idAt(model, index);
    const job = model.jobs.get(id);
    const to = before === null ? null : idAt(model, before);
    const moved = await queue.move(id, to);
    if (job?.state !== 'queued') return void expect(moved).toEqual([]);
    const others = inLine(model, job.kind, (other) => other.state === 'queued').filter((each) => each !== id);
    const at = to === null ? -1 : others.indexOf(to);
    const order = at < 0 ? [...others, id] : [...others.slice(0, at), id, ...others.slice(at)];
    order.forEach((each, i) => (model.jobs.get(each)!.rank = i - order.length));
    expect(moved.map((row) => row.id)).toEqual(order);
  });

const pass = (ms: number) =>
  step(`${ms} ms`, (model, real) => {
    model.time += ms;
    real.pass(ms);
    return Promise.resolve();
  });

const hold = (kind: JobKind, on: boolean) =>
  step(`${on ? 'hold' : 'let go on'} ${kind}`, (model, { queue }) => {
    if (on) model.held.add(kind);
    else model.held.delete(kind);
    queue.hold(kind, on);
    return Promise.resolve();
  });

const release = () =>
  step('all who held one are gone', async (model, { queue }) => {
    await queue.release();
    for (const job of model.jobs.values()) if (job.state === 'running') job.leaseUntil = -1;
  });

const job = fc.nat({ max: 9 });
const owner = fc.constantFrom(...owners);
const kind = fc.constantFrom(...kinds);

/** Any order of whatever can be asked of a queue; jobs and takings come more often than the rest. */
const steps = fc.commands(
  [
    kind.map(add),
    kind.map(add),
    fc.tuple(kind, owner).map(([k, o]) => take(k, o)),
    fc.tuple(kind, owner).map(([k, o]) => take(k, o)),
    fc.tuple(job, owner).map(([j, o]) => renew(j, o)),
    fc
      .tuple(job, owner, fc.constantFrom(...endings), fc.boolean())
      .map(([j, o, ending, fails]) => finish(j, o, ending, fails)),
    job.map(cancel),
    job.map(retry),
    fc.tuple(job, fc.option(job)).map(([j, before]) => move(j, before)),
    fc.constantFrom(1, 3000, 9000).map(pass),
    fc.tuple(kind, fc.boolean()).map(([k, on]) => hold(k, on)),
    fc.constant(release()),
  ],
  { maxCommands: 60 },
);

/** Fails where a queue does anything else than the model says; `open` gives one without jobs, of which none is held. */
export async function conforms(open: () => Promise<QueueUnderTest>, runs: number): Promise<void> {
  await fc.assert(
    fc.asyncProperty(steps, async (commands) => {
      const real = await open();
      const model: Model = { jobs: new Map(), held: new Set(), time: 0 };
      await fc.asyncModelRun(() => ({ model, real }), commands);
    }),
    { numRuns: runs },
  );
}
