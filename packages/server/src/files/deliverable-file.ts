import { and, eq, ne } from 'drizzle-orm';
import type { Problem } from '@mivvy/core';
import { deliverables } from '../db/schema.ts';
import { keepWhereThereIsRoom } from '../disk/full.ts';
import { fromStored } from '../storage.ts';
import { tellVersion } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { stateOfFile, type MadeFileState } from './known-file.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'events'>;

/** What must be known of a deliverable to look at its file. */
export type DeliverableFile = Pick<
  typeof deliverables.$inferSelect,
  'id' | 'versionId' | 'path' | 'bytes' | 'mark' | 'sha256' | 'onDisk'
>;

/** The columns of it. */
export const deliverableFileColumns = {
  id: deliverables.id,
  versionId: deliverables.versionId,
  path: deliverables.path,
  bytes: deliverables.bytes,
  mark: deliverables.mark,
  sha256: deliverables.sha256,
  onDisk: deliverables.onDisk,
};

/**
 * Looks how a deliverable's file is on the disk, and keeps it in its row. With `wait` false a file that has to be summed
 * is being compared meanwhile; when that has ended it is looked at again and its version is told of.
 */
export async function lookAtDeliverable(
  ws: Ws,
  row: DeliverableFile,
  { wait }: { wait: boolean },
): Promise<MadeFileState> {
  // It was taken away on purpose: nothing is looked for.
  if (row.onDisk === 'cleared') return 'cleared';
  const again = async () => {
    await lookAtDeliverable(ws, row, { wait });
    await tellVersion(ws, row.versionId);
  };
  const { state, remember } = await stateOfFile(
    { path: fromStored(ws.storage, row.path), bytes: row.bytes, mark: row.mark, sha256: row.sha256 },
    // Whoever closes the workspace meanwhile needs no answer any more.
    { wait, told: () => void again().catch(() => undefined) },
  );
  if (remember || state !== row.onDisk)
    await keepWhereThereIsRoom(
      ws.db
        .update(deliverables)
        .set({ onDisk: state, ...(remember ? { mark: remember } : {}) })
        // Whoever cleared it meanwhile has the last word.
        .where(and(eq(deliverables.id, row.id), ne(deliverables.onDisk, 'cleared'))),
    );
  return state;
}

/** What is wrong with a file on the disk; null where it is known to be the one that was made. */
export function wrongWithFile(state: MadeFileState, fileName: string): Problem | null {
  switch (state) {
    case 'same':
      return null;
    case 'comparing':
      return {
        code: 'comparing',
        sentence: `${fileName} is being compared with its sum.`,
        mend: 'That takes a moment.',
      };
    case 'gone':
      return {
        code: 'file-gone',
        sentence: `${fileName} is no longer on the disk.`,
        mend: 'Export it again.',
      };
    case 'cleared':
      return {
        code: 'cleared',
        sentence: `${fileName} was cleared from the disk to make room; its report and history are kept.`,
        mend: 'Export it again.',
      };
    case 'changed':
      return {
        code: 'changed-on-disk',
        sentence: `${fileName} was changed on the disk: it is not the file that was made and checked.`,
        mend: 'Export it again.',
      };
  }
}
