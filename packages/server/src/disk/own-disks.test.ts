import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { existsSync } from 'node:fs';
import { mkdir, mkdtemp, readdir, readFile, realpath, rename, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { Upload } from 'tus-js-client';
import { masterSchema, productionDetailSchema } from '@mivvy/api';
import { backUp } from '../backup/backup.ts';
import { restore } from '../backup/restore.ts';
import { deliverables, masters } from '../db/schema.ts';
import { moveFile } from '../files/move-file.ts';
import { fromStored } from '../storage.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { startRefused } from '../testing/process.ts';
import { smallFilm, testServer, until, type TestServer } from '../testing/server.ts';
import { layOut, NotLaidOut } from './own-disks.ts';

// Memory is another disk than the folder for temporary files on most machines; where it is not, what is moved is renamed.
const memory = existsSync('/dev/shm') ? '/dev/shm' : tmpdir();

let dir: string;
let disks: Record<'originals' | 'exports' | 'cache', string>;
let s: TestServer;
let made: MadeProduction;
let uploaded: string;
beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy laid out '));
  disks = {
    originals: await mkdtemp(join(memory, 'mivvy films ')),
    exports: await mkdtemp(join(memory, 'mivvy exports ')),
    cache: await mkdtemp(join(tmpdir(), 'mivvy cache ')),
  };
  s = await testServer({ dataDir: join(dir, 'data'), disks });
  made = await madeProduction(() => s, ['quick-tall']);
  await made.make();
  const film = join(dir, 'sent.mp4');
  await smallFilm(film, 1);
  const bytes = await readFile(film);
  await new Promise<void>((resolve, reject) =>
    new Upload(bytes as never, {
      endpoint: `${s.base}/api/uploads`,
      metadata: { filename: 'sent.mp4', productionId: made.id },
      onSuccess: () => resolve(),
      onError: reject,
    }).start(),
  );
  uploaded = await until(async () => {
    const detail = await s.get(productionDetailSchema, 'GET', `/productions/${made.id}`);
    return detail.masters.find((master) => master.fileName === 'sent.mp4' && master.shots)?.id;
  });
}, 375_000);
afterAll(async () => {
  await s.stop();
  for (const folder of [dir, ...Object.values(disks)]) await rm(folder, { recursive: true, force: true });
});

const pathOf = async (what: 'film' | 'file') => {
  const [row] =
    what === 'film'
      ? await s.ws.db.select({ path: masters.path }).from(masters).where(eq(masters.id, uploaded))
      : await s.ws.db.select({ path: deliverables.path }).from(deliverables);
  return row!.path;
};

test('films, files and what is drawn of films lie on their disks, and the database does not tell', async () => {
  for (const [what, disk] of [
    ['film', disks.originals],
    ['file', disks.exports],
  ] as const) {
    const stored = await pathOf(what);
    expect(stored).toMatch(/^(originals|exports)\//);
    expect((await realpath(fromStored(s.ws.storage, stored))).startsWith(await realpath(disk))).toBe(true);
  }
  expect(await readdir(join(disks.cache, 'stills'))).toContain(uploaded);
  expect(await readdir(join(disks.originals, 'uploads'))).toEqual([]);
  expect(await readdir(join(disks.exports, 'work'))).toEqual([]);
  expect((await made.versions())[0]!.standing).toBe('passed');
});

test('a start that does not name them finds them, and a backup holds what lies there', async () => {
  const { dataDir } = { dataDir: s.dir };
  await s.stop(true);
  s = await testServer({ dataDir });
  await s.get(masterSchema, 'POST', `/masters/${uploaded}/read`);
  expect(await readFile(fromStored(s.ws.storage, await pathOf('film')))).toEqual(
    await readFile(join(dir, 'sent.mp4')),
  );
  const backedUp = await backUp(dataDir, join(dir, 'backup'));
  expect(backedUp.ok && backedUp.value.missing).toEqual([]);
  const restored = await restore(join(dir, 'backup'), join(dir, 'restored'));
  expect(restored.ok && restored.value.words).toEqual([]);
  const file = await pathOf('file');
  expect(await readFile(join(dir, 'restored', file))).toEqual(await readFile(join(dataDir, file)));
});

test('a disk that is not there, or that would hide what is, keeps it from starting, with a sentence', async () => {
  const refusal = (dataDir: string, exports?: string) =>
    layOut(dataDir, { exports }).then(
      () => 'laid out',
      (error: unknown) => (error instanceof NotLaidOut ? error.message : 'something else'),
    );
  const data = join(dir, 'another');
  await mkdir(join(data, 'exports'), { recursive: true });
  await writeFile(join(data, 'exports', 'film.mp4'), 'film');
  const disk = join(dir, 'disk');
  expect(await refusal(data, disk)).toMatch(/is not there. Make it, or mount/);
  await mkdir(disk);
  expect(await refusal(data, disk)).toMatch(/There is something in .*exports already/);
  expect(await readFile(join(data, 'exports', 'film.mp4'), 'utf8')).toBe('film');

  // As it says: moved by hand.
  await rename(join(data, 'exports'), join(disk, 'exports'));
  expect(await refusal(data, disk)).toBe('laid out');
  expect(await readFile(join(data, 'exports', 'film.mp4'), 'utf8')).toBe('film');
  expect(await refusal(data, disk)).toBe('laid out');
  const other = join(dir, 'other');
  await mkdir(other);
  expect(await refusal(data, other)).toMatch(/leads to .*disk.exports, and not to/);

  await rename(disk, `${disk} away`);
  expect(await refusal(data)).toMatch(/which is not there. Mount its disk/);
  expect(existsSync(disk)).toBe(false);
  const started = await startRefused(data);
  expect(started.code).toBe(2);
  expect(started.words).toContain('Mount its disk');
  expect(started.words).not.toContain('    at ');
});

test('a file is moved to another disk whole, or not at all', async () => {
  const from = join(dir, 'here');
  const to = join(await mkdtemp(join(disks.exports, 'to-')), 'there');
  await writeFile(from, 'film');
  await moveFile(from, to);
  expect([existsSync(from), await readFile(to, 'utf8')]).toEqual([false, 'film']);
  expect((await stat(disks.exports)).dev).toBe((await stat(to)).dev);
  await expect(moveFile(from, to)).rejects.toMatchObject({ code: 'ENOENT' });
  // Where it cannot be put, it stays, and nothing half-written is left.
  await writeFile(from, 'another');
  await mkdir(join(to, '..', 'folder', 'full'), { recursive: true });
  await expect(moveFile(from, join(to, '..', 'folder'))).rejects.toThrow();
  expect(await readFile(from, 'utf8')).toBe('another');
  expect((await readdir(join(to, '..'))).filter((name) => name.endsWith('.part'))).toEqual([]);
});
