import { pathToFileURL } from 'node:url';
import { createClient, type Client } from '@libsql/client';

export type { Client as Rows } from '@libsql/client';

/** Works on a database beside whatever has it open, as nothing but a test would. */
export async function onRows<T>(database: string, work: (rows: Client) => Promise<T>): Promise<T> {
  const client = createClient({ url: pathToFileURL(database).href, timeout: 5000 });
  try {
    return await work(client);
  } finally {
    client.close();
  }
}
