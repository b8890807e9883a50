import { create as contentDisposition } from 'content-disposition';
import { and, asc, eq } from 'drizzle-orm';
import { Router } from 'express';
import { summaryPage, type ReportPage, type RunSummary } from '@mivvy/core';
import { deliverables, jobs, masters, versions } from '../db/schema.ts';
import { isNewest } from '../files/look-at-files.ts';
import { param, route } from '../http/problems.ts';
import { now, type Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Words are JSON; a reader of another release finds its number here. */
const summaryFormat = 'mivvy-summary';

/** Routes of what came of a production's exports, all in one: as a page and as JSON. */
export function reportSummaryRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/productions/:id/reports.html',
    route(async (req, res) => {
      const run = await summaryOf(ws, param(req));
      res
        .set('Content-Security-Policy', "default-src 'none'; style-src 'unsafe-inline'")
        .set('Content-Disposition', contentDisposition(`${run.production}.reports.html`, { type: 'inline' }))
        .type('html')
        .send(summaryPage(run));
    }),
  );
  router.get(
    '/productions/:id/reports.json',
    route(async (req, res) => {
      const { files, ...run } = await summaryOf(ws, param(req));
      res.json({
        format: summaryFormat,
        version: 1,
        ...run,
        at: now(),
        files: files.map(({ plan: _plan, report, ...file }) => ({ ...file, passed: report.passed, report })),
      });
    }),
  );
  return router;
}

/** The newest file of each version with its report, and the versions whose last export came to nothing. */
async function summaryOf(ws: Workspace, productionId: string): Promise<RunSummary> {
  const production = await findProduction(ws.db, productionId);
  const rows = await ws.db
    .select({ file: deliverables, version: versions, master: masters.name })
    .from(deliverables)
    .innerJoin(versions, eq(versions.id, deliverables.versionId))
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .where(and(eq(deliverables.productionId, production.id), isNewest))
    .orderBy(asc(deliverables.fileName));
  const files = rows.map(({ file, version, master }): ReportPage => {
    const place = ws.specs.of(version);
    return {
      file: file.fileName,
      sha256: file.sha256,
      place: place
        ? `${place.outlet.name}, ${place.placement.name}`
        : 'a place that is no longer in the book',
      master: file.report.compared ? master : null,
      plan: file.plan,
      report: file.report,
    };
  });
  const ended = await ws.db
    .select()
    .from(jobs)
    .where(and(eq(jobs.productionId, production.id), eq(jobs.kind, 'export')))
    .orderBy(asc(jobs.createdAt));
  // Only how a version's export ended last counts.
  const last = new Map(ended.map((job) => [job.subjectId, job]));
  const notMade = [...last.values()]
    .filter((job) => job.state === 'failed')
    .map((job) => ({ name: job.label, reason: job.problem?.sentence ?? 'No reason was kept.' }));
  return { production: production.name, client: production.client, files, notMade };
}
