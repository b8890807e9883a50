import { readFile, rm } from 'node:fs/promises';
import { Router } from 'express';
import { eq } from 'drizzle-orm';
import { browserPlays } from '@mivvy/core';
import { newSpecBookSchema } from '@mivvy/api';
import { deliverables, jobs, masters, productions, versions } from '../db/schema.ts';
import { forgetChanges } from '../history.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { logHeading } from '../jobs/export.ts';
import { toJob } from '../jobs/runner.ts';
import { fromStored, logPath, posterPath, proxyPath, removeMasterFiles } from '../storage.ts';
import type { Workspace } from '../workspace.ts';

const mediaTypes: Record<string, string> = { mp4: 'video/mp4', mov: 'video/quicktime', webm: 'video/webm' };

/** Routes of a master's media, of jobs, deliverables, and the spec book. */
export function thingRoutes(ws: Workspace): Router {
  const router = Router();
  const { db, events } = ws;
  const gone = (what: string) => refuse(404, 'not-found', `That ${what} is not here any more.`);

  const master = async (id: string) => (await db.select().from(masters).where(eq(masters.id, id)))[0] ?? gone('master');

  router.get('/masters/:id/media', route(async (req, res) => {
    const row = await master(param(req));
    // A film that browsers play is given as it is, until its proxy is asked for by name.
    const original = row.facts !== null && browserPlays(row.facts) && !(req.query.as === 'proxy' && row.proxy === 'made');
    const path = original ? fromStored(ws.storage, row.path) : proxyPath(ws.storage, row.id);
    const type = original && /webm|matroska/.test(row.facts!.container) ? 'video/webm' : 'video/mp4';
    await send(res, path, { 'Content-Type': type, 'Cache-Control': 'private, max-age=3600' });
  }));
  router.get('/masters/:id/poster', route(async (req, res) => send(res, posterPath(ws.storage, (await master(param(req))).id), { 'Content-Type': 'image/jpeg', 'Cache-Control': 'private, max-age=3600' })));

  router.delete('/masters/:id', route(async (req, res) => {
    const row = await master(param(req));
    const made = await db.select({ id: versions.id }).from(versions).where(eq(versions.masterId, row.id));
    await ws.runner.forget([row.id, ...made.map((v) => v.id)]);
    const files = await db.select({ path: deliverables.path }).from(deliverables).innerJoin(versions, eq(versions.id, deliverables.versionId)).where(eq(versions.masterId, row.id));
    await db.delete(masters).where(eq(masters.id, row.id));
    await forgetChanges(db, [row.id, ...made.map((v) => v.id)]);
    await removeMasterFiles(ws.storage, row.id);
    for (const { path } of files) await rm(fromStored(ws.storage, path), { force: true });
    events.tell({ kind: 'production', productionId: row.productionId });
    events.tell({ kind: 'productions' });
    res.status(204).end();
  }));

  router.post('/jobs/:id/cancel', route(async (req, res) => {
    const row = await ws.runner.cancel(param(req));
    if (!row) refuse(409, 'not-running', 'That job is not running any more.');
    events.tell({ kind: 'production', productionId: row.productionId });
    res.json(toJob(row));
  }));
  router.post('/jobs/:id/retry', route(async (req, res) => {
    const row = await ws.runner.retry(param(req));
    if (!row) refuse(409, 'not-ended', 'That job has not failed, so it cannot be started again.');
    events.tell({ kind: 'production', productionId: row.productionId });
    res.json(toJob(row));
  }));
  router.get('/jobs/:id/log', route(async (req, res) => {
    const [row] = await db.select().from(jobs).where(eq(jobs.id, param(req)));
    if (!row) gone('job');
    const log = await readFile(logPath(ws.storage, row!.id), 'utf8').catch(() => 'The tools have said nothing yet.\n');
    // The data folder's place on this machine is nobody's business.
    res.type('text/plain').send(logHeading(row!.problem) + log.replaceAll(ws.storage.root, '…'));
  }));

  const deliverable = async (id: string) => (await db.select().from(deliverables).where(eq(deliverables.id, id)))[0] ?? gone('file');
  router.get('/deliverables/:id/file', route(async (req, res) => {
    const row = await deliverable(param(req));
    const type = mediaTypes[row.plan.container] ?? 'application/octet-stream';
    const disposition = req.query.inline === '1' ? 'inline' : `attachment; filename="${row.fileName}"`;
    await send(res, fromStored(ws.storage, row.path), { 'Content-Type': type, 'Content-Disposition': disposition, 'Cache-Control': 'private, max-age=3600' });
  }));
  router.get('/deliverables/:id/report', route(async (req, res) => res.json((await deliverable(param(req))).report)));

  const book = () => ({ outlets: ws.specs.outlets, refused: ws.specs.refused });
  router.get('/spec-book', route(async (_req, res) => res.json(book())));
  router.post('/spec-book/files', route(async (req, res) => {
    const { fileName, text } = bodyOf(newSpecBookSchema, req);
    const added = await ws.specs.add(fileName, text);
    if (!added.ok) refuse(422, added.problem.code, added.problem.sentence, added.problem.mend);
    events.tell({ kind: 'spec-book' });
    for (const { id } of await db.select({ id: productions.id }).from(productions)) events.tell({ kind: 'production', productionId: id });
    res.json(book());
  }));

  return router;
}
