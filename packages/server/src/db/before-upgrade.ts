import { mkdir, readdir, readFile, rename, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Client } from '@libsql/client';
import * as z from 'zod';

/** So many databases from before an upgrade are kept, the newest. */
const mostKept = 3;

/** Where they lie: beside the database. */
export const beforeUpgradesFolder = (file: string): string => join(dirname(file), 'before-upgrades');

const journalSchema = z.object({ entries: z.array(z.object({ when: z.number(), tag: z.string() })) });

/** The first migration that a database has not had yet; null where it is new, or up to date. */
async function firstOwed(client: Client, migrations: string): Promise<string | null> {
  const { rows } = await client.execute(
    "select name from sqlite_master where type = 'table' and name = '__drizzle_migrations'",
  );
  if (rows.length === 0) return null;
  const had = await client.execute('select max(created_at) as last from __drizzle_migrations');
  const last = Number(had.rows[0]?.last ?? 0);
  const journal = journalSchema.parse(
    JSON.parse(await readFile(join(migrations, 'meta/_journal.json'), 'utf8')),
  );
  return journal.entries.find(({ when }) => when > last)?.tag ?? null;
}

/**
 * Copies a database as it is before a newer release brings it up to date, whole or not at all; nothing where nothing is
 * owed. Throws where it cannot be copied, and then it is not touched.
 */
export async function keepBefore(client: Client, file: string, migrations: string): Promise<void> {
  const owed = await firstOwed(client, migrations);
  if (owed === null) return;
  const folder = beforeUpgradesFolder(file);
  await mkdir(folder, { recursive: true });
  const kept = join(folder, `before-${owed}.sqlite`);
  const unfinished = `${kept}.part`;
  await rm(unfinished, { force: true });
  await client.execute({ sql: 'VACUUM INTO ?', args: [unfinished] });
  await rename(unfinished, kept);
  const all = (await readdir(folder)).filter((name) => name.endsWith('.sqlite')).sort();
  for (const old of all.slice(0, -mostKept)) await rm(join(folder, old), { force: true });
}
