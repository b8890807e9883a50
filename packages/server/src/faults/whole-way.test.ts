import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdtemp, mkdir, readFile, rm, stat, truncate, appendFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import fc from 'fast-check';
import getPort from 'get-port';
import { createClient } from '@libsql/client';
import type { Dispatch, Version } from '@mivvy/api';
import { heldFraming, type Stage } from '@mivvy/core';
import { faultsOf, startProcess, type ServerProcess } from '../testing/process.ts';
import { quickBook, smallFilm, until } from '../testing/server.ts';

// The whole way of deliverables, from framing to the outlet, in any order, with the server killed between and in the
// middle of steps: where each stands is always what the facts say, an approval never survives a changed byte, and no
// outlet gets the same file twice.

let dataDir: string;
let server: ServerProcess;
let real: Real;
beforeAll(async () => {
  dataDir = await mkdtemp(join(tmpdir(), 'mivvy whole way '));
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await smallFilm(join(dataDir, 'inbox', 'film.mp4'), 0.6);
  reviewPort = await getPort();
  await start();
  real = await begin();
}, 300_000);
afterAll(async () => {
  await server.kill();
  await rm(dataDir, { recursive: true, force: true });
});
let reviewPort: number;
const start = async () => {
  server = await startProcess(dataDir, { MIVVY_REVIEW_PORT: String(reviewPort) });
};
async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const answer = await server.call(method, path, body);
  if (answer.status >= 300)
    throw new Error(`${method} ${path}: ${answer.status} ${JSON.stringify(answer.body)}`);
  return answer.body as T;
}

