import { Router, type Request, type Response } from 'express';
import { eq, inArray } from 'drizzle-orm';
import { browserPlays } from '@mivvy/core';
import { cuts, deliverables, jobs, masters, versions } from '../db/schema.ts';
import { doom, sweepDoomed } from '../files/doomed.ts';
import { openMaster } from '../files/master-file.ts';
import { forgetChanges } from '../history.ts';
import { param, refuse, route, windowOf } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { renewMaster } from '../masters.ts';
import { filesOfExport, fromStored, logPath, masterFiles, proxyPath } from '../storage.ts';
import { tellProduction } from '../tell.ts';
import { masterView } from '../views/masters.ts';
import type { Workspace } from '../workspace.ts';
import { findMaster } from './find.ts';

/** Routes of a master's file: what browsers play of it, reading it again, taking a changed one in its place, removing it. */
export function mediaRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/masters/:id/media',
    route((req, res) => sendFilm(ws, req, res)),
  );
  router.post(
    '/masters/:id/read',
    route((req, res) => readAgain(ws, req, res)),
  );
  router.post(
    '/masters/:id/renew',
    route(async (req, res) => {
      const row = await findMaster(ws.db, param(req));
      res.json(await renewMaster(ws, row));
    }),
  );
  router.delete(
    '/masters/:id',
    route((req, res) => removeMaster(ws, req, res)),
  );
  return router;
}

async function sendFilm(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findMaster(ws.db, param(req));
  // A film that browsers play is given as it is, until its proxy is asked for by name.
  const original =
    row.facts !== null && browserPlays(row.facts) && !(req.query.as === 'proxy' && row.proxy === 'made');
  if (!original && row.proxy !== 'made')
    refuse(404, 'no-proxy', 'There is no proxy of this film yet.', 'It is being made.');
  const film = original ? await openMaster(ws, row, { wait: false }) : null;
  if (film && !film.ok) refuse(409, film.problem.code, film.problem.sentence, film.problem.mend);
  const path = film?.ok ? film.value : proxyPath(ws.storage, row.id);
  const type = original && /webm|matroska/.test(row.facts!.container) ? 'video/webm' : 'video/mp4';
  await send(res, path, { 'Content-Type': type, 'Cache-Control': 'private, max-age=3600' });
}

async function readAgain(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findMaster(ws.db, param(req));
  if (!row.facts)
    refuse(409, 'master-failed', 'This file cannot be read as a film.', row.problem?.sentence ?? '');
  const job = await ws.db.transaction(async (tx) => {
    const about = await tx.select().from(jobs).where(eq(jobs.subjectId, row.id));
    if (about.some((j) => j.kind === 'ingest' && (j.state === 'queued' || j.state === 'running')))
      return undefined;
    await tx.update(masters).set({ state: 'ready', problem: null }).where(eq(masters.id, row.id));
    return ws.runner.add(tx, {
      kind: 'ingest',
      productionId: row.productionId,
      subjectId: row.id,
      label: row.name,
    });
  });
  if (job) ws.runner.announce([job]);
  await tellProduction(ws, row.productionId, windowOf(req));
  res.json(await masterView(ws, row.id));
}

async function removeMaster(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findMaster(ws.db, param(req));
  const made = await ws.db.select({ id: versions.id }).from(versions).where(eq(versions.masterId, row.id));
  await ws.runner.forget([row.id, ...made.map((v) => v.id)]);
  const goes = await ws.db.transaction(async (tx) => {
    const own = await tx.select({ id: versions.id }).from(versions).where(eq(versions.masterId, row.id));
    const ownCuts = await tx.select({ id: cuts.id }).from(cuts).where(eq(cuts.masterId, row.id));
    const versionIds = own.map((v) => v.id);
    const subjects = [row.id, ...versionIds, ...ownCuts.map((c) => c.id)];
    const files = await tx
      .select({ path: deliverables.path })
      .from(deliverables)
      .where(inArray(deliverables.versionId, versionIds));
    const gone = await tx.delete(jobs).where(inArray(jobs.subjectId, subjects)).returning({ id: jobs.id });
    const paths = [
      ...masterFiles(ws.storage, row.id),
      ...files.flatMap((f) => filesOfExport(fromStored(ws.storage, f.path))),
      ...gone.map((j) => logPath(ws.storage, j.id)),
    ];
    await doom(tx, ws, paths);
    await forgetChanges(tx, subjects);
    await tx.delete(masters).where(eq(masters.id, row.id));
    return paths;
  });
  await sweepDoomed(ws, goes);
  await tellProduction(ws, row.productionId, windowOf(req));
  res.status(204).end();
}
