import { fileURLToPath, pathToFileURL } from 'node:url';
import { createClient } from '@libsql/client';
import { drizzle } from 'drizzle-orm/libsql';
import { migrate } from 'drizzle-orm/libsql/migrator';
import * as schema from './schema.ts';

/** Opens the database file in WAL mode and brings its tables up to date. */
export async function openDatabase(file: string) {
  const client = createClient({ url: pathToFileURL(file).href });
  await client.execute('PRAGMA journal_mode = WAL');
  await client.execute('PRAGMA synchronous = NORMAL');
  await client.execute('PRAGMA busy_timeout = 5000');
  const db = drizzle(client, { schema });
  await migrate(db, { migrationsFolder: fileURLToPath(new URL('../../migrations', import.meta.url)) });
  await client.execute('PRAGMA foreign_keys = ON');
  return { db, close: () => client.close() };
}

export type Database = Awaited<ReturnType<typeof openDatabase>>['db'];
