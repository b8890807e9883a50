import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { nanoid } from 'nanoid';
import writeFileAtomic from 'write-file-atomic';
import type { Storage } from '../storage.ts';

/**
 * What this folder's queues are called. It lies beside the database and not in it: a workspace that was restored from a
 * backup does not draw from the queues of the one that it is a copy of.
 */
export async function queueName(storage: Storage): Promise<string> {
  const path = join(storage.root, 'queue-name');
  const known = (await readFile(path, 'utf8').catch(() => '')).trim();
  if (/^mivvy-[\w-]{10}$/.test(known)) return known;
  const name = `mivvy-${nanoid(10)}`;
  await writeFileAtomic(path, `${name}\n`);
  return name;
}
