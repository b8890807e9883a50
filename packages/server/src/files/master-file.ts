import { and, eq } from 'drizzle-orm';
import { fail, ok, type Result } from '@mivvy/core';
import { masters } from '../db/schema.ts';
import { keepWhereThereIsRoom } from '../disk/full.ts';
import { fromStored } from '../storage.ts';
import { tellMaster } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { stateOfFile, type FileState } from './known-file.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'events'>;

/** What must be known of a master to look at its film. */
export type MasterFile = Pick<
  typeof masters.$inferSelect,
  'id' | 'name' | 'fileGeneration' | 'path' | 'bytes' | 'mark' | 'sha256' | 'onDisk'
>;

/** The columns of it. */
export const masterFileColumns = {
  id: masters.id,
  name: masters.name,
  fileGeneration: masters.fileGeneration,
  path: masters.path,
  bytes: masters.bytes,
  mark: masters.mark,
  sha256: masters.sha256,
  onDisk: masters.onDisk,
};

/**
 * Looks whether a master's file is still the one that was brought in, and keeps it in its row. With `wait` false a file
 * that has to be summed is being compared meanwhile; when that has ended it is looked at again and told of.
 */
export async function lookAtMaster(ws: Ws, row: MasterFile, { wait }: { wait: boolean }): Promise<FileState> {
  const again = async () => {
    await lookAtMaster(ws, row, { wait });
    await tellMaster(ws, row.id);
  };
  const { state, remember } = await stateOfFile(
    { path: fromStored(ws.storage, row.path), bytes: row.bytes, mark: row.mark, sha256: row.sha256 },
    // Whoever closes the workspace meanwhile needs no answer any more.
    { wait, told: () => void again().catch(() => undefined) },
  );
  if (remember || state !== row.onDisk)
    await keepWhereThereIsRoom(
      ws.db
        .update(masters)
        .set({ onDisk: state, ...(remember ? { mark: remember } : {}) })
        .where(and(eq(masters.id, row.id), eq(masters.fileGeneration, row.fileGeneration))),
    );
  return state;
}

/**
 * The path of a master's film, if what lies there is the film that was brought in; nothing is made from another. What is
 * only looked at does not wait until a whole film has been summed.
 */
export async function openMaster(
  ws: Ws,
  row: MasterFile,
  { wait }: { wait: boolean } = { wait: true },
): Promise<Result<string>> {
  const state = await lookAtMaster(ws, row, { wait });
  if (state === 'gone')
    return fail(
      'master-gone',
      `The film “${row.name}” is no longer where it was.`,
      'Put it back, or bring it in again in its place.',
    );
  if (state === 'changed') {
    return fail(
      'master-changed',
      `The film “${row.name}” was changed on the disk since it was brought in.`,
      'Take the changed film in its place: its framing is carried over.',
    );
  }
  return ok(fromStored(ws.storage, row.path));
}
