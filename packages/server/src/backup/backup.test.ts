import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { createClient } from '@libsql/client';
import { execa } from 'execa';
import { productionDetailSchema } from '@mivvy/api';
import { bare, startStyles } from '@mivvy/core';
import { sha256File } from '@mivvy/media';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { program } from '../testing/process.ts';
import { testServer, type TestServer } from '../testing/server.ts';
import { backUp } from './backup.ts';
import { bytesPath, newestManifest } from './manifest.ts';
import { restore } from './restore.ts';

/** A workspace is backed up while its server runs, and restored row by row and byte by byte. */
let s: TestServer;
let made: MadeProduction;
let folder: string;
let elsewhere: string;
beforeAll(async () => {
  s = await testServer();
  made = await madeProduction(s);
  await made.make(made.versionIds.slice(0, 2));
  const revision = 1;
  await s.call('PUT', `/masters/${made.masterId}/dressing`, {
    revision,
    dressing: {
      ...bare,
      layers: [
        {
          id: 'title1',
          name: 'Title',
          what: { kind: 'words', text: 'Öl', style: startStyles[0] },
          span: { from: 0, to: 9 },
          fadeIn: 0,
          fadeOut: 0,
          place: { anchor: 'top', across: 0, down: 0, width: 1 },
          otherwise: {},
        },
      ],
    },
  });
  folder = await mkdtemp(join(tmpdir(), 'mivvy backup '));
  elsewhere = await mkdtemp(join(tmpdir(), 'mivvy restored '));
}, 375_000);
afterAll(async () => {
  await s.stop();
  await rm(folder, { recursive: true, force: true });
  await rm(elsewhere, { recursive: true, force: true });
});

/** Every row of every table, as text. */
async function rowsOf(file: string): Promise<Record<string, string[]>> {
  const client = createClient({ url: pathToFileURL(file).href });
  try {
    const { rows } = await client.execute(
      "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'",
    );
    const found: Record<string, string[]> = {};
    for (const { name } of rows) {
      const all = await client.execute(`SELECT * FROM "${String(name)}"`);
      found[String(name)] = all.rows.map((row) => JSON.stringify(Object.values(row))).sort();
    }
    return found;
  } finally {
    client.close();
  }
}

const taken = async () => {
  const end = await backUp(s.dir, folder);
  if (!end.ok) throw new Error(end.problem.sentence);
  return end.value;
};

test('everything comes back: each row of each table, each file by its sum; and the workspace opens', async () => {
  const end = await taken();
  expect(end.missing).toEqual([]);
  expect(end.newFiles).toBeGreaterThan(2);
  const rows = await rowsOf(join(s.dir, 'mivvy.sqlite'));
  const to = join(elsewhere, 'data');
  const restored = await restore(folder, to);
  expect(restored).toMatchObject({ ok: true, value: { files: end.files, bytes: end.bytes } });
  expect(await rowsOf(join(to, 'mivvy.sqlite'))).toEqual(rows);
  const manifest = (await newestManifest(folder))!;
  for (const { path, sha256 } of manifest.files) expect(await sha256File(join(to, path))).toBe(sha256);
  const other = await testServer({ dataDir: to });
  try {
    const [before, after] = await Promise.all([
      s.get(productionDetailSchema, 'GET', `/productions/${made.id}`),
      other.get(productionDetailSchema, 'GET', `/productions/${made.id}`),
    ]);
    expect(after.versions.map((v) => [v.tag, v.deliverable?.sha256])).toEqual(
      before.versions.map((v) => [v.tag, v.deliverable?.sha256]),
    );
    expect(after.masters[0]!.dressing).toEqual(before.masters[0]!.dressing);
    const file = before.versions.find((v) => v.deliverable)!.deliverable!;
    const bytes = await fetch(`${other.base}/api/deliverables/${file.id}/file`);
    expect(bytes.status).toBe(200);
    expect((await bytes.arrayBuffer()).byteLength).toBe(file.bytes);
  } finally {
    await other.stop();
  }
}, 300_000);

test('a second backup copies only what is new', async () => {
  await taken();
  expect(await taken()).toMatchObject({ newFiles: 0, newBytes: 0, missing: [] });
  await writeFile(join(s.dir, 'specs', 'new.txt'), 'something new');
  expect(await taken()).toMatchObject({ newFiles: 1, newBytes: 13 });
});

test('what is missing or was changed is said, and the rest is backed up', async () => {
  const [production] = await readdir(join(s.dir, 'exports'));
  const [file] = await readdir(join(s.dir, 'exports', production!));
  const path = join(s.dir, 'exports', production!, file!);
  const bytes = await readFile(path);
  await writeFile(path, Buffer.concat([bytes, Buffer.from('more')]));
  expect((await taken()).missing.join(' ')).toMatch(/is not the file that it was/);
  await rm(path);
  expect((await taken()).missing.join(' ')).toMatch(/is not there/);
  await writeFile(path, bytes);
});

test('a damaged backup, a folder that is not empty and one without a backup are refused, and nothing is written', async () => {
  const manifest = (await newestManifest(folder))!;
  const to = join(elsewhere, 'never');
  expect(await restore(elsewhere, to)).toMatchObject({ ok: false, problem: { code: 'no-backup' } });
  expect(await restore(folder, s.dir)).toMatchObject({ ok: false, problem: { code: 'not-empty' } });
  const victim = bytesPath(folder, manifest.files[0]!.sha256);
  const bytes = await readFile(victim);
  await writeFile(victim, Buffer.concat([bytes.subarray(0, -1), Buffer.from([bytes.at(-1)! ^ 1])]));
  const refused = await restore(folder, to);
  expect(refused).toMatchObject({ ok: false, problem: { code: 'damaged' } });
  expect(await stat(to).catch(() => null)).toBeNull();
  await writeFile(victim, bytes);
  expect(await backUp(s.dir, join(s.dir, 'inside'))).toMatchObject({
    ok: false,
    problem: { code: 'inside' },
  });
  expect(await backUp(elsewhere, folder)).toMatchObject({ ok: false, problem: { code: 'no-workspace' } });
});

test('from the command line, in sentences', async () => {
  const run = (...args: string[]) =>
    execa('node', [...program('packages/server/src/backup/main.ts'), ...args], {
      reject: false,
      env: { MIVVY_DATA: s.dir },
    });
  const backup = await run('backup', folder);
  expect([backup.exitCode, backup.stderr]).toEqual([
    0,
    expect.stringMatching(/^Backed up \d+ files, .* of them new\.$/),
  ]);
  const restored = await run('restore', folder);
  expect([restored.exitCode, restored.stderr]).toEqual([2, expect.stringMatching(/is not empty/)]);
  expect((await run('backup')).exitCode).toBe(2);
  // A folder that nothing can be written to: a sentence, and no trace of the program.
  const nowhere = await run('backup', '/proc/nowhere');
  expect([nowhere.exitCode, nowhere.stderr]).toEqual([
    1,
    expect.stringMatching(/^The copy was not finished: /),
  ]);
  expect(nowhere.stderr).not.toMatch(/^\s+at /m);
}, 300_000);
