import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdir, mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { Job } from '@mivvy/api';
import { detailOf, faultsOf, processesOn, startProcess, type ServerProcess } from '../testing/process.ts';
import { randomFrom, seed } from '../testing/random.ts';
import { bookOf, smallFilm, until } from '../testing/server.ts';

// The server is killed at random moments of a run of ten exports; afterwards each deliverable is there once, whole and
// passed, and whatever was given up on the way said why.

const kills = 20;
const exportsAsked = 10;
/** So large that an export takes a second or two. */
const large = { width: 400, height: 480 };

let dataDir: string;
let server: ServerProcess;
beforeAll(async () => {
  dataDir = await mkdtemp(join(tmpdir(), 'mivvy run '));
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await smallFilm(join(dataDir, 'inbox', 'film.mp4'), 3);
  server = await startProcess(dataDir);
});
afterAll(async () => {
  await server.kill();
  await rm(dataDir, { recursive: true, force: true });
});

const call = <T>(method: string, path: string, body?: unknown) =>
  server.call(method, path, body).then((a) => a.body as unknown as T);

test(`${kills} kills in a run of ${exportsAsked} exports`, async () => {
  const random = randomFrom(seed);
  await call('POST', '/spec-book/files', {
    fileName: 'ten.specbook.json',
    text: bookOf(exportsAsked, large),
  });
  const { id } = await call<{ id: string }>('POST', '/productions', { name: 'Ten', client: '' });
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  const master = await call<{ id: string }>('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  const detail = () => detailOf(call, id);
  await until(async () => (await detail()).masters[0]?.sha256 && (await detail()).jobs.length === 0);
  const versions = await call<{ id: string }[]>('POST', `/productions/${id}/versions`, {
    masterId: master.id,
    placementIds: Array.from({ length: exportsAsked }, (_, i) => `place-${i}`),
  });
  const versionIds = versions.map((version) => version.id);
  await call('POST', `/productions/${id}/exports`, { versionIds });

  let inTheMiddle = 0;
  for (let n = 0; n < kills; n++) {
    await pause(random() * 1500);
    const { jobs } = await detail();
    if (jobs.some((job) => job.state === 'running')) inTheMiddle++;
    await server.kill();
    server = await startProcess(dataDir);
    // What died with the server too often was given up, with a sentence; a person starts it again.
    for (const job of await call<Job[]>('GET', `/productions/${id}/jobs`)) {
      if (job.kind !== 'export' || job.state !== 'failed') continue;
      expect(job.problem).toMatchObject({ code: 'gave-up', sentence: expect.stringContaining('died') });
      await call('POST', `/jobs/${job.id}/retry`);
    }
    // A run that is over before its time is asked for once more, so that the kills that are left meet something.
    if ((await detail()).jobs.length === 0) await call('POST', `/productions/${id}/exports`, { versionIds });
  }
  expect(inTheMiddle).toBeGreaterThan(kills / 2);
  await until(async () => {
    const jobs = await call<Job[]>('GET', `/productions/${id}/jobs`);
    const failed = jobs.filter((job) => job.state === 'failed');
    for (const job of failed) await call('POST', `/jobs/${job.id}/retry`);
    return failed.length === 0 && jobs.every((job) => job.state === 'done');
  });

  const files = await call<{ versionId: string; exportNumber: number; passed: boolean; onDisk: unknown }[]>(
    'GET',
    `/productions/${id}/deliverables`,
  );
  const ended = (await call<Job[]>('GET', `/productions/${id}/jobs`)).filter((job) => job.kind === 'export');
  for (const versionId of versionIds) {
    const own = files.filter((file) => file.versionId === versionId);
    const asked = ended.filter((job) => job.subjectId === versionId).length;
    expect(own.map((file) => file.exportNumber).sort((a, b) => a - b)).toEqual(
      Array.from({ length: asked }, (_, i) => i + 1),
    );
    expect(own.every((file) => file.passed && file.onDisk === null)).toBe(true);
  }
  expect(await server.stop()).toBe(0);
  expect(await faultsOf(dataDir)).toEqual([]);
  expect(await processesOn(dataDir)).toEqual([]);
}, 900_000);
