import { rm } from 'node:fs/promises';
import { eq, inArray } from 'drizzle-orm';
import type { Writer } from '../db/database.ts';
import { doomed } from '../db/schema.ts';
import { fromStored, toStored } from '../storage.ts';
import type { Workspace } from '../workspace.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'log'>;

/** Writes down, in the transaction that lets go of them, files and folders that are to be removed after it. */
export async function doom(
  tx: Writer,
  { storage }: Pick<Workspace, 'storage'>,
  paths: readonly string[],
): Promise<void> {
  const rows = [...new Set(paths)].map((path) => ({ path: toStored(storage, path) }));
  // In pieces: a statement holds only so many values.
  for (let at = 0; at < rows.length; at += 500)
    await tx
      .insert(doomed)
      .values(rows.slice(at, at + 500))
      .onConflictDoNothing();
}

/** Lets files stay after all: others are to be made in their place. */
export async function spare(
  tx: Writer,
  { storage }: Pick<Workspace, 'storage'>,
  paths: readonly string[],
): Promise<void> {
  const stored = paths.map((path) => toStored(storage, path));
  await tx.delete(doomed).where(inArray(doomed.path, stored));
}

/** Removes what has been written down, except what is still read. Whatever cannot be removed now is tried at the next start. */
export async function sweepDoomed(ws: Ws, only?: readonly string[]): Promise<void> {
  const wanted = only && new Set(only.map((path) => toStored(ws.storage, path)));
  for (const { path } of await ws.db.select().from(doomed)) {
    if (wanted && !wanted.has(path)) continue;
    try {
      await rm(fromStored(ws.storage, path), { recursive: true, force: true });
      await ws.db.delete(doomed).where(eq(doomed.path, path));
    } catch (error) {
      ws.log.warn({ err: error, path }, 'could not be removed');
    }
  }
}
