import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as z from 'zod';
import { planMaster } from '@mivvy/core';
import { lookAtFilm } from '@mivvy/media';
import { deliverableSchema, jobSchema, lookViewSchema, machinesSchema, masterSchema } from '@mivvy/api';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { startWorker, type WorkerProcess } from '../testing/process.ts';
import { OwnRedis, redisThere } from '../testing/redis.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';

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
    expect(
      (await jobs()).filter((job) => job.kind === 'export').every((job) => job.machine === 'Cupboard'),
    ).toBe(true);
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
