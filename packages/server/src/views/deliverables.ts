import { desc, eq, inArray, sql } from 'drizzle-orm';
import type { CheckLine } from '@mivvy/core';
import type { Deliverable } from '@mivvy/api';
import { deliverables } from '../db/schema.ts';
import { wrongWithFile } from '../files/deliverable-file.ts';
import { lookAtFiles } from '../files/look-at-files.ts';
import type { Workspace } from '../workspace.ts';

/** So many files a production's list shows, newest first. */
const mostListed = 500;

/** A number of the rate that a file was made with; plans from before shapes were numbered stand alone. */
const rateOf = (field: 'maxKbps' | 'targetKbps') =>
  sql<
    number | null
  >`coalesce(json_extract(${deliverables.plan}, ${`$.value.video.rate.${field}`}), json_extract(${deliverables.plan}, ${`$.video.rate.${field}`}))`;

/** The format of the captions that go beside a file. */
const captionsBeside = sql<
  'srt' | 'vtt' | null
>`json_extract(${deliverables.plan}, '$.value.sidecar.format')`;

/** The format of the still that goes beside a file. */
const coverBeside = sql<'jpeg' | 'png' | null>`json_extract(${deliverables.plan}, '$.value.cover.format')`;

/** What a deliverable is shown from: its plan and its report stay where they are. */
export const deliverableColumns = {
  id: deliverables.id,
  versionId: deliverables.versionId,
  productionId: deliverables.productionId,
  fileName: deliverables.fileName,
  bytes: deliverables.bytes,
  sha256: deliverables.sha256,
  fingerprint: deliverables.fingerprint,
  exportNumber: deliverables.exportNumber,
  passed: deliverables.passed,
  effort: deliverables.effort,
  onDisk: deliverables.onDisk,
  handover: deliverables.handover,
  madeAt: deliverables.madeAt,
  tookSeconds: deliverables.tookSeconds,
  ceilingKbps: rateOf('maxKbps'),
  targetKbps: rateOf('targetKbps'),
  captionsBeside,
  coverBeside,
};
export type DeliverableRow = Pick<
  typeof deliverables.$inferSelect,
  Exclude<keyof typeof deliverableColumns, 'ceilingKbps' | 'targetKbps' | 'captionsBeside' | 'coverBeside'>
> &
  Pick<Deliverable, 'ceilingKbps' | 'targetKbps' | 'captionsBeside' | 'coverBeside'>;

/** A deliverable as the API shows it. */
export const toDeliverable = (row: DeliverableRow, findings: CheckLine[]): Deliverable => ({
  ...row,
  findings,
  onDisk: wrongWithFile(row.onDisk, row.fileName),
});

/** The lines that are not right of those files that did not pass. */
export async function findingsOf(
  ws: Pick<Workspace, 'db'>,
  rows: readonly Pick<DeliverableRow, 'id' | 'passed'>[],
): Promise<(id: string) => CheckLine[]> {
  const failed = rows.filter((row) => !row.passed).map((row) => row.id);
  const reports = failed.length
    ? await ws.db
        .select({ id: deliverables.id, report: deliverables.report })
        .from(deliverables)
        .where(inArray(deliverables.id, failed))
    : [];
  const found = new Map(reports.map(({ id, report }) => [id, report.checks.filter((line) => !line.ok)]));
  return (id) => found.get(id) ?? [];
}

/** Every file made for a production, newest first. */
export async function deliverablesOf(
  ws: Pick<Workspace, 'db' | 'storage' | 'events'>,
  productionId: string,
): Promise<Deliverable[]> {
  await lookAtFiles(ws, productionId, 'all');
  const rows = await ws.db
    .select(deliverableColumns)
    .from(deliverables)
    .where(eq(deliverables.productionId, productionId))
    .orderBy(desc(deliverables.madeAt))
    .limit(mostListed);
  const findings = await findingsOf(ws, rows);
  return rows.map((row) => toDeliverable(row, findings(row.id)));
}
