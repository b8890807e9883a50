import { desc, eq, type SQL } from 'drizzle-orm';
import type { Handover } from '@mivvy/core';
import type { Writer } from '../db/database.ts';
import { deliverables } from '../db/schema.ts';
import { happened } from '../happenings.ts';
import { filesOfExport, fromStored } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { doom } from './doomed.ts';

/** What of a file's row is needed to let go of it; its plan and report are long, and are not read for that. */
const columns = {
  id: deliverables.id,
  versionId: deliverables.versionId,
  productionId: deliverables.productionId,
  fileName: deliverables.fileName,
  path: deliverables.path,
  bytes: deliverables.bytes,
  sha256: deliverables.sha256,
  onDisk: deliverables.onDisk,
  handover: deliverables.handover,
};
export type OldFile = Pick<typeof deliverables.$inferSelect, keyof typeof columns>;

/** What went out or was approved stays, however old it is. */
const keptFor: readonly Handover[] = ['approved', 'dispatched', 'live'];

/** The files of some productions that newer ones have taken the place of, but for so many of each version. */
export async function olderFiles(tx: Writer, ofProductions: SQL, keep: number): Promise<OldFile[]> {
  const rows = await tx
    .select(columns)
    .from(deliverables)
    .where(ofProductions)
    .orderBy(desc(deliverables.exportNumber));
  const seen = new Map<string, number>();
  return rows.filter((file) => {
    const newer = seen.get(file.versionId) ?? 0;
    seen.set(file.versionId, newer + 1);
    return newer >= keep && file.onDisk !== 'cleared' && !keptFor.includes(file.handover);
  });
}

/**
 * Lets go of files, keeping their rows with report, sum and history; what lies on the disk is doomed with it.
 *
 * @returns the paths to be swept when that is written
 */
export async function clearFiles(
  tx: Writer,
  ws: Pick<Workspace, 'storage'>,
  files: readonly OldFile[],
  by: string,
): Promise<string[]> {
  for (const file of files)
    await tx.update(deliverables).set({ onDisk: 'cleared' }).where(eq(deliverables.id, file.id));
  await happened(
    tx,
    files.map((file) => ({
      by,
      productionId: file.productionId,
      versionId: file.versionId,
      deliverableId: file.id,
      sha256: file.sha256,
      what: { kind: 'cleared' as const, file: file.fileName },
    })),
  );
  const paths = files.flatMap((file) => filesOfExport(fromStored(ws.storage, file.path)));
  await doom(tx, ws, paths);
  return paths;
}
