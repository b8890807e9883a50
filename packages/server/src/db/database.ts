import { fileURLToPath, pathToFileURL } from 'node:url';
import { createClient } from '@libsql/client';
import { drizzle } from 'drizzle-orm/libsql';
import { migrate } from 'drizzle-orm/libsql/migrator';
import { keepBefore } from './before-upgrade.ts';
import { oneWriter } from './one-writer.ts';
import * as schema from './schema.ts';

/** How long a connection waits for another process that writes, milliseconds. */
const busyMs = 5000;

const migrationsFolder = fileURLToPath(new URL('../../migrations', import.meta.url));

/**
 * Opens the database file in WAL mode and brings its tables up to date; one of an earlier release is copied before that. Foreign keys, full synchronisation and the
 * time to wait are the library's defaults or options, so they hold on every connection that it opens.
 */
export async function openDatabase(file: string) {
  const client = oneWriter(createClient({ url: pathToFileURL(file).href, timeout: busyMs }));
  await client.execute('PRAGMA journal_mode = WAL');
  const db = drizzle(client, { schema });
  try {
    await keepBefore(client, file, migrationsFolder);
    await migrate(db, { migrationsFolder });
  } catch (error) {
    client.close();
    throw error;
  }
  return { db, close: () => client.close() };
}

export type Database = Awaited<ReturnType<typeof openDatabase>>['db'];
/** Anything that rows can be written through: the database, or a transaction of it. */
export type Writer = Pick<Database, 'insert' | 'delete' | 'select' | 'update'>;
