import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdir, mkdtemp, readdir, readFile, rm, truncate, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import type { ReadableStream as WebStream } from 'node:stream/web';
import { setInterval as every } from 'node:timers/promises';
import { pathToFileURL } from 'node:url';
import { createClient } from '@libsql/client';
import { execa } from 'execa';
import { sha256File } from '@mivvy/media';
import { detailOf, startProcess, type ServerProcess } from '../testing/process.ts';
import { quickBook, smallFilm, until } from '../testing/server.ts';

// Packages where they are hard to make: two gigabytes of films, and a disk that is full.

const largeBytes = 2_000_000_000;
/** What a server may take on top while it streams a package; its own waiting pieces, and none of the films. */
const mostMemoryMore = 150_000_000;

const disk = await mkdtemp(join(tmpdir(), 'mivvy full '));
const mounted =
  spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=6m', 'tmpfs', disk], { stdio: 'ignore' }).status === 0;
if (!mounted)
  process.stderr.write('No disk of its own may be mounted here: no package goes onto a full one.\n');

let dataDir: string;
let server: ServerProcess;
let productionId: string;
let file: { id: string; fileName: string };
const call = <T>(method: string, path: string, body?: unknown) =>
  server.call(method, path, body).then((answer) => answer.body as unknown as T);
beforeAll(async () => {
  dataDir = await mkdtemp(join(tmpdir(), 'mivvy packages '));
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await smallFilm(join(dataDir, 'inbox', 'film.mp4'), 1);
  server = await startProcess(dataDir);
  await call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  ({ id: productionId } = await call<{ id: string }>('POST', '/productions', { name: 'Kite', client: '' }));
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  const master = await call<{ id: string }>('POST', `/productions/${productionId}/masters`, {
    inboxFile: film!.path,
  });
  await until(async () => (await detailOf(call, productionId)).masters[0]?.state === 'ready');
  const [version] = await call<{ id: string }[]>('POST', `/productions/${productionId}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall'],
  });
  await call('POST', `/productions/${productionId}/exports`, { versionIds: [version!.id] });
  file = await until(async () => {
    const now = await call<{ standing: string; deliverable: typeof file }>('GET', `/versions/${version!.id}`);
    return now.standing === 'passed' && now.deliverable;
  });
}, 225_000);
afterAll(async () => {
  await server.kill();
  if (mounted) spawnSync('umount', ['-l', disk]);
  for (const dir of [dataDir, disk]) await rm(dir, { recursive: true, force: true });
});

const pack = (folder: string) =>
  server.call('POST', `/productions/${productionId}/package`, { deliverableIds: [file.id], folder });

(mounted ? test : test.skip)(
  'onto a full disk: said in words, nothing is left there, and with room it is whole',
  async () => {
    const ballast = join(disk, 'ballast');
    await execa('dd', ['if=/dev/zero', `of=${ballast}`, 'bs=64K'], { reject: false });
    const refused = await pack(disk);
    expect([refused.status, (refused.body as { code: string }).code]).toEqual([507, 'disk-full']);
    expect((refused.body as { sentence: string }).sentence).toBe(`The disk of ${disk} is full.`);
    expect(await readdir(disk)).toEqual(['ballast']);
    // Room for its first pieces and not for all of it.
    await truncate(ballast, 6 * 1024 * 1024 - 4 * 4096);
    expect((await pack(disk)).status).toBe(507);
    expect(await readdir(disk)).toEqual(['ballast']);
    await rm(ballast);
    const { path } = (await pack(disk)).body as { path: string };
    await execa('sha256sum', ['-c', '--quiet', 'SHA256SUMS'], { cwd: path });
  },
  150_000,
);

/** Bytes that a process has in memory. */
const memoryOf = async (pid: number): Promise<number> =>
  Number(/VmRSS:\s+(\d+) kB/.exec(await readFile(`/proc/${pid}/status`, 'utf8'))![1]) * 1024;

test('of two gigabytes is streamed: the server’s memory stays what it was', async () => {
  await server.stop();
  const client = createClient({ url: pathToFileURL(join(dataDir, 'mivvy.sqlite')).href });
  const found = await client.execute({ sql: 'select path from deliverables where id = ?', args: [file.id] });
  const path = join(dataDir, String(found.rows[0]!.path));
  await writeFile(path, '');
  await truncate(path, largeBytes);
  const sum = await sha256File(path);
  await client.execute({
    sql: 'update deliverables set sha256 = ?, bytes = ? where id = ?',
    args: [sum, largeBytes, file.id],
  });
  client.close();
  server = await startProcess(dataDir);
  const pid = server.child.pid!;
  await call('GET', `/productions/${productionId}`);
  const before = await memoryOf(pid);
  let most = before;
  const done = new AbortController();
  const watching = (async () => {
    for await (const _ of every(50, undefined, { signal: done.signal }))
      most = Math.max(most, await memoryOf(pid));
  })().catch(() => undefined);
  const answer = await fetch(`${server.base}/api/productions/${productionId}/package?files=${file.id}`);
  expect(answer.status).toBe(200);
  let bytes = 0;
  const end: Buffer[] = [];
  for await (const chunk of Readable.fromWeb(answer.body as WebStream)) {
    bytes += (chunk as Uint8Array).length;
    end.push(Buffer.from(chunk as Uint8Array));
    if (end.length > 8) end.shift();
  }
  done.abort();
  await watching;
  expect(bytes).toBeGreaterThan(largeBytes);
  // The list of what is in it is at its end: it was not broken off.
  expect(Buffer.concat(end).includes(`films/${file.fileName}`)).toBe(true);
  process.stderr.write(
    `A package of ${(bytes / 1e9).toFixed(2)} GB: ${((most - before) / 1e6).toFixed(0)} MB more in memory at most.\n`,
  );
  expect(most - before).toBeLessThan(mostMemoryMore);
}, 300_000);
