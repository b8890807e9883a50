import { Router, type Request, type Response } from 'express';
import { create as contentDisposition } from 'content-disposition';
import { eq } from 'drizzle-orm';
import { reportPage } from '@mivvy/core';
import { deliverables, masters, versions } from '../db/schema.ts';
import { lookAtDeliverable, wrongWithFile } from '../files/deliverable-file.ts';
import { mediaTypes } from '../http/media-types.ts';
import { param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { changedCover, coverOf } from '../files/cover-file.ts';
import { fromStored } from '../storage.ts';
import { tellVersion } from '../tell.ts';
import { deliverablesOf } from '../views/deliverables.ts';
import type { Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Routes of finished files. A file is handed out only when it is known to be the one that was made and checked. */
export function deliverableRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/productions/:id/deliverables',
    route(async (req, res) => {
      const { id } = await findProduction(ws.db, param(req));
      res.json(await deliverablesOf(ws, id));
    }),
  );
  router.get(
    '/deliverables/:id/file',
    route((req, res) => sendDeliverable(ws, req, res)),
  );
  router.get(
    '/deliverables/:id/cover',
    route((req, res) => sendCover(ws, req, res)),
  );
  router.get(
    '/deliverables/:id/report',
    route(async (req, res) => res.json((await findDeliverable(ws, param(req))).report)),
  );
  router.get(
    '/deliverables/:id/report.html',
    route((req, res) => sendReportPage(ws, req, res)),
  );
  return router;
}

async function findDeliverable(ws: Workspace, id: string) {
  const [row] = await ws.db.select().from(deliverables).where(eq(deliverables.id, id));
  return row ?? refuse(404, 'not-found', 'That file is not here any more.');
}

/** A file's cover, where it has one that is still the one that was checked. */
async function sendCover(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findDeliverable(ws, param(req));
  const cover = await coverOf(ws, row);
  if (!cover) refuse(404, 'not-found', 'No cover goes with this file.');
  if (!cover.intact) refuse(409, changedCover.code, changedCover.sentence, changedCover.mend);
  await send(res, cover.path, {
    'Content-Type': cover.format === 'png' ? 'image/png' : 'image/jpeg',
    'Content-Disposition': contentDisposition(cover.name, {
      type: req.query.inline === '1' ? 'inline' : 'attachment',
    }),
    'Cache-Control': 'private, max-age=3600',
  });
}

/** A report as a page of its own, to be kept or sent on: it loads nothing, and may load nothing. */
async function sendReportPage(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findDeliverable(ws, param(req));
  const [from] = await ws.db
    .select({
      placementId: versions.placementId,
      placementRevision: versions.placementRevision,
      master: masters.name,
    })
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .where(eq(versions.id, row.versionId));
  const place = from && ws.specs.of(from);
  const page = reportPage({
    file: row.fileName,
    sha256: row.sha256,
    place: place ? `${place.outlet.name}, ${place.placement.name}` : 'a place that is no longer in the book',
    master: row.report.compared && from ? from.master : null,
    plan: row.plan,
    report: row.report,
  });
  res
    .set('Content-Security-Policy', "default-src 'none'; style-src 'unsafe-inline'")
    .set('Content-Disposition', contentDisposition(`${row.fileName}.report.html`, { type: 'inline' }))
    .type('html')
    .send(page);
}

async function sendDeliverable(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findDeliverable(ws, param(req));
  const wrong = wrongWithFile(await lookAtDeliverable(ws, row, { wait: true }), row.fileName);
  if (wrong) {
    await tellVersion(ws, row.versionId);
    refuse(409, wrong.code, wrong.sentence, wrong.mend);
  }
  const disposition = contentDisposition(row.fileName, {
    type: req.query.inline === '1' ? 'inline' : 'attachment',
  });
  await send(res, fromStored(ws.storage, row.path), {
    'Content-Type': mediaTypes[row.plan.container],
    'Content-Disposition': disposition,
    'Cache-Control': 'private, max-age=3600',
  });
}
