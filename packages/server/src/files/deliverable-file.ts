import { eq } from 'drizzle-orm';
import type { Problem } from '@mivvy/core';
import { deliverables } from '../db/schema.ts';
import { fromStored } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { stateOfFile } from './known-file.ts';

type DeliverableRow = typeof deliverables.$inferSelect;

/** What is wrong with a deliverable's file on the disk; null where it is known to be the one that was made. */
export async function wrongWithFile(
  ws: Pick<Workspace, 'db' | 'storage' | 'events'>,
  row: DeliverableRow,
  wait: boolean,
): Promise<Problem | null> {
  const told = () => ws.events.tell({ kind: 'production', productionId: row.productionId });
  const { state, remember } = await stateOfFile(
    { path: fromStored(ws.storage, row.path), bytes: row.bytes, mark: row.mark, sha256: row.sha256 },
    { wait, told },
  );
  if (remember) await ws.db.update(deliverables).set({ mark: remember }).where(eq(deliverables.id, row.id));
  switch (state) {
    case 'same':
      return null;
    case 'comparing':
      return {
        code: 'comparing',
        sentence: `${row.fileName} is being compared with its sum.`,
        mend: 'That takes a moment.',
      };
    case 'gone':
      return {
        code: 'file-gone',
        sentence: `${row.fileName} is no longer on the disk.`,
        mend: 'Export it again.',
      };
    case 'changed':
      return {
        code: 'changed-on-disk',
        sentence: `${row.fileName} was changed on the disk: it is not the file that was made and checked.`,
        mend: 'Export it again.',
      };
  }
}
