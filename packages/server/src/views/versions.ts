import { and, eq, inArray, type SQL } from 'drizzle-orm';
import { behindReasons, isUntouched, stageOf, type Standing } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { cuts, deliverables, masters, versions } from '../db/schema.ts';
import { deliverableFileColumns, lookAtDeliverable } from '../files/deliverable-file.ts';
import { isNewest } from '../files/look-at-files.ts';
import { approvalsOf, dayWords } from '../happenings.ts';
import { undoStates } from '../history.ts';
import { planOf, settleStandings, workOutStandings } from '../plans.ts';
import type { Workspace } from '../workspace.ts';
import { openNotesOf } from './notes.ts';
import { deliverableColumns, findingsOf, toDeliverable } from './deliverables.ts';

type Ws = Pick<Workspace, 'db' | 'specs' | 'letters' | 'storage' | 'events'>;
type VersionRow = typeof versions.$inferSelect;

/** The versions of a production in the order of the sheet; their files are as they were when they were last looked at. */
export async function versionsOf(ws: Ws, productionId: string): Promise<Version[]> {
  return viewsOf(ws, await settledRows(ws, eq(versions.productionId, productionId)));
}

/** One version as the API shows it. */
export async function versionView(ws: Ws, id: string): Promise<Version | undefined> {
  const [file] = await ws.db
    .select(deliverableFileColumns)
    .from(deliverables)
    .where(and(eq(deliverables.versionId, id), isNewest));
  if (file) await lookAtDeliverable(ws, file, { wait: false });
  return (await viewsOf(ws, await settledRows(ws, eq(versions.id, id))))[0];
}

/** A version's row whose standing is known. */
type SettledRow = VersionRow & { standing: Standing };

/** Rows of versions with their standings. What a job moves on meanwhile, or a full disk did not keep, is worked out here. */
async function settledRows(ws: Ws, chosen: SQL): Promise<SettledRow[]> {
  await settleStandings(ws);
  const rows = await ws.db.select().from(versions).where(chosen).orderBy(versions.createdAt, versions.tag);
  const open = rows.filter((row) => row.standing === null);
  const found = open.length ? await workOutStandings(ws.db, ws, open) : new Map<string, Standing>();
  return rows.map((row) => ({ ...row, standing: row.standing ?? found.get(row.id)! }));
}

async function viewsOf(ws: Ws, rows: readonly SettledRow[]): Promise<Version[]> {
  if (rows.length === 0) return [];
  const ids = rows.map((v) => v.id);
  const newest = await ws.db
    .select(deliverableColumns)
    .from(deliverables)
    .where(and(inArray(deliverables.versionId, ids), isNewest));
  const fileOf = new Map(newest.map((file) => [file.versionId, file]));
  const findings = await findingsOf(ws, newest);
  const can = await undoStates(ws.db, ids);
  const openNotes = await openNotesOf(ws.db, ids);
  const reasons = await behind(
    ws,
    rows.filter((v) => v.standing === 'behind'),
  );
  return rows.map((row) => {
    const { plannedWith: _plannedWith, createdAt: _createdAt, touched: _touched, ...shown } = row;
    const place = ws.specs.of(row);
    const holds = ws.specs.revisionOf(row.placementId);
    const file = fileOf.get(row.id);
    return {
      ...shown,
      can: can(row.id),
      stage: stageOf(row.standing, file?.handover ?? 'none', !isUntouched(row.framing)),
      openNotes: openNotes.get(row.id) ?? 0,
      outlet: place?.outlet ?? null,
      placement: place?.placement ?? null,
      newerPlace:
        place && holds !== row.placementRevision
          ? { revision: holds, placement: ws.specs.find(row.placementId)!.placement }
          : null,
      behind: reasons.get(row.id) ?? [],
      deliverable: file ? toDeliverable(file, findings(file.id)) : null,
    };
  });
}

/**
 * Why the newest files of some versions are behind: what somebody did, with its day where it is known, and who had
 * approved the file before.
 */
async function behind(ws: Ws, rows: readonly VersionRow[]): Promise<Map<string, string[]>> {
  if (rows.length === 0) return new Map();
  const ids = rows.map((row) => row.id);
  const made = await ws.db
    .select({
      version: versions,
      cut: cuts,
      master: masters,
      plan: deliverables.plan,
      deliverableId: deliverables.id,
      madeAt: deliverables.madeAt,
    })
    .from(deliverables)
    .innerJoin(versions, eq(versions.id, deliverables.versionId))
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .leftJoin(cuts, eq(cuts.id, versions.cutId))
    .where(and(inArray(versions.id, ids), isNewest));
  const answers = await approvalsOf(
    ws.db,
    made.map((file) => file.deliverableId),
  );
  return new Map(
    made.map(({ version, cut, master, plan, deliverableId, madeAt }) => {
      const now = planOf(ws, version, master, cut ?? undefined);
      if (!now) return [version.id, []];
      const reasons = behindReasons(plan, now.plan, master.shots ?? []);
      const [only] = reasons;
      // One change, and the version was framed after the file was made: that is its day.
      const framedAt = version.framedAt ?? version.updatedAt;
      if (reasons.length === 1 && only!.startsWith('the framing') && framedAt > madeAt) {
        const by = version.framedBy ? ` by ${version.framedBy}` : '';
        reasons[0] = `${only!} on ${dayWords(framedAt)}${by}`;
      }
      const approval = answers.get(deliverableId);
      if (approval) reasons.push(`${approval.by} approved this earlier file on ${dayWords(approval.at)}`);
      return [version.id, reasons];
    }),
  );
}