/** What is worked on. */
interface Real {
  production: string;
  versions: string[];
  /** Path of the review link, whatever port it opens at. */
  link: string;
}
async function begin(): Promise<Real> {
  await call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  const { id } = await call<{ id: string }>('POST', '/productions', { name: 'Kite', client: '' });
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  const master = await call<{ id: string }>('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  await until(async () => (await call<{ sha256: string | null }>('GET', `/masters/${master.id}`)).sha256);
  const made = await call<Version[]>('POST', `/productions/${id}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall', 'quick-square'],
  });
  const versions = made.map((version) => version.id);
  for (const version of versions) {
    await reframe(version, 0.5);
    await exported(version, id);
  }
  const link = await call<{ address: string }>('POST', `/productions/${id}/review-links`, {
    name: 'The harbour’s board',
    versionIds: versions,
  });
  return { production: id, versions, link: new URL(link.address).pathname };
}
const versionOf = (id: string) => call<Version>('GET', `/versions/${id}`);
async function reframe(id: string, x: number): Promise<void> {
  const { revision } = await versionOf(id);
  await call('PATCH', `/versions/${id}`, { revision, framing: heldFraming({ x, y: 0.5, zoom: 1 }) });
}

/** What is known of a version. */
interface Known {
  /** Where its window stands. */
  x: number;
  /** Where it stood when its newest file was made. */
  made: number;
  /** That file was changed on the disk. */
  spoilt: boolean;
  /** What the client said of each file, by where its window stood: the same window makes the same bytes. */
  said: Map<number, 'approved' | 'changes-asked'>;
  /** Which of them went out. */
  sent: Set<number>;
}
type Model = Known[];

/** Where a version is, by what is known of it: some facts come by themselves a little later. */
function stagesOf({ x, made, spoilt, said, sent }: Known): Stage[] {
  if (made !== x || spoilt) return ['behind'];
  if (said.get(x) === 'changes-asked') return ['changes-asked'];
  if (sent.has(x)) return ['dispatched', 'live'];
  return said.get(x) === 'approved' ? ['approved'] : ['passed', 'in-review'];
}

/** Holds everything against what is known. */
async function check(model: Model): Promise<void> {
  for (const [i, known] of model.entries()) {
    const version = await versionOf(real.versions[i]!);
    expect(stagesOf(known)).toContain(version.stage);
  }
  const taken = await readFile(join(dataDir, 'stand-ins', 'films.json'), 'utf8').then(
    (text) => JSON.parse(text) as { placement: string; sha256: string }[],
    () => [],
  );
  const slots = taken.map(({ placement, sha256 }) => `${placement} ${sha256}`);
  expect(new Set(slots).size).toBe(slots.length);
  expect(slots).toHaveLength(model.reduce((sum, { sent }) => sum + sent.size, 0));
}

/** Where a version's newest file lies. */
async function pathOf(id: string): Promise<string> {
  const client = createClient({ url: `file:${join(dataDir, 'mivvy.sqlite')}` });
  try {
    const sql = 'select path from deliverables where version_id = ? order by export_number desc limit 1';
    const [row] = (await client.execute({ sql, args: [id] })).rows;
    return join(dataDir, String(row!.path));
  } finally {
    client.close();
  }
}

/** The review link's own surface. */
async function answer(id: string, said: 'approved' | 'changes-asked'): Promise<void> {
  const { deliverable } = await versionOf(id);
  const path = `http://127.0.0.1:${reviewPort}/api/review/${real.link.split('/').at(-1)!}/answers`;
  const told = await fetch(path, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({
      deliverableId: deliverable!.id,
      sha256: deliverable!.sha256,
      by: 'Ines Halloran',
      answer: said,
    }),
  });
  if (!told.ok) throw new Error(`the review answers ${told.status}: ${await told.text()}`);
}
async function exported(id: string, production = real.production): Promise<void> {
  await call('POST', `/productions/${production}/exports`, { versionIds: [id] });
  await until(async () => {
    const { standing, deliverable } = await versionOf(id);
    return deliverable && standing === 'passed';
  });
}
async function dispatched(id: string): Promise<void> {
  const { deliverable } = await versionOf(id);
  await call('POST', `/productions/${real.production}/dispatches`, {
    deliverableIds: [deliverable!.id],
    connector: 'outlet',
  });
  await until(async () => {
    const all = await call<Dispatch[]>('GET', `/productions/${real.production}/dispatches`);
    const own = all.find(({ sha256, versionId }) => sha256 === deliverable!.sha256 && versionId === id);
    return own && ['arrived', 'live'].includes(own.state);
  });
}

/** Files that are not what they were, with how long they were. */
const spoiltFiles = new Map<string, number>();
async function spoil(path: string): Promise<void> {
  spoiltFiles.set(path, (await stat(path)).size);
  await appendFile(path, 'behind its back');
}
async function mend(path: string): Promise<void> {
  await truncate(path, spoiltFiles.get(path));
  spoiltFiles.delete(path);
}

/** Something that a person does, and what is known afterwards. */
interface Step {
  may: (known: Known) => boolean;
  /** Once more after a crash in the middle, it comes to the same. */
  run: (id: string, known: Known) => Promise<void>;
  then: (known: Known) => void;
}
const sound = (known: Known) => known.made === known.x && !known.spoilt;
const steps: Readonly<Record<string, (x: number) => Step>> = {
  reframe: (x) => ({
    may: () => true,
    run: (id) => reframe(id, x),
    then: (known) => void (known.x = x),
  }),
  export: () => ({
    may: () => true,
    run: (id) => exported(id),
    then: (known) => Object.assign(known, { made: known.x, spoilt: false }),
  }),
  approve: () => ({
    may: sound,
    run: (id) => answer(id, 'approved'),
    then: (known) => void known.said.set(known.x, 'approved'),
  }),
  'ask for changes': () => ({
    may: sound,
    run: (id) => answer(id, 'changes-asked'),
    then: (known) => void known.said.set(known.x, 'changes-asked'),
  }),
  dispatch: () => ({
    may: sound,
    run: dispatched,
    then: (known) => void known.sent.add(known.x),
  }),
};

class Do implements fc.AsyncCommand<Model, object> {
  constructor(
    private readonly name: string,
    private readonly which: number,
    private readonly x: number,
    /** The server is killed so long after it was begun, milliseconds; null for not at all. */
    private readonly killedAfter: number | null,
  ) {}
  private get step(): Step {
    return steps[this.name]!(this.x);
  }
  check = (model: Readonly<Model>) => this.step.may(model[this.which]!);
  async run(model: Model) {
    const [id, known] = [real.versions[this.which]!, model[this.which]!];
    if (this.killedAfter !== null) {
      // Whatever was begun comes to an end or to nothing; the person does it once more.
      const begun = this.step.run(id, known).catch(() => undefined);
      await Promise.race([begun, pause(this.killedAfter)]);
      await server.kill();
      await start();
    }
    await this.step.run(id, known);
    this.step.then(known);
    await check(model);
  }
  toString = () =>
    `${this.name} ${this.which}${this.name === 'reframe' ? ` at ${this.x}` : ''}${this.killedAfter === null ? '' : `, killed after ${this.killedAfter} ms`}`;
}
/** A file is changed behind the server's back, or is what it was again. */
class Spoil implements fc.AsyncCommand<Model, object> {
  constructor(
    private readonly which: number,
    private readonly on: boolean,
  ) {}
  check = (model: Readonly<Model>) => model[this.which]!.spoilt !== this.on;
  async run(model: Model) {
    const [id, known] = [real.versions[this.which]!, model[this.which]!];
    const path = await pathOf(id);
    if (this.on) await spoil(path);
    else await mend(path);
    known.spoilt = this.on;
    await check(model);
    if (!this.on) return;
    // Nobody can send it.
    const { deliverable } = await versionOf(id);
    const sent = await server.call('POST', `/productions/${real.production}/dispatches`, {
      deliverableIds: [deliverable!.id],
      connector: 'outlet',
    });
    expect(sent.status).toBe(409);
  }
  toString = () => `${this.on ? 'spoil' : 'mend'} the file of ${this.which}`;
}

const which = fc.nat({ max: 1 });
const killedAfter = fc.option(fc.integer({ min: 0, max: 900 }), { nil: null, freq: 2 });
const done = (name: string) =>
  fc
    .tuple(which, fc.constantFrom(0.4, 0.5, 0.6), killedAfter)
    .map(([version, x, killed]) => new Do(name, version, x, killed));

test('framing, export, answers, dispatch and changed files in any order, with kills', async () => {
  const fresh = (): Known => ({ x: 0.5, made: 0.5, spoilt: false, said: new Map(), sent: new Set() });
  // One production lives on through all runs, as a workspace does.
  const model: Model = [fresh(), fresh()];
  await fc.assert(
    fc.asyncProperty(
      fc.commands(
        [
          done('reframe'),
          done('export'),
          done('export'),
          done('approve'),
          done('ask for changes'),
          done('dispatch'),
          done('dispatch'),
          fc.tuple(which, fc.boolean()).map(([version, on]) => new Spoil(version, on)),
        ],
        { maxCommands: 10, size: 'max' },
      ),
      async (commands) => {
        await fc.asyncModelRun(() => ({ model, real: {} }), commands);
      },
    ),
    { numRuns: 9, endOnFailure: true },
  );
  await server.stop();
  for (const path of spoiltFiles.keys()) await mend(path);
  expect(await faultsOf(dataDir)).toEqual([]);
  await start();
}, 600_000);
