import { Router, type Request, type Response } from 'express';
import { eq, sql } from 'drizzle-orm';
import { coverChoiceSchema, framingChangeSchema, playsCutSchema, sharpenChoiceSchema } from '@mivvy/api';
import { cuts, deliverables, jobs, versions } from '../db/schema.ts';
import { doom, sweepDoomed } from '../files/doomed.ts';
import { forgetChanges } from '../history.ts';
import { bodyOf, param, refuse, route, windowOf, whoOf } from '../http/problems.ts';
import { saveFraming } from '../save-framing.ts';
import { filesOfExport, fromStored, logPath } from '../storage.ts';
import { tellProduction, tellVersion } from '../tell.ts';
import { versionView } from '../views/versions.ts';
import { now, type Workspace } from '../workspace.ts';
import { findVersion, readMaster } from './find.ts';
import { undoRoutes } from './undo-routes.ts';

/** Routes of versions: their framing, with undo; the cut that they play; removing them. */
export function versionRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/versions/:id',
    route(async (req, res) => {
      const { version } = await findVersion(ws.db, param(req));
      res.json(await versionView(ws, version.id));
    }),
  );
  router.patch(
    '/versions/:id',
    route((req, res) => changeFraming(ws, req, res)),
  );
  router.patch(
    '/versions/:id/cut',
    route((req, res) => playCut(ws, req, res)),
  );
  router.patch(
    '/versions/:id/cover',
    route((req, res) => chooseCover(ws, req, res)),
  );
  router.patch(
    '/versions/:id/sharpen',
    route((req, res) => chooseSharpen(ws, req, res)),
  );
  router.delete(
    '/versions/:id',
    route((req, res) => removeVersion(ws, req, res)),
  );
  undoRoutes(router, ws, '/versions/:id', {
    find: async (id) => (await findVersion(ws.db, id)).version,
    restore: async (tx, version, state, by) => {
      if (!('framing' in state || 'placementRevision' in state)) return;
      const at = now();
      const framed = 'framing' in state ? { framedBy: by, framedAt: at } : {};
      await tx
        .update(versions)
        .set({ ...state, ...framed, revision: sql`${versions.revision} + 1`, updatedAt: at })
        .where(eq(versions.id, version.id));
    },
    answer: (req, version) => answerVersion(ws, req, version.id),
  });
  return router;
}

/** Tells of a changed version; the version as it is now. */
export async function answerVersion(ws: Workspace, req: Request, id: string) {
  await tellVersion(ws, id, windowOf(req));
  return versionView(ws, id);
}

async function changeFraming(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { revision, framing } = bodyOf(framingChangeSchema, req);
  const row = await ws.db.transaction((tx) => saveFraming(tx, param(req), revision, framing, whoOf(req)));
  res.json(await answerVersion(ws, req, row.id));
}

async function playCut(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { cutId } = bodyOf(playsCutSchema, req);
  const { version } = await findVersion(ws.db, param(req));
  if (cutId !== null) {
    const [cut] = await ws.db.select().from(cuts).where(eq(cuts.id, cutId));
    if (cut?.masterId !== version.masterId)
      refuse(404, 'not-found', 'That cut is not one of this version’s film.');
  }
  await ws.db.update(versions).set({ cutId, updatedAt: now() }).where(eq(versions.id, version.id));
  res.json(await answerVersion(ws, req, version.id));
}

async function chooseCover(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { frame } = bodyOf(coverChoiceSchema, req);
  const { version, master } = await findVersion(ws.db, param(req));
  if (frame !== null && frame >= readMaster(master).facts.video.frames)
    refuse(422, 'no-frame', 'The film has no such frame.', 'Pick one that it has.');
  await ws.db
    .update(versions)
    .set({ coverFrame: frame, updatedAt: now() })
    .where(eq(versions.id, version.id));
  res.json(await answerVersion(ws, req, version.id));
}

async function chooseSharpen(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { sharpen } = bodyOf(sharpenChoiceSchema, req);
  const { version } = await findVersion(ws.db, param(req));
  await ws.db.update(versions).set({ sharpen, updatedAt: now() }).where(eq(versions.id, version.id));
  res.json(await answerVersion(ws, req, version.id));
}

async function removeVersion(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { version } = await findVersion(ws.db, param(req));
  await ws.runner.forget([version.id]);
  const goes = await ws.db.transaction(async (tx) => {
    const files = await tx
      .select({ path: deliverables.path })
      .from(deliverables)
      .where(eq(deliverables.versionId, version.id));
    const gone = await tx.delete(jobs).where(eq(jobs.subjectId, version.id)).returning({ id: jobs.id });
    const paths = [
      ...files.flatMap((f) => filesOfExport(fromStored(ws.storage, f.path))),
      ...gone.map((job) => logPath(ws.storage, job.id)),
    ];
    await doom(tx, ws, paths);
    await forgetChanges(tx, [version.id]);
    await tx.delete(versions).where(eq(versions.id, version.id));
    return paths;
  });
  await sweepDoomed(ws, goes);
  await tellProduction(ws, version.productionId, windowOf(req));
  res.status(204).end();
}
