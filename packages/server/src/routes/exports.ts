import { isDeepStrictEqual } from 'node:util';
import { Router, type Request, type Response } from 'express';
import { and, eq, inArray } from 'drizzle-orm';
import { dressingShown, drawnFrom, planFingerprint, type Effort } from '@mivvy/core';
import { newExportsSchema } from '@mivvy/api';
import { cuts, jobs, masters, versions } from '../db/schema.ts';
import type { Writer } from '../db/database.ts';
import { bodyOf, param, refuse, route, windowOf } from '../http/problems.ts';
import { toJob, type JobRow, type NewJob } from '../jobs/runner.ts';
import { planOf, refusalOf } from '../plans.ts';
import { readPreferences } from '../preferences.ts';
import { tellProduction } from '../tell.ts';
import { forecastsOf } from '../views/forecast.ts';
import type { Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Routes that queue the export of some versions, and say beforehand what it will come to. */
export function exportRoutes(ws: Workspace): Router {
  const router = Router();
  router.post(
    '/productions/:id/exports',
    route((req, res) => queueExports(ws, req, res)),
  );
  router.get(
    '/productions/:id/forecast',
    route(async (req, res) => {
      const { id } = await findProduction(ws.db, param(req));
      res.json({ versions: await forecastsOf(ws, id), freeBytes: await ws.freeBytes() });
    }),
  );
  return router;
}

/** Comes after all days. */
const noDay = '9999-12-31';

async function queueExports(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id, dueOn } = await findProduction(ws.db, param(req));
  const { versionIds } = bodyOf(newExportsSchema, req);
  const rows = await ws.db
    .select({ version: versions, master: masters, cut: cuts })
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .leftJoin(cuts, eq(cuts.id, versions.cutId))
    .where(and(eq(versions.productionId, id), inArray(versions.id, versionIds)));
  // What is due first is made first; of equal days, in the order of the sheet.
  const due = ({ version }: (typeof rows)[number]) => version.dueOn ?? dueOn ?? noDay;
  rows.sort((a, b) => due(a).localeCompare(due(b)) || a.version.createdAt.localeCompare(b.version.createdAt));
  // All are looked at before any is queued: one that cannot be made leaves the queue as it was.
  const { effort } = await readPreferences(ws.db);
  const wanted = rows.map((row) => exportOf(ws, row, effort));
  const { queued, changed } = await ws.db.transaction((tx) => queueEach(ws, tx, id, wanted));
  ws.runner.announce(changed);
  await tellProduction(ws, id, windowOf(req));
  res.json(queued.map(toJob));
}

/** The job that exports a version as it stands now; refuses the request where it cannot be made. */
function exportOf(
  ws: Workspace,
  {
    version,
    master,
    cut,
  }: {
    version: typeof versions.$inferSelect;
    master: typeof masters.$inferSelect;
    cut: typeof cuts.$inferSelect | null;
  },
  effort: Effort,
): NewJob {
  const place = ws.specs.of(version);
  const label = place ? `${place.outlet.name}, ${place.placement.name}` : version.placementId;
  if (!place)
    refuse(
      409,
      'no-placement',
      `${label}: the spec book no longer holds this placement.`,
      'Add its spec book file again.',
    );
  const plan = planOf(ws, version, master, cut ?? undefined);
  if (!plan) refuse(409, 'master-failed', `“${master.name}” cannot be used.`, master.problem?.sentence ?? '');
  const fault = refusalOf(ws, version, plan);
  if (fault) refuse(409, 'refused', `${label}: ${fault.sentence}`, fault.mend);
  return {
    kind: 'export',
    productionId: version.productionId,
    subjectId: version.id,
    label,
    // A film without its sum is still being read: its exports are decided when that has ended.
    ...(plan.fingerprint === undefined
      ? {}
      : {
          asked: {
            plan: plan.plan,
            placement: place.placement,
            outlet: place.outlet.name,
            expectedBytes: plan.budget.expectedBytes ?? null,
          },
        }),
    framing: version.framing,
    coverFrame: version.coverFrame,
    sharpen: version.sharpen,
    textless: version.textless,
    effort,
    placementRevision: version.placementRevision,
    cut: cut && { kept: cut.kept, pace: cut.pace, joinMs: cut.joinMs },
    dressing: dressingShown(master.dressing, {
      versionId: version.id,
      language: place.placement.captionLanguage,
      keeps: drawnFrom(version.textless, master).keeps,
    }),
  };
}

/** Queues exports. Asking twice for the same thing makes it once; asking again after a change replaces what still waits. */
async function queueEach(
  ws: Workspace,
  tx: Writer,
  productionId: string,
  wanted: readonly NewJob[],
): Promise<{ queued: JobRow[]; changed: JobRow[] }> {
  const waiting = await tx
    .select()
    .from(jobs)
    .where(
      and(
        eq(jobs.productionId, productionId),
        eq(jobs.kind, 'export'),
        inArray(jobs.state, ['queued', 'running']),
      ),
    );
  const queued: JobRow[] = [];
  const changed: JobRow[] = [];
  for (const job of wanted) {
    const already = waiting.find((j) => j.subjectId === job.subjectId);
    if (already && isSameExport(already, job)) {
      queued.push(already);
      continue;
    }
    const stopped = already && (await ws.runner.cancelIn(tx, already.id));
    const row = await ws.runner.add(tx, job);
    queued.push(row);
    changed.push(...(stopped ? [stopped] : []), row);
  }
  return { queued, changed };
}

/** Whether two exports come to the same file. */
function isSameExport(one: JobRow, other: NewJob): boolean {
  const makes = ({ asked, effort }: JobRow | NewJob) =>
    asked ? [planFingerprint(asked.plan), asked.placement, effort] : null;
  const askedWith = (of: JobRow | NewJob) => [
    of.framing,
    of.cut,
    of.placementRevision,
    of.dressing,
    of.coverFrame,
    of.sharpen,
    of.textless ?? false,
    of.effort,
  ];
  const [a, b] = [makes(one), makes(other)];
  return a && b ? isDeepStrictEqual(a, b) : isDeepStrictEqual(askedWith(one), askedWith(other));
}
