import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { execa } from 'execa';
import * as z from 'zod';
import { looksEvery, planMaster, thumbBytes } from '@mivvy/core';
import { countFrames, findShots, framesAhead, measureLoudness, probeMaster } from '@mivvy/media';
import { inboxFileSchema, jobSchema, masterSchema, productionSchema, type Master } from '@mivvy/api';
import { readAnalysis } from '../analysis.ts';
import { readLook, writeLook } from '../looks.ts';
import { jobs, masters } from '../db/schema.ts';
import { proxyPath, stillPath } from '../storage.ts';
import { PlayedMachine } from '../testing/played-machine.ts';
import { startWorker, type WorkerProcess } from '../testing/process.ts';
import { OwnRedis, redisThere } from '../testing/redis.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';

/** Three seconds, with another scene after the first; no browser plays what it is coded in. */
const twoScenes = (path: string, hue = 0) =>
  execa('ffmpeg', [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', `testsrc2=s=320x180:r=25:d=1.4,hue=h=${hue}`],
    ...['-f', 'lavfi', '-i', 'mandelbrot=s=320x180:r=25', '-f', 'lavfi', '-i', 'sine=440:d=3'],
    ...['-filter_complex', '[1]trim=end=1.6,setpts=PTS-STARTPTS[b];[0][b]concat[v]', '-map', '[v]'],
    ...['-map', '2:a', '-t', '3', '-c:v', 'mpeg4', '-q:v', '3', '-c:a', 'pcm_s16le', path],
  ]);

