import { afterEach, beforeEach, expect, jest, test } from '@jest/globals';
import { mkdir, mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { execa } from 'execa';
import type { Job } from '@mivvy/api';
import {
  detailOf,
  faultsOf,
  processesOn,
  startProcess,
  startRefused,
  type ServerProcess,
} from '../testing/process.ts';
import { quickBook, until } from '../testing/server.ts';

// Servers that are stopped, doubled or robbed of their tools.

jest.setTimeout(300_000);

let dataDir: string;
let server: ServerProcess;
beforeEach(async () => {
  dataDir = await mkdtemp(join(tmpdir(), 'mivvy servers '));
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  server = await startProcess(dataDir);
});
afterEach(async () => {
  await server.kill();
  await rm(dataDir, { recursive: true, force: true });
});

const call = <T>(method: string, path: string, body?: unknown) =>
  server.call(method, path, body).then((a) => a.body as unknown as T);

/** A production with a version whose export takes some seconds; the film is read. */
async function slowExport() {
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=640x360:r=25:d=8',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-pix_fmt',
    'yuv420p',
    join(dataDir, 'inbox', 'long.mp4'),
  ]);
  const slow = JSON.parse(quickBook) as { outlets: { placements: { frame: object; id: string }[] }[] };
  slow.outlets[0]!.placements[0]!.frame = { width: 720, height: 1280 };
  await call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: JSON.stringify(slow) });
  const { id } = await call<{ id: string }>('POST', '/productions', { name: 'Slow', client: '' });
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  const master = await call<{ id: string }>('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  const detail = () => detailOf(call, id);
  await until(async () => (await detail()).masters[0]?.sha256 && (await detail()).jobs.length === 0);
  const [version] = await call<{ id: string }[]>('POST', `/productions/${id}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall'],
  });
  const [job] = await call<Job[]>('POST', `/productions/${id}/exports`, { versionIds: [version!.id] });
  await until(async () => (await processesOn(dataDir)).some((words) => words.includes('libx264')));
  return { id, detail, version: version!, job: job! };
}

test('five ordinary stops and starts during one export are no attempts of it: it ends well', async () => {
  const { detail, job, id } = await slowExport();
  for (let n = 0; n < 5; n++) {
    expect(await server.stop()).toBe(0);
    server = await startProcess(dataDir);
    await until(async () => (await detail()).jobs.some((j) => j.id === job.id && j.state === 'running'));
    await pause(200);
  }
  await until(async () => (await detail()).versions[0]!.standing === 'passed');
  const ran = (await call<Job[]>('GET', `/productions/${id}/jobs`)).find((j) => j.id === job.id)!;
  expect([ran.state, ran.attempts]).toEqual(['done', 1]);
  await server.stop();
  expect(await faultsOf(dataDir)).toEqual([]);
});

test('a second server on the folder refuses to start with a sentence, and leaves the first as it is', async () => {
  const address = await readFile(join(dataDir, 'server.json'), 'utf8');
  const refused = await startRefused(dataDir);
  expect(refused.code).toBe(2);
  expect(refused.words).toMatch(/^Another Mivvy is running on .*\.\n/);
  expect(await readFile(join(dataDir, 'server.json'), 'utf8')).toBe(address);
  expect((await server.call('GET', '/health')).status).toBe(200);
  // The lock is none that a crash leaves behind.
  await server.kill();
  server = await startProcess(dataDir);
});

test('tools die with a server that is killed; the restarted job makes one file', async () => {
  const { detail } = await slowExport();
  await server.kill();
  await until(async () => (await processesOn(dataDir)).length === 0);
  server = await startProcess(dataDir);
  await until(async () => (await detail()).versions[0]!.standing === 'passed');
  await server.stop();
  expect(await faultsOf(dataDir)).toEqual([]);
});

test('an encoder that is killed is told as that, not by its last line; started again it ends well', async () => {
  const { id, detail, job } = await slowExport();
  // The name of the working folder is on the encoder's command line or is where it works.
  await execa('pkill', ['-9', '-f', `${job.id}.*libx264|libx264.*${job.id}`], { reject: false });
  for (const pid of (await execa('pgrep', ['-f', 'libx264'], { reject: false })).stdout
    .split('\n')
    .filter(Boolean)) {
    const cwd = (await execa('readlink', [`/proc/${pid}/cwd`], { reject: false })).stdout;
    if (cwd.startsWith(dataDir)) process.kill(Number(pid), 'SIGKILL');
  }
  const failed = await until(async () =>
    (await call<Job[]>('GET', `/productions/${id}/jobs`)).find((j) => j.state === 'failed'),
  );
  expect(failed.problem).toMatchObject({
    code: 'tool-killed',
    sentence: 'The video tool was ended from outside before it had finished.',
  });
  await call('POST', `/jobs/${job.id}/retry`);
  await until(async () => (await detail()).versions[0]!.standing === 'passed');
  await server.stop();
  expect(await faultsOf(dataDir)).toEqual([]);
});

test('removing something else does not wait for a running export', async () => {
  const { detail } = await slowExport();
  const other = await call<{ id: string }>('POST', '/productions', { name: 'Empty', client: '' });
  const started = Date.now();
  expect((await server.call('DELETE', `/productions/${other.id}`)).status).toBe(204);
  // The export still runs, so it was not waited for, however slow the machine is.
  expect((await detail()).jobs.some((j) => j.kind === 'export' && j.state === 'running')).toBe(true);
  expect(Date.now() - started).toBeLessThan(60_000);
});
