import { rm } from 'node:fs/promises';
import { eq, max } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { freeName, nameKey, planFingerprint, type CheckReport, type Effort } from '@mivvy/core';
import type { Writer } from '../db/database.ts';
import { cuts, deliverables } from '../db/schema.ts';
import { markOf } from '../files/known-file.ts';
import { happened } from '../happenings.ts';
import { filmsOf, nameOf } from '../naming.ts';
import { showToOpenLinks } from '../review/links.ts';
import { deliverablePath, filesOfExport, toStored } from '../storage.ts';
import { now, type Workspace } from '../workspace.ts';
import type { ExportOrder } from './export-order.ts';

/** A place of its own for a file that is to be made. */
export function newPlace(
  { storage }: Pick<Workspace, 'storage'>,
  { production, plan }: ExportOrder,
): { id: string; outPath: string } {
  const id = nanoid(10);
  return { id, outPath: deliverablePath(storage, production.id, id, plan.container) };
}

/** What came of an export, its file lying in its place. */
export interface MadeFile {
  id: string;
  outPath: string;
  bytes: number;
  sha256: string;
  coverSha256: string | null;
  report: CheckReport;
  effort: Effort;
  tookSeconds: number;
  /** The render machine that made it; null for the server itself. */
  madeOn: string | null;
}

/** Writes the row of a finished file, and what follows from it. Its file is in its place already. */
export async function takeIn(
  tx: Writer,
  { storage }: Pick<Workspace, 'storage'>,
  order: ExportOrder,
  { outPath, ...made }: MadeFile,
): Promise<void> {
  const { production, version, plan } = order;
  const mark = await markOf(outPath);
  const named = await nameFor(tx, order);
  await tx.insert(deliverables).values({
    ...made,
    ...named,
    versionId: version.id,
    productionId: production.id,
    path: toStored(storage, outPath),
    mark,
    fingerprint: planFingerprint(plan),
    plan,
    passed: made.report.passed,
    madeAt: now(),
  });
  await happened(tx, [
    {
      by: '',
      productionId: production.id,
      versionId: version.id,
      deliverableId: made.id,
      sha256: made.sha256,
      what: { kind: 'made', file: named.fileName, passed: made.report.passed },
    },
  ]);
  await showToOpenLinks(tx, production.id, version.id);
}

/** Removes a file that no row refers to, with what lies beside it. */
export async function dropMade(outPath: string): Promise<void> {
  for (const made of filesOfExport(outPath)) await rm(made, { force: true });
}

/** The export's number, and a name for it that no other file of the production has on any file system. */
async function nameFor(
  tx: Writer,
  of: ExportOrder,
): Promise<{ fileName: string; nameKey: string; exportNumber: number }> {
  const [newest] = await tx
    .select({ n: max(deliverables.exportNumber) })
    .from(deliverables)
    .where(eq(deliverables.versionId, of.version.id));
  const exportNumber = (newest?.n ?? 0) + 1;
  const [cut] = of.version.cutId
    ? await tx.select({ name: cuts.name }).from(cuts).where(eq(cuts.id, of.version.cutId))
    : [];
  const wished = nameOf({
    ...of,
    cut: cut?.name,
    films: await filmsOf(tx, of.production.id),
    exportNumber,
    madeAt: now(),
  });
  const taken = new Set(
    (
      await tx
        .select({ key: deliverables.nameKey })
        .from(deliverables)
        .where(eq(deliverables.productionId, of.production.id))
    ).map((row) => row.key ?? ''),
  );
  const fileName = freeName(wished, taken);
  return { fileName, nameKey: nameKey(fileName), exportNumber };
}
