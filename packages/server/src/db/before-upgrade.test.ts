import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { gunzipSync } from 'node:zlib';
import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { createClient } from '@libsql/client';
import { beforeUpgradesFolder } from './before-upgrade.ts';
import { openDatabase } from './database.ts';

let dir: string;
let file: string;
beforeEach(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy upgrade '));
  file = join(dir, 'mivvy.sqlite');
});
afterEach(() => rm(dir, { recursive: true, force: true }));

const fixture = fileURLToPath(new URL('fixtures/first-half.db.gz', import.meta.url));
const old = async () => {
  // What an earlier opening left beside it belongs to that one.
  for (const beside of ['', '-wal', '-shm']) await rm(`${file}${beside}`, { force: true });
  await writeFile(file, gunzipSync(await readFile(fixture)));
};
const kept = () => readdir(beforeUpgradesFolder(file)).catch(() => [] as string[]);

/** Every row of every table of a database. */
async function everything(path: string): Promise<Record<string, unknown[]>> {
  const client = createClient({ url: pathToFileURL(path).href });
  const tables = await client.execute(
    "select name from sqlite_master where type = 'table' and name not like 'sqlite_%' order by name",
  );
  const found: Record<string, unknown[]> = {};
  for (const { name } of tables.rows) {
    const { rows } = await client.execute(`select * from "${String(name)}" order by rowid`);
    found[String(name)] = rows.map((row) => ({ ...row }));
  }
  client.close();
  return found;
}

test('a database of an earlier release is kept as it was before it is brought up to date; one of today is not copied', async () => {
  await old();
  const before = await everything(file);
  (await openDatabase(file)).close();
  expect(await kept()).toHaveLength(1);
  const [name] = await kept();
  expect(await everything(join(beforeUpgradesFolder(file), name!))).toEqual(before);
  // Up to date now: nothing more is copied.
  (await openDatabase(file)).close();
  expect(await kept()).toEqual([name]);
});

test('a new database is not copied', async () => {
  (await openDatabase(file)).close();
  expect(await kept()).toEqual([]);
});

test('only the newest few are kept', async () => {
  await old();
  (await openDatabase(file)).close();
  const folder = beforeUpgradesFolder(file);
  for (const tag of ['0000', '0001', '0002']) await writeFile(join(folder, `before-${tag}_x.sqlite`), '');
  await old();
  (await openDatabase(file)).close();
  expect(await kept()).toHaveLength(3);
  expect(await kept()).not.toContain('before-0000_x.sqlite');
});

test('where no copy can be made the database is left as it was', async () => {
  await old();
  const before = await everything(file);
  await writeFile(beforeUpgradesFolder(file), 'a file where the folder should be');
  await expect(openDatabase(file)).rejects.toThrow(/EEXIST|ENOTDIR/);
  expect(await everything(file)).toEqual(before);
});
