import { Router, type Request, type Response } from 'express';
import { eq } from 'drizzle-orm';
import { frameForMaster, guideSvg, guideTable, windowAt, type Guide } from '@mivvy/core';
import { guidePng } from '@mivvy/media';
import { versions } from '../db/schema.ts';
import { param, refuse, route } from '../http/problems.ts';
import type { Workspace } from '../workspace.ts';
import { findReadMaster, type ReadMasterRow } from './find.ts';

/** The route of guides: windows drawn at the master's size, for whoever shoots or edits. */
export function guideRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/masters/:id/guides/:file',
    route((req, res) => sendGuides(ws, req, res)),
  );
  return router;
}

/** The windows of a master's versions at a frame; of all of them, or of those that are wanted. */
async function guidesAt(
  ws: Workspace,
  row: ReadMasterRow,
  frame: number,
  wanted: readonly string[] | null,
): Promise<Guide[]> {
  const { displayed } = row.facts.video;
  const made = await ws.db
    .select()
    .from(versions)
    .where(eq(versions.masterId, row.id))
    .orderBy(versions.createdAt, versions.tag);
  return made.flatMap((version): Guide[] => {
    const place = ws.specs.of(version);
    if (!place || (wanted && !wanted.includes(version.id))) return [];
    const size = frameForMaster(displayed, place.placement.frame, place.placement.largerFrame);
    return [
      {
        tag: version.tag,
        name: `${place.outlet.name} ${place.placement.name}`,
        window: windowAt(version.framing, frame, displayed, size),
      },
    ];
  });
}

async function sendGuides(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findReadMaster(ws.db, param(req));
  const wanted = typeof req.query.versions === 'string' ? req.query.versions.split(',') : null;
  const { displayed, frames } = row.facts.video;
  const frame = Math.max(0, Math.min(frames - 1, Math.round(Number(req.query.frame ?? 0)) || 0));
  const guides = await guidesAt(ws, row, frame, wanted);
  const file = param(req, 'file');
  const disposition = { 'Content-Disposition': `attachment; filename="${file}"` };
  switch (file) {
    case 'guides.svg':
      return void res.set(disposition).type('image/svg+xml').send(guideSvg(guides, displayed));
    case 'guides.png':
      return void res
        .set(disposition)
        .type('image/png')
        .send(await guidePng(guides, displayed));
    case 'guides.tsv':
      return void res.set(disposition).type('text/tab-separated-values').send(guideTable(guides, displayed));
    default:
      refuse(404, 'not-found', 'Guides come as guides.svg, guides.png or guides.tsv.');
  }
}
