import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Router } from 'express';
import { and, desc, eq, inArray } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { refusal } from '@mivvy/core';
import { newExportsSchema, newProductionSchema, newVersionsSchema, productionChangeSchema, registerMasterSchema } from '@mivvy/api';
import { cuts, deliverables, jobs, masters, productions, versions } from '../db/schema.ts';
import { addVersions } from '../add-versions.ts';
import { forgetChanges } from '../history.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { toJob } from '../jobs/runner.ts';
import { takeMaster } from '../masters.ts';
import { fromStored, listInbox, removeMasterFiles, toStored } from '../storage.ts';
import { planOf, productionCards, productionDetail, toDeliverable, toProduction } from '../views.ts';
import { now, type Workspace } from '../workspace.ts';

export function productionRoutes(ws: Workspace): Router {
  const router = Router();
  const { db, events } = ws;
  const changed = async (productionId: string) => {
    await db.update(productions).set({ updatedAt: now() }).where(eq(productions.id, productionId));
    events.tell({ kind: 'production', productionId });
    events.tell({ kind: 'productions' });
  };
  const existing = async (id: string) => {
    const [row] = await db.select().from(productions).where(eq(productions.id, id));
    return row ?? refuse(404, 'not-found', 'That production is not here any more.', 'Go back to all productions.');
  };

  router.get('/productions', route(async (_req, res) => res.json(await productionCards(ws))));

  router.post('/productions', route(async (req, res) => {
    const { name, client } = bodyOf(newProductionSchema, req);
    const [row] = await db.insert(productions).values({ id: nanoid(10), name, client, createdAt: now(), updatedAt: now() }).returning();
    events.tell({ kind: 'productions' });
    res.json(toProduction(row!));
  }));

  router.get('/productions/:id', route(async (req, res) => {
    const detail = await productionDetail(ws, param(req));
    res.json(detail ?? refuse(404, 'not-found', 'That production is not here any more.', 'Go back to all productions.'));
  }));

  router.patch('/productions/:id', route(async (req, res) => {
    const { id } = await existing(param(req));
    const change = bodyOf(productionChangeSchema, req);
    const [row] = await db.update(productions).set({ ...change, updatedAt: now() }).where(eq(productions.id, id)).returning();
    await changed(id);
    res.json(toProduction(row!));
  }));

  router.delete('/productions/:id', route(async (req, res) => {
    const { id } = await existing(param(req));
    const films = await db.select({ id: masters.id }).from(masters).where(eq(masters.productionId, id));
    const made = await db.select({ id: versions.id }).from(versions).where(eq(versions.productionId, id));
    await ws.runner.forget([...films, ...made].map((r) => r.id));
    await db.delete(productions).where(eq(productions.id, id));
    await forgetChanges(db, [...films, ...made].map((r) => r.id));
    for (const film of films) await removeMasterFiles(ws.storage, film.id);
    await rm(join(ws.storage.exports, id), { recursive: true, force: true });
    events.tell({ kind: 'productions' });
    res.status(204).end();
  }));

  router.get('/inbox', route(async (_req, res) => {
    const all = await listInbox(ws.storage);
    res.json(all.map(({ path, name, bytes, changedAt }) => ({ path: toStored(ws.storage, path), name, bytes, changedAt })));
  }));

  router.post('/productions/:id/masters', route(async (req, res) => {
    const { id } = await existing(param(req));
    const { inboxFile, replaces } = bodyOf(registerMasterSchema, req);
    // Only what the inbox lists can be registered: a path that leads elsewhere is not in the list.
    const wanted = fromStored(ws.storage, inboxFile);
    const entry = (await listInbox(ws.storage)).find((f) => f.path === wanted);
    if (!entry) refuse(404, 'not-in-inbox', 'That film is not in the inbox.', 'Look at the inbox again; it may have been moved.');
    res.json(await takeMaster(ws, { productionId: id, fileName: entry.name, origin: 'inbox', path: entry.path, replaces }));
  }));

  router.post('/productions/:id/versions', route(async (req, res) => {
    const { id } = await existing(param(req));
    const { masterId, placementIds } = bodyOf(newVersionsSchema, req);
    const [master] = await db.select().from(masters).where(and(eq(masters.id, masterId), eq(masters.productionId, id)));
    if (!master) refuse(404, 'not-found', 'That master is not in this production any more.');
    for (const placementId of placementIds) {
      if (!ws.specs.find(placementId)) refuse(404, 'no-placement', `The spec book has no placement “${placementId}”.`, 'Look at the spec book again.');
    }
    await addVersions(db, master, placementIds);
    await changed(id);
    const detail = await productionDetail(ws, id);
    res.json(detail!.versions.filter((v) => v.masterId === masterId && placementIds.includes(v.placementId)));
  }));

  router.post('/productions/:id/exports', route(async (req, res) => {
    const { id } = await existing(param(req));
    const { versionIds } = bodyOf(newExportsSchema, req);
    const rows = await db.select().from(versions).innerJoin(masters, eq(masters.id, versions.masterId)).leftJoin(cuts, eq(cuts.id, versions.cutId)).where(and(eq(versions.productionId, id), inArray(versions.id, versionIds)));
    const waiting = await db.select().from(jobs).where(and(eq(jobs.productionId, id), eq(jobs.kind, 'export'), inArray(jobs.state, ['queued', 'running'])));
    const queued = [];
    for (const { versions: version, masters: master, cuts: cut } of rows) {
      const place = ws.specs.find(version.placementId);
      const plan = planOf(ws, version, master, cut ?? undefined);
      const played = cut && { kept: cut.kept, pace: cut.pace, joinMs: cut.joinMs };
      const label = place ? `${place.outlet.name}, ${place.placement.name}` : version.placementId;
      if (!place) refuse(409, 'no-placement', `${label}: the spec book no longer holds this placement.`, 'Add its spec book file again.');
      if (!plan) refuse(409, 'master-failed', `“${master.name}” cannot be used.`, master.problem?.sentence ?? '');
      const fault = refusal(plan.troubles);
      if (fault) refuse(409, 'refused', `${label}: ${fault.sentence}`, fault.mend);
      // Asking twice for the same thing makes it once; asking again after a change replaces what still waits.
      const already = waiting.find((j) => j.subjectId === version.id);
      if (already && JSON.stringify([already.framing, already.cut]) === JSON.stringify([version.framing, played])) {
        queued.push(already);
        continue;
      }
      if (already) await ws.runner.cancel(already.id);
      queued.push(await ws.runner.enqueue({ kind: 'export', productionId: id, subjectId: version.id, label, framing: version.framing, cut: played }));
    }
    await changed(id);
    res.json(queued.map(toJob));
  }));

  router.get('/productions/:id/jobs', route(async (req, res) => {
    const { id } = await existing(param(req));
    const rows = await db.select().from(jobs).where(eq(jobs.productionId, id)).orderBy(desc(jobs.createdAt), desc(jobs.id)).limit(200);
    res.json(rows.map(toJob));
  }));

  router.get('/productions/:id/deliverables', route(async (req, res) => {
    const { id } = await existing(param(req));
    const rows = await db.select().from(deliverables).where(eq(deliverables.productionId, id)).orderBy(desc(deliverables.madeAt)).limit(500);
    res.json(rows.map(toDeliverable));
  }));

  return router;
}