(redisThere ? describe : describe.skip)('films that are read on a render machine', () => {
  let redis: OwnRedis;
  let s: TestServer;
  let folder: string;
  let production: string;
  const workers: WorkerProcess[] = [];
  beforeAll(async () => {
    redis = await OwnRedis.start();
    folder = await mkdtemp(join(tmpdir(), 'mivvy machine '));
    s = await testServer({ queueUrl: redis.url, exportsAtOnce: 0 });
    const asked = { name: 'Kite', client: 'Harbour Trust' };
    production = (await s.get(productionSchema, 'POST', '/productions', asked)).id;
  });
  afterAll(async () => {
    await Promise.all(workers.map((worker) => worker.kill()));
    await s.stop();
    await redis.end();
    await rm(folder, { recursive: true, force: true });
  });

  const film = (name: string) => join(s.dir, 'inbox', name);
  const bringIn = async (name: string): Promise<Master> => {
    const files = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
    const inboxFile = files.find(({ path }) => path.endsWith(name))!.path;
    return s.get(masterSchema, 'POST', `/productions/${production}/masters`, { inboxFile });
  };
  const master = (id: string) => s.get(masterSchema, 'GET', `/masters/${id}`);
  const rowOf = async (id: string) => (await s.ws.db.select().from(masters).where(eq(masters.id, id)))[0]!;
  const jobAbout = async (id: string, kind: string) =>
    (await s.get(z.array(jobSchema), 'GET', `/productions/${production}/jobs`)).find(
      (job) => job.subjectId === id && job.kind === kind,
    );
  const jobRow = async (id: string) => (await s.ws.db.select().from(jobs).where(eq(jobs.id, id)))[0]!;
  const done = (id: string, kind: string) =>
    until(async () => {
      const job = await jobAbout(id, kind);
      return job?.state === 'done' && job;
    });
  const results = () => readdir(s.ws.storage.results);

  describe('by a machine that the test plays', () => {
    let machine: PlayedMachine;
    let id: string;
    let beating: NodeJS.Timeout;
    beforeAll(async () => {
      machine = await PlayedMachine.join(s, 'Played');
      await machine.beat();
      // While it says that it takes work, the server leaves films to it.
      beating = setInterval(() => void machine.beat().catch(() => undefined), 2000);
      await twoScenes(film('played.avi'), 90);
      ({ id } = await bringIn('played.avi'));
    });
    afterAll(() => clearInterval(beating));

    const takes = async () => {
      const job = await until(() => jobAbout(id, 'prepare'));
      return machine.take(job.id, 'prepare');
    };
    /** It did not count, and the machine takes nothing more and says why. */
    const expectOutOfService = async (jobId: string, why: RegExp) => {
      expect(await machine.shown()).toMatchObject({
        draining: true,
        trouble: { sentence: expect.stringMatching(why) },
      });
      await s.call('PATCH', `/machines/${machine.id}`, { draining: false });
      expect(await jobRow(jobId)).toMatchObject({ state: 'running', owner: null });
      await s.call('POST', `/jobs/${jobId}/cancel`);
      await s.call('POST', `/jobs/${jobId}/retry`);
      expect(await results()).toEqual([]);
    };

    test('it is asked for all that is missing', async () => {
      const order = await takes();
      expect(order).toMatchObject({ shots: null, find: true, measure: true, copy: 'wanted' });
      const { body } = await machine.ask(`/${machine.id}/jobs/${order.jobId}/end`, {
        ending: { state: 'given-back' },
        log: '',
      });
      expect(body).toEqual({ counted: true });
    });

    test('small pictures cut off do not count, nor what is not the file whose sum was named', async () => {
      for (const [length, sum, why] of [
        [thumbBytes - 1, undefined, /not those of the film/],
        [thumbBytes, 'a'.repeat(64), /sum/],
      ] as const) {
        const { jobId } = await takes();
        const looks = await machine.brought(jobId, Buffer.alloc(length), sum);
        const found = { shots: [{ from: 0, setup: '1' }], every: looksEvery(25), looks };
        expect(await machine.part(jobId, { part: 'shots', found })).toBe(false);
        await expectOutOfService(jobId, why);
        expect((await rowOf(id)).shots).toBeNull();
      }
    });

    test('a still that is no picture does not count, nor a proof copy of other frames', async () => {
      const still = await takes();
      const text = await machine.brought(still.jobId, Buffer.from('no picture'));
      expect(await machine.part(still.jobId, { part: 'still', frame: 0, still: text })).toBe(false);
      await expectOutOfService(still.jobId, /still/);
      const { jobId } = await takes();
      const short = join(folder, 'short.mp4');
      await execa('ffmpeg', ['-v', 'error', '-y', '-i', film('played.avi'), '-t', '2', short]);
      const proxy = await machine.brought(jobId, await readFile(short));
      expect(await machine.part(jobId, { part: 'proxy', proxy })).toBe(false);
      await expectOutOfService(jobId, /frames of the film/);
      expect((await rowOf(id)).proxy).toBe('wanted');
    });

    test('what it has brought stays when it gives up, and the next is asked for the rest', async () => {
      const { jobId } = await takes();
      const loudness = { integratedLufs: -20, truePeakDbtp: -3 };
      expect(await machine.part(jobId, { part: 'loudness', loudness })).toBe(true);
      // Ended before everything is there, it is done again.
      expect(await machine.end(jobId, { state: 'prepared' })).toBe(false);
      const again = await takes();
      expect(again).toMatchObject({ find: true, measure: false, copy: 'wanted' });
      expect((await master(id)).facts!.audio!.loudness).toEqual(loudness);
      // That no shots were found is believed of the last try alone.
      expect(await machine.part(again.jobId, { part: 'shots', found: null })).toBe(false);
      const last = await takes();
      expect(await machine.part(last.jobId, { part: 'shots', found: null })).toBe(true);
      expect((await rowOf(id)).shotsAssumed).toBe(true);
      // As long as it is being prepared, they may yet be found.
      expect(await master(id)).toMatchObject({ shots: [{ from: 0, setup: '1' }], shotsAssumed: false });
      await s.call('POST', `/jobs/${last.jobId}/cancel`);
      expect(
        (await machine.ask(`/${machine.id}/jobs/${last.jobId}/parts`, { part: 'loudness', loudness })).status,
      ).toBe(409);
    });

    test('shots that could not be found are said to be lacking, and may be found when the film is read again', async () => {
      expect((await master(id)).shotsAssumed).toBe(true);
      // What was seen was seen in one shot.
      const { sha256 } = await rowOf(id);
      await writeLook(s.ws.storage, sha256!, { version: 1, detector: { kind: 'off' }, shots: [] });
      await s.call('POST', `/masters/${id}/read`);
      const queued = await until(async () =>
        (await s.ws.db.select().from(jobs).where(eq(jobs.subjectId, id))).find(
          (job) => job.kind === 'prepare' && job.state === 'queued',
        ),
      );
      const order = await machine.take(queued.id, 'prepare');
      expect(order).toMatchObject({ shots: null, find: true });
      const looks = await machine.brought(order.jobId, Buffer.alloc(thumbBytes * 2));
      const shots = [0, 30].map((from) => ({ from, setup: '1' }));
      const found = { shots, every: looksEvery(25), looks };
      expect(await machine.part(order.jobId, { part: 'shots', found })).toBe(true);
      expect(await rowOf(id)).toMatchObject({ shots, shotsAssumed: false });
      expect(await readLook(s.ws.storage, sha256!)).toBeUndefined();
      await s.call('POST', `/jobs/${order.jobId}/cancel`);
    });

    test('shots that somebody draws are that person’s, whatever is found later', async () => {
      await s.ws.db.update(masters).set({ shotsAssumed: true }).where(eq(masters.id, id));
      const { revision } = await master(id);
      const shots = [0, 12].map((from) => ({ from, setup: '1' }));
      await s.get(masterSchema, 'PATCH', `/masters/${id}/work`, { revision, shots });
      expect(await master(id)).toMatchObject({ shots, shotsAssumed: false });
    });
  });

  test('come to the same as on the server, part by part', async () => {
    workers.push(
      startWorker({ server: s.base, queue: redis.url, folder: join(folder, 'Cupboard'), name: 'Cupboard' }),
    );
    await twoScenes(film('scenes.avi'));
    const { id } = await bringIn('scenes.avi');
    expect(await done(id, 'prepare')).toMatchObject({ machine: 'Cupboard' });
    expect((await jobAbout(id, 'ingest'))!.machine).toBeNull();
    const now = await master(id);
    expect(now).toMatchObject({ state: 'ready', proof: { kind: 'proxy' } });

    const facts = now.facts!;
    const here = await findShots(film('scenes.avi'), facts, planMaster(facts, now.sha256!));
    if (!here.ok) throw new Error(here.problem.sentence);
    expect(here.value.shots).toHaveLength(2);
    expect(now.shots).toEqual(here.value.shots);
    const kept = await readAnalysis(s.ws.storage, now.sha256!);
    expect(Buffer.from(kept!.looks.data).equals(Buffer.from(here.value.looks.data))).toBe(true);
    const loudness = await measureLoudness(film('scenes.avi'), facts.audio!.streamIndex);
    expect(loudness.ok && facts.audio!.loudness).toEqual(loudness.ok && loudness.value);

    const copy = proxyPath(s.ws.storage, id);
    const quick = await probeMaster(copy);
    const counted = quick.ok ? await countFrames(copy, quick.value) : quick;
    expect(counted.ok && counted.value.video.frames).toBe(facts.video.frames);
    for (const frame of framesAhead(now.shots!, facts.video.frames)) {
      const still = await readFile(stillPath(s.ws.storage, id, now.fileGeneration, frame));
      expect(still.readUInt16BE()).toBe(0xffd8);
    }
    expect(await results()).toEqual([]);
  });

  test('are matched there with their textless masters, and the answer may be that they are not the same edit', async () => {
    await twoScenes(film('plain.avi'));
    const titled = film('titled.avi');
    const block = "drawbox=x=60:y=100:w=90:h=30:color=white:t=fill:enable='between(n,5,14)'";
    await execa('ffmpeg', [
      ...['-v', 'error', '-y', '-i', film('plain.avi'), '-vf', block],
      ...['-c:v', 'mpeg4', '-q:v', '3', '-c:a', 'copy', titled],
    ]);
    await twoScenes(film('other.avi'), 180);
    const [one, plain, other] = [
      await bringIn('titled.avi'),
      await bringIn('plain.avi'),
      await bringIn('other.avi'),
    ];
    for (const { id } of [one, plain, other]) await done(id, 'prepare');
    const choose = (id: string) => s.call('PUT', `/masters/${one.id}/textless`, { masterId: id });
    await choose(other.id);
    expect(await done(other.id, 'match')).toMatchObject({ machine: 'Cupboard' });
    expect((await rowOf(other.id)).textlessProblem).not.toBeNull();
    await s.call('DELETE', `/masters/${one.id}/textless`);
    await choose(plain.id);
    expect(await done(plain.id, 'match')).toMatchObject({ machine: 'Cupboard' });
    const { textless, sha256 } = await rowOf(one.id);
    expect(textless).toMatchObject({ masterId: plain.id, of: sha256 });
    expect(textless!.differs.map(({ span }) => span)).toEqual([{ from: 5, to: 15 }]);
  });
});
