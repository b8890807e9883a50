import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { mkdir, mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { execa } from 'execa';
import fc from 'fast-check';
import * as z from 'zod';
import { nameKey, planFingerprint } from '@mivvy/core';
import { deliverableSchema, jobSchema, masterSchema, productionSchema, versionSchema } from '@mivvy/api';
import { deliverables } from '../db/schema.ts';
import { faultsOf } from '../testing/process.ts';
import { quickBook, testServer, until, type TestServer } from '../testing/server.ts';

// Whatever a producer does, in whatever order, with restarts in between: each deliverable's bytes are those that its
// plan made. Every film is of one colour, so a file tells by its picture which film it was made from.

/** Films whose names all reduce to the same letters, each of a colour of its own. */
const films = [
  { name: '東京の夏.mp4', colour: 'red', rgb: [255, 0, 0] },
  { name: '大阪の冬.mp4', colour: 'blue', rgb: [0, 0, 255] },
  { name: 'Teaser!.mp4', colour: 'white', rgb: [255, 255, 255] },
  { name: 'teaser.mov', colour: 'black', rgb: [0, 0, 0] },
] as const;
const placements = ['quick-tall', 'quick-square'] as const;

let inbox: string;
const sums = new Map<string, (typeof films)[number]>();
beforeAll(async () => {
  inbox = await mkdtemp(join(tmpdir(), 'mivvy model inbox '));
  for (const film of films) {
    const path = join(inbox, film.name);
    await execa('ffmpeg', [
      '-v',
      'error',
      '-y',
      '-f',
      'lavfi',
      '-i',
      `color=${film.colour}:s=160x90:r=25:d=0.4`,
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-pix_fmt',
      'yuv420p',
      '-f',
      'mp4',
      path,
    ]);
    sums.set(
      createHash('sha256')
        .update(await readFile(path))
        .digest('hex'),
      film,
    );
  }
});
afterAll(() => rm(inbox, { recursive: true, force: true }));

/** What ought to be there. */
interface Model {
  /** The film of each master, by the order in which they were brought in. */
  masters: { id: string; film: number }[];
  versions: { id: string; master: string }[];
}
interface Real {
  server: TestServer;
  production: string;
}

/** The mean colour of a file's first picture. */
async function colourOf(path: string): Promise<number[]> {
  const { stdout } = await execa(
    'ffmpeg',
    [
      '-v',
      'error',
      '-i',
      path,
      '-frames:v',
      '1',
      '-vf',
      'scale=1:1:flags=area',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'rgb24',
      '-',
    ],
    { encoding: 'buffer' },
  );
  return [...stdout];
}

async function check({ server, production }: Real, model: Model): Promise<void> {
  const detail = await server.detail(production);
  expect(detail.masters.map((m) => m.id).sort()).toEqual(model.masters.map((m) => m.id).sort());
  expect(detail.versions.map((v) => v.id).sort()).toEqual(model.versions.map((v) => v.id).sort());
  const files = await server.get(
    z.array(deliverableSchema),
    'GET',
    `/productions/${production}/deliverables`,
  );
  expect(new Set(files.map((f) => nameKey(f.fileName))).size).toBe(files.length);
  for (const row of await server.ws.db.select().from(deliverables)) {
    const file = files.find((f) => f.id === row.id)!;
    expect(file.onDisk).toBeNull();
    const bytes = await readFile(join(server.dir, row.path));
    expect(createHash('sha256').update(bytes).digest('hex')).toBe(row.sha256);
    expect(planFingerprint(row.plan)).toBe(row.fingerprint);
    const made = sums.get(row.plan.master.sha256)!;
    const colour = await colourOf(join(server.dir, row.path));
    made.rgb.forEach((value, i) => expect(Math.abs(colour[i]! - value)).toBeLessThan(24));
  }
}

const quiet = ({ server, production }: Real) =>
  until(async () => (await server.detail(production)).jobs.length === 0);

class BringIn implements fc.AsyncCommand<Model, Real> {
  constructor(private readonly film: number) {}
  check = () => true;
  async run(model: Model, real: Real) {
    const master = await real.server.get(masterSchema, 'POST', `/productions/${real.production}/masters`, {
      inboxFile: join(inbox, films[this.film]!.name),
    });
    model.masters.push({ id: master.id, film: this.film });
    await quiet(real);
  }
  toString = () => `bring in ${films[this.film]!.name}`;
}
class Replace implements fc.AsyncCommand<Model, Real> {
  constructor(
    private readonly which: number,
    private readonly film: number,
  ) {}
  check = (model: Readonly<Model>) => model.masters.length > 0;
  async run(model: Model, real: Real) {
    const master = model.masters[this.which % model.masters.length]!;
    await real.server.get(masterSchema, 'POST', `/productions/${real.production}/masters`, {
      inboxFile: join(inbox, films[this.film]!.name),
      replaces: master.id,
    });
    master.film = this.film;
    await quiet(real);
  }
  toString = () => `replace master ${this.which} by ${films[this.film]!.name}`;
}
class AddVersion implements fc.AsyncCommand<Model, Real> {
  constructor(
    private readonly which: number,
    private readonly place: number,
  ) {}
  check = (model: Readonly<Model>) => model.masters.length > 0;
  async run(model: Model, real: Real) {
    const master = model.masters[this.which % model.masters.length]!;
    const [version] = await real.server.get(
      z.array(versionSchema),
      'POST',
      `/productions/${real.production}/versions`,
      { masterId: master.id, placementIds: [placements[this.place]!] },
    );
    if (!model.versions.some((v) => v.id === version!.id))
      model.versions.push({ id: version!.id, master: master.id });
  }
  toString = () => `version ${placements[this.place]} of master ${this.which}`;
}
class Export implements fc.AsyncCommand<Model, Real> {
  check = (model: Readonly<Model>) => model.versions.length > 0;
  async run(model: Model, real: Real) {
    await real.server.get(z.array(jobSchema), 'POST', `/productions/${real.production}/exports`, {
      versionIds: model.versions.map((v) => v.id),
    });
    await quiet(real);
    await check(real, model);
  }
  toString = () => 'export all';
}
class RemoveVersion implements fc.AsyncCommand<Model, Real> {
  constructor(private readonly which: number) {}
  check = (model: Readonly<Model>) => model.versions.length > 0;
  async run(model: Model, real: Real) {
    const [version] = model.versions.splice(this.which % model.versions.length, 1);
    expect((await real.server.call('DELETE', `/versions/${version!.id}`)).status).toBe(204);
    await check(real, model);
  }
  toString = () => `remove version ${this.which}`;
}
class RemoveMaster implements fc.AsyncCommand<Model, Real> {
  constructor(private readonly which: number) {}
  check = (model: Readonly<Model>) => model.masters.length > 0;
  async run(model: Model, real: Real) {
    const [master] = model.masters.splice(this.which % model.masters.length, 1);
    model.versions = model.versions.filter((v) => v.master !== master!.id);
    expect((await real.server.call('DELETE', `/masters/${master!.id}`)).status).toBe(204);
    await check(real, model);
  }
  toString = () => `remove master ${this.which}`;
}
class Restart implements fc.AsyncCommand<Model, Real> {
  check = () => true;
  async run(model: Model, real: Real) {
    const { dir } = real.server;
    await real.server.stop(true);
    real.server = await testServer({ dataDir: dir, inboxes: [inbox] });
    await quiet(real);
    await check(real, model);
  }
  toString = () => 'restart';
}

const index = fc.nat({ max: 5 });
const film = fc.nat({ max: films.length - 1 });
const place = fc.nat({ max: placements.length - 1 });

test('productions, masters, versions, exports, removals, replacements and restarts in any order', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.commands(
        [
          film.map((f) => new BringIn(f)),
          fc.tuple(index, film).map(([w, f]) => new Replace(w, f)),
          fc.tuple(index, place).map(([w, p]) => new AddVersion(w, p)),
          fc.constant(new Export()),
          fc.constant(new Export()),
          index.map((w) => new RemoveVersion(w)),
          index.map((w) => new RemoveMaster(w)),
          fc.constant(new Restart()),
        ],
        { maxCommands: 14, size: 'max' },
      ),
      async (commands) => {
        const dir = await mkdtemp(join(tmpdir(), 'mivvy model '));
        await mkdir(dir, { recursive: true });
        const server = await testServer({ dataDir: dir, inboxes: [inbox] });
        await server.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
        const { id } = await server.get(productionSchema, 'POST', '/productions', {
          name: '東京の夏',
          client: '',
        });
        const real: Real = { server, production: id };
        const model: Model = { masters: [], versions: [] };
        try {
          // Something to begin with, so that the first commands have something to work on.
          await new BringIn(0).run(model, real);
          await new BringIn(1).run(model, real);
          await new AddVersion(0, 0).run(model, real);
          await new AddVersion(1, 0).run(model, real);
          await fc.asyncModelRun(() => ({ model, real }), commands);
          await check(real, model);
        } finally {
          await real.server.stop(true);
        }
        expect(await faultsOf(dir)).toEqual([]);
        await rm(dir, { recursive: true, force: true });
      },
    ),
    { numRuns: 6, endOnFailure: true, interruptAfterTimeLimit: 150_000 },
  );
}, 1_500_000);
