import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { createClient } from '@libsql/client';

/** Another process works on the data folder. */
export class FolderInUse extends Error {
  constructor(dataDir: string) {
    super(`Another Mivvy is running on ${dataDir}.`);
    this.name = 'FolderInUse';
  }
}

/**
 * Holds a data folder for this process alone. The hold is a lock of the operating system on a database file of its own
 * that is never written to, so a process that dies lets go of it, however it dies, and a full disk does not matter.
 */
export async function holdFolder(dataDir: string): Promise<() => void> {
  const client = createClient({ url: pathToFileURL(join(dataDir, 'in-use.sqlite')).href, timeout: 0 });
  try {
    const held = await client.transaction('write');
    return () => {
      held.close();
      client.close();
    };
  } catch (error) {
    client.close();
    if ((error as { code?: string }).code?.startsWith('SQLITE_BUSY')) throw new FolderInUse(dataDir);
    throw error;
  }
}
