import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, readdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as z from 'zod';
import { createCanvas } from '@napi-rs/canvas';
import { eq } from 'drizzle-orm';
import { bare, planMaster, startStyles, type Layer, type LayerContent } from '@mivvy/core';
import { lookAtFilm, sha256File } from '@mivvy/media';
import {
  deliverableSchema,
  graphicViewSchema,
  jobSchema,
  lookViewSchema,
  machinesSchema,
  masterSchema,
  versionSchema,
} from '@mivvy/api';
import { deliverables } from '../db/schema.ts';
import { fromStored } from '../storage.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { startWorker, type WorkerProcess } from '../testing/process.ts';
import { OwnRedis, redisThere } from '../testing/redis.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';

/** One placement that asks for a still beside its film. */
const coveredBook = JSON.stringify({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'covered',
      name: 'Covered',
      placements: [
        {
          id: 'covered-square',
          name: 'Square',
          frame: { width: 120, height: 120 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 20 } },
          audio: null,
          cover: { width: 120, height: 120, format: 'jpeg' },
        },
      ],
    },
  ],
});

(redisThere ? describe : describe.skip)('a render machine', () => {
  let redis: OwnRedis;
  let s: TestServer;
  let of: MadeProduction;
  let folder: string;
  const workers: WorkerProcess[] = [];
  beforeAll(async () => {
    redis = await OwnRedis.start();
    folder = await mkdtemp(join(tmpdir(), 'mivvy machine '));
    // The server makes none itself.
    s = await testServer({ queueUrl: redis.url, exportsAtOnce: 0 });
    of = await madeProduction(s);
  });
  afterAll(async () => {
    await Promise.all(workers.map((worker) => worker.kill()));
    await s.stop();
    await redis.end();
    await rm(folder, { recursive: true, force: true });
  });

  const joins = (name: string, args: string[] = []) => {
    const worker = startWorker(
      { server: s.base, queue: redis.url, folder: join(folder, name), name },
      { args },
    );
    workers.push(worker);
    return worker;
  };
  const machines = () => s.get(machinesSchema, 'GET', '/machines');
  const there = (name: string) =>
    until(async () => (await machines()).machines.find((machine) => machine.name === name && machine.there));
  const jobs = () => s.get(z.array(jobSchema), 'GET', `/productions/${of.id}/jobs`);

  test('makes what the server asks for, and the server has it as if it had made it itself', async () => {
    const asked = of.make();
    await until(async () => (await machines()).waiting !== null);
    expect((await machines()).waiting).toMatchObject({ code: 'no-machine' });
    joins('Cupboard');
    await there('Cupboard');
    const made = await asked;
    expect(made.every((version) => version.standing === 'passed')).toBe(true);
    const files = await s.get(z.array(deliverableSchema), 'GET', `/productions/${of.id}/deliverables`);
    expect(files).toHaveLength(3);
    const {
      machines: [cupboard],
      waiting,
    } = await machines();
    expect(waiting).toBeNull();
    expect(cupboard).toMatchObject({ made: 3, doing: [], draining: false, trouble: null });
    expect(cupboard!.speed).toBeGreaterThan(0);
    expect(cupboard!.cacheBytes).toBeGreaterThan(0);
    const exported = (await jobs()).filter((job) => job.kind === 'export');
    expect(exported.every((job) => job.machine === 'Cupboard')).toBe(true);
    // The film was decoded once for all of them, and nothing of that lies there when the last one is made.
    const logs = await Promise.all(
      exported.map(async ({ id }) => (await fetch(`${s.base}/api/jobs/${id}/log`)).text()),
    );
    expect(logs.filter((log) => /\.nut\.part/.test(log))).toHaveLength(1);
    expect(logs.every((log) => /-i file:\S*decoded-\S+\.nut/.test(log))).toBe(true);
    await until(async () => (await readdir(join(folder, 'Cupboard', 'work'))).length === 0);
  });

  test('takes nothing while it is told so, and goes on when it is let', async () => {
    const { id } = await there('Cupboard');
    await s.call('PATCH', `/machines/${id}`, { draining: true });
    await s.call('POST', `/productions/${of.id}/exports`, { versionIds: of.versionIds });
    await new Promise((resolve) => setTimeout(resolve, 5000));
    expect((await jobs()).filter((job) => job.state === 'queued')).toHaveLength(3);
    expect((await machines()).waiting?.sentence).toContain('Cupboard');
    await s.call('PATCH', `/machines/${id}`, { draining: false });
    await until(async () => (await jobs()).every((job) => job.state === 'done'));
  });

  test('lays pictures and words over a film, and brings the cover beside it', async () => {
    const master = await s.get(masterSchema, 'GET', `/masters/${of.masterId}`);
    const png = await createCanvas(60, 40).encode('png');
    const taken = await fetch(`${s.base}/api/graphics?name=mark.png`, {
      method: 'POST',
      body: new Uint8Array(png),
    });
    const what = graphicViewSchema.parse(await taken.json());
    const layer = (id: string, content: LayerContent): Layer => ({
      id,
      name: id,
      what: content,
      span: { from: 0, to: 25 },
      fadeIn: 0,
      fadeOut: 0,
      place: { anchor: 'top left', across: 0, down: 0, width: 0.5 },
      otherwise: {},
    });
    const layers = [
      layer('words', { kind: 'words', text: 'Kite', style: startStyles[0]! }),
      layer('mark', what),
    ];
    await s.get(masterSchema, 'PUT', `/masters/${of.masterId}/dressing`, {
      revision: master.dressingRevision,
      dressing: { ...bare, layers },
    });
    await s.call('POST', '/spec-book/files', { fileName: 'covered.specbook.json', text: coveredBook });
    const [version] = await s.get(z.array(versionSchema), 'POST', `/productions/${of.id}/versions`, {
      masterId: of.masterId,
      placementIds: ['covered-square'],
    });
    await there('Cupboard');
    await s.call('POST', `/productions/${of.id}/exports`, { versionIds: [version!.id] });
    await until(async () => (await jobs()).every((job) => job.state === 'done' || job.state === 'failed'));
    expect((await jobs()).filter((job) => job.state === 'failed')).toEqual([]);
    const [file] = (
      await s.get(z.array(deliverableSchema), 'GET', `/productions/${of.id}/deliverables`)
    ).filter((made) => made.versionId === version!.id);
    expect(file!.passed).toBe(true);
    const [row] = await s.ws.db.select().from(deliverables).where(eq(deliverables.id, file!.id));
    expect(row).toMatchObject({ madeOn: 'Cupboard', coverSha256: expect.stringMatching(/^[0-9a-f]{64}$/) });
    expect(row!.plan.layers!.map((each) => each.what.kind)).toEqual(['words', 'picture']);
    const beside = fromStored(s.ws.storage, row!.path).replace(/mp4$/, 'jpg');
    expect(await sha256File(beside)).toBe(row!.coverSha256);
  });

  test('looks at a film as the server would', async () => {
    const master = `/masters/${of.masterId}`;
    await there('Cupboard');
    await s.call('POST', `${master}/look`);
    const seen = await until(async () => {
      const look = await s.get(lookViewSchema, 'GET', `${master}/look`);
      return look.state === 'done' && look;
    });
    const looked = (await jobs()).find((job) => job.kind === 'look');
    expect(looked).toMatchObject({ state: 'done', machine: 'Cupboard' });
    const film = join(s.dir, 'inbox', 'film.mp4');
    const { facts, sha256, shots } = await s.get(masterSchema, 'GET', master);
    const here = await lookAtFilm(film, facts!, planMaster(facts!, sha256!), shots!, { detector: false });
    expect(here.ok && here.value.shots).toEqual(seen.shots);
  });

  test('that sees the workspace’s folder uses films where they lie; one that sees another fetches them', async () => {
    await s.call('PATCH', `/machines/${(await there('Cupboard')).id}`, { draining: true });
    const nothing = await mkdtemp(join(folder, 'elsewhere-'));
    for (const [name, share, fetches] of [
      ['Beside', s.dir, false],
      ['Apart', nothing, true],
    ] as const) {
      const worker = joins(name, ['--share', share]);
      const { id } = await there(name);
      await s.call('POST', `/productions/${of.id}/exports`, { versionIds: [of.versionIds[0]!] });
      await until(async () => (await jobs()).every((job) => job.state === 'done'));
      const made = await until(async () => {
        const now = await there(name);
        return now.made === 1 && now;
      });
      // The test's film lies in the inbox, which is in the data folder.
      await until(async () => (await there(name)).cacheBytes > 0 === fetches);
      expect(made.log).toContain(fetches ? 'are fetched instead' : 'are used where they lie');
      await s.call('DELETE', `/machines/${id}`);
      expect(await worker.ended()).toBe(3);
    }
    await s.call('PATCH', `/machines/${(await there('Cupboard')).id}`, { draining: false });
  });

  test('removed, it ends', async () => {
    const worker = joins('Shelf');
    const { id } = await there('Shelf');
    await s.call('DELETE', `/machines/${id}`);
    expect(await worker.ended()).toBe(3);
    expect(worker.words()).toContain('removed');
  });

  test('of another release, or under a name that is taken, is not let in', async () => {
    const asked = {
      name: 'Attic',
      session: 'a',
      release: '0.0.1',
      renderer: 1,
      ffmpeg: 'ffmpeg version 1',
      cores: 2,
      cacheLimit: 1,
    };
    expect(await s.call('POST', '/machines/join', asked)).toMatchObject({
      status: 409,
      body: { code: 'makes-otherwise' },
    });
    await there('Cupboard');
  });
});
