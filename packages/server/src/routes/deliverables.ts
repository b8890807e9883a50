import { Router } from 'express';
import { create as contentDisposition } from 'content-disposition';
import { eq } from 'drizzle-orm';
import { deliverables } from '../db/schema.ts';
import { wrongWithFile } from '../files/deliverable-file.ts';
import { param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { fromStored } from '../storage.ts';
import type { Workspace } from '../workspace.ts';

const mediaTypes: Record<string, string> = { mp4: 'video/mp4', mov: 'video/quicktime', webm: 'video/webm' };

/** Routes of finished files. A file is handed out only when it is known to be the one that was made and checked. */
export function deliverableRoutes(ws: Workspace): Router {
  const router = Router();
  const find = async (id: string) =>
    (await ws.db.select().from(deliverables).where(eq(deliverables.id, id)))[0] ??
    refuse(404, 'not-found', 'That file is not here any more.');

  router.get(
    '/deliverables/:id/file',
    route(async (req, res) => {
      const row = await find(param(req));
      const wrong = await wrongWithFile(ws, row, true);
      if (wrong) {
        ws.events.tell({ kind: 'production', productionId: row.productionId });
        refuse(409, wrong.code, wrong.sentence, wrong.mend);
      }
      const type = mediaTypes[row.plan.container] ?? 'application/octet-stream';
      const disposition = contentDisposition(row.fileName, {
        type: req.query.inline === '1' ? 'inline' : 'attachment',
      });
      await send(res, fromStored(ws.storage, row.path), {
        'Content-Type': type,
        'Content-Disposition': disposition,
        'Cache-Control': 'private, max-age=3600',
      });
    }),
  );

  router.get(
    '/deliverables/:id/report',
    route(async (req, res) => res.json((await find(param(req))).report)),
  );

  return router;
}
