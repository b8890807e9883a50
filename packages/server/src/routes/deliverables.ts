import { Router, type Request, type Response } from 'express';
import { create as contentDisposition } from 'content-disposition';
import { eq } from 'drizzle-orm';
import { deliverables } from '../db/schema.ts';
import { lookAtDeliverable, wrongWithFile } from '../files/deliverable-file.ts';
import { param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { fromStored } from '../storage.ts';
import { tellVersion } from '../tell.ts';
import { deliverablesOf } from '../views/deliverables.ts';
import type { Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

const mediaTypes = { mp4: 'video/mp4', mov: 'video/quicktime', webm: 'video/webm' } as const;

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
    '/deliverables/:id/report',
    route(async (req, res) => res.json((await findDeliverable(ws, param(req))).report)),
  );
  return router;
}

async function findDeliverable(ws: Workspace, id: string) {
  const [row] = await ws.db.select().from(deliverables).where(eq(deliverables.id, id));
  return row ?? refuse(404, 'not-found', 'That file is not here any more.');
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
