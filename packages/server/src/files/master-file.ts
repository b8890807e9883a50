import { and, eq } from 'drizzle-orm';
import { fail, ok, type Result } from '@mivvy/core';
import { masters } from '../db/schema.ts';
import { fromStored } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { stateOfFile, type FileState } from './known-file.ts';

type MasterRow = typeof masters.$inferSelect;
type Ws = Pick<Workspace, 'db' | 'storage' | 'events'>;

/** Whether a master's file is still the one that was brought in. */
export async function stateOfMaster(ws: Ws, row: MasterRow, wait: boolean): Promise<FileState> {
  const told = () => ws.events.tell({ kind: 'production', productionId: row.productionId });
  const answer = await stateOfFile(
    { path: fromStored(ws.storage, row.path), bytes: row.bytes, mark: row.mark, sha256: row.sha256 },
    { wait, told },
  );
  if (answer.remember)
    await ws.db
      .update(masters)
      .set({ mark: answer.remember })
      .where(and(eq(masters.id, row.id), eq(masters.take, row.take)));
  return answer.state;
}

/**
 * The path of a master's film, if what lies there is the film that was brought in; nothing is made from another. What is
 * only looked at does not wait until a whole film has been summed.
 */
export async function openMaster(
  ws: Ws,
  row: MasterRow,
  { wait }: { wait: boolean } = { wait: true },
): Promise<Result<string>> {
  const state = await stateOfMaster(ws, row, wait);
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
