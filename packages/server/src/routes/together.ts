import { Router, type Request, type Response } from 'express';
import { and, eq, inArray, sql } from 'drizzle-orm';
import { acceptManySchema, framingsChangeSchema, takeBackSchema } from '@mivvy/api';
import { versions } from '../db/schema.ts';
import { recall } from '../history.ts';
import { bodyOf, param, refuse, route, windowOf, whoOf } from '../http/problems.ts';
import { saveFraming } from '../save-framing.ts';
import { tellProduction } from '../tell.ts';
import { versionsOf } from '../views/versions.ts';
import { now, type Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Routes that do one thing to several versions of a production: all of it, or nothing. */
export function togetherRoutes(ws: Workspace): Router {
  const router = Router();
  router.post(
    '/productions/:id/framings',
    route((req, res) => saveTogether(ws, req, res)),
  );
  router.post(
    '/productions/:id/framings/undo',
    route((req, res) => takeBackTogether(ws, req, res)),
  );
  router.post(
    '/productions/:id/acceptances',
    route((req, res) => acceptTogether(ws, req, res)),
  );
  return router;
}

type VersionRow = typeof versions.$inferSelect;

/** The versions that a request names, of the production that it names; refused where one has gone. */
async function named(ws: Workspace, req: Request, ids: readonly string[]): Promise<VersionRow[]> {
  const { id } = await findProduction(ws.db, param(req));
  const wanted = [...new Set(ids)];
  const rows = await ws.db
    .select()
    .from(versions)
    .where(and(eq(versions.productionId, id), inArray(versions.id, wanted)));
  if (rows.length < wanted.length)
    refuse(404, 'not-found', 'One of those versions is not here any more.', 'Look at the sheet again.');
  return rows;
}

/** Tells of the changed versions and answers with them. */
async function answer(ws: Workspace, req: Request, res: Response, ids: readonly string[]): Promise<void> {
  const productionId = param(req);
  await tellProduction(ws, productionId, windowOf(req));
  res.json((await versionsOf(ws, productionId)).filter((v) => ids.includes(v.id)));
}

async function saveTogether(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { framings } = bodyOf(framingsChangeSchema, req);
  const ids = framings.map((f) => f.versionId);
  await named(ws, req, ids);
  await ws.db.transaction(async (tx) => {
    for (const { versionId, revision, framing } of framings)
      await saveFraming(tx, versionId, revision, framing, whoOf(req));
  });
  await answer(ws, req, res, ids);
}

async function takeBackTogether(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { versionIds } = bodyOf(takeBackSchema, req);
  await named(ws, req, versionIds);
  await ws.db.transaction(async (tx) => {
    for (const id of new Set(versionIds)) {
      const found = await recall(tx, id, 'undo');
      if (!found || !('framing' in found.state)) continue;
      await tx
        .update(versions)
        .set({ framing: found.state.framing, revision: sql`${versions.revision} + 1`, updatedAt: now() })
        .where(eq(versions.id, id));
      await found.done();
    }
  });
  await answer(ws, req, res, versionIds);
}

async function acceptTogether(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { reason, troubles } = bodyOf(acceptManySchema, req);
  const ids = troubles.map((t) => t.versionId);
  await named(ws, req, ids);
  const acceptedAt = now();
  await ws.db.transaction(async (tx) => {
    for (const { versionId, mark } of troubles) {
      // Read inside: two windows that accept at once both count.
      const [row] = await tx
        .select({ accepted: versions.accepted })
        .from(versions)
        .where(eq(versions.id, versionId));
      const others = (row?.accepted ?? []).filter((a) => a.mark !== mark);
      await tx
        .update(versions)
        .set({ accepted: [...others, { mark, reason, acceptedAt }] })
        .where(eq(versions.id, versionId));
    }
  });
  await answer(ws, req, res, ids);
}
