import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync } from 'node:fs';
import { mkdir, open, readFile, rm, statfs } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Job } from '@mivvy/api';
import { detailOf, faultsOf, processesOn, startProcess, type ServerProcess } from '../testing/process.ts';
import { quickBook, smallFilm, until } from '../testing/server.ts';

// A data folder on a small disk of the test's own, which is filled and emptied while the server runs.

const disk = mkdtempSync(join(tmpdir(), 'mivvy disk '));
const mounted =
  spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=160m', 'tmpfs', disk], { stdio: 'ignore' }).status === 0;
if (!mounted)
  process.stderr.write(
    'No disk of its own may be mounted here: the full disk is tested by what the storage says is free alone.\n',
  );
const onDisk = mounted ? test : test.skip;
const dataDir = join(disk, 'data');
mkdirSync(dataDir);

let server: ServerProcess;
beforeAll(async () => {
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  if (mounted) server = await startProcess(dataDir);
});
afterAll(async () => {
  if (mounted) await server.kill();
  if (mounted) spawnSync('umount', ['-l', disk]);
  await rm(disk, { recursive: true, force: true });
});

const call = <T>(method: string, path: string, body?: unknown) =>
  server.call(method, path, body).then((a) => a.body as unknown as T);
const ballast = join(disk, 'ballast');

/** Fills the disk to its last byte. */
async function fill(): Promise<void> {
  const file = await open(ballast, 'a');
  const { bavail, bsize } = await statfs(disk);
  const block = Buffer.alloc(1_000_000, 1);
  try {
    for (let left = bavail * bsize; ; left -= block.length)
      await file.write(block, 0, Math.max(1, Math.min(block.length, left)));
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ENOSPC') throw error;
  } finally {
    await file.close();
  }
}

onDisk(
  'a full disk is known, said and got out of: requests are answered, an export fails in words and goes on by itself, nothing is lost',
  async () => {
    await smallFilm(join(dataDir, 'inbox', 'film.mp4'), 2);
    await call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
    const { id } = await call<{ id: string }>('POST', '/productions', { name: 'Kite', client: '' });
    const detail = () => detailOf(call, id);
    const [film] = await call<{ path: string }[]>('GET', '/inbox');
    const master = await call<{ id: string }>('POST', `/productions/${id}/masters`, {
      inboxFile: film!.path,
    });
    await until(async () => (await detail()).masters[0]?.sha256 && (await detail()).jobs.length === 0);
    const [version] = await call<{ id: string }[]>('POST', `/productions/${id}/versions`, {
      masterId: master.id,
      placementIds: ['quick-tall'],
    });
    const [job] = await call<Job[]>('POST', `/productions/${id}/exports`, { versionIds: [version!.id] });
    await fill();

    // It is asked more than its log has room for, and what cannot be written is said.
    for (let n = 0; n < 100; n++) expect((await server.call('GET', `/nowhere/${n}`)).status).toBe(404);
    expect(
      await until(async () => (await call<{ disk: { full: boolean } }>('GET', '/health')).disk.full),
    ).toBe(true);
    const refused: number[] = [];
    for (let n = 0; n < 40; n++)
      refused.push(
        (await server.call('POST', '/productions', { name: 'x'.repeat(100), client: 'y'.repeat(100) }))
          .status,
      );
    expect(refused.filter((status) => status !== 200 && status !== 507)).toEqual([]);
    const bytes = await readFile(join(dataDir, 'inbox', 'film.mp4'));
    const metadata = Object.entries({ filename: 'late.mp4', productionId: id })
      .map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`)
      .join(',');
    const upload = await fetch(`${server.base}/api/uploads`, {
      method: 'POST',
      headers: {
        'Tus-Resumable': '1.0.0',
        'Upload-Length': String(bytes.length),
        'Upload-Metadata': metadata,
      },
    });
    expect([upload.status, ((await upload.json()) as { code: string }).code]).toEqual([507, 'disk-full']);
    expect((await detail()).masters).toHaveLength(1);

    await rm(ballast);
    expect(
      await until(async () => !(await call<{ disk: { full: boolean } }>('GET', '/health')).disk.full),
    ).toBe(true);
    expect((await server.call('POST', '/productions', { name: 'Room again', client: '' })).status).toBe(200);
    await until(async () => (await detail()).versions[0]!.standing === 'passed');
    const ran = (await call<Job[]>('GET', `/productions/${id}/jobs`)).find((j) => j.id === job!.id)!;
    expect(ran.state).toBe('done');

    // Stopping is no matter of room either.
    await fill();
    expect(await server.stop()).toBe(0);
    await rm(ballast);
    expect(await faultsOf(dataDir)).toEqual([]);
    expect(await processesOn(dataDir)).toEqual([]);
  },
  500_000,
);
