import { join } from 'node:path';
import { Router } from 'express';
import { and, desc, eq, inArray } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { refusal } from '@mivvy/core';
import {
  newExportsSchema,
  newProductionSchema,
  newVersionsSchema,
  productionChangeSchema,
  registerMasterSchema,
} from '@mivvy/api';
import { cuts, deliverables, jobs, masters, productions, versions } from '../db/schema.ts';
import { addVersions } from '../add-versions.ts';
import { wrongWithFile } from '../files/deliverable-file.ts';
import { doom, sweepDoomed } from '../files/doomed.ts';
import { sweepUploads } from '../files/put-right.ts';
import { forgetChanges } from '../history.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { toJob, type JobRow } from '../jobs/runner.ts';
import { takeFromInbox } from '../masters.ts';
import { fromStored, listInbox, logPath, masterFiles, toStored } from '../storage.ts';
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
    return (
      row ?? refuse(404, 'not-found', 'That production is not here any more.', 'Go back to all productions.')
    );
  };

  router.get(
    '/productions',
    route(async (_req, res) => res.json(await productionCards(ws))),
  );

  router.post(
    '/productions',
    route(async (req, res) => {
      const { name, client } = bodyOf(newProductionSchema, req);
      const [row] = await db
        .insert(productions)
        .values({ id: nanoid(10), name, client, createdAt: now(), updatedAt: now() })
        .returning();
      events.tell({ kind: 'productions' });
      res.json(toProduction(row!));
    }),
  );

  router.get(
    '/productions/:id',
    route(async (req, res) => {
      const detail = await productionDetail(ws, param(req));
      res.json(
        detail ??
          refuse(404, 'not-found', 'That production is not here any more.', 'Go back to all productions.'),
      );
    }),
  );

  router.patch(
    '/productions/:id',
    route(async (req, res) => {
      const { id } = await existing(param(req));
      const change = bodyOf(productionChangeSchema, req);
      const [row] = await db
        .update(productions)
        .set({ ...change, updatedAt: now() })
        .where(eq(productions.id, id))
        .returning();
      await changed(id);
      res.json(toProduction(row!));
    }),
  );

  router.delete(
    '/productions/:id',
    route(async (req, res) => {
      const { id } = await existing(param(req));
      const films = await db.select({ id: masters.id }).from(masters).where(eq(masters.productionId, id));
      const made = await db.select({ id: versions.id }).from(versions).where(eq(versions.productionId, id));
      await ws.runner.forget([...films, ...made].map((r) => r.id));
      const goes = await db.transaction(async (tx) => {
        const ids = async (table: typeof masters | typeof versions | typeof cuts) =>
          (await tx.select({ id: table.id }).from(table).where(eq(table.productionId, id))).map(
            (row) => row.id,
          );
        const masterIds = await ids(masters);
        const gone = await tx.select({ id: jobs.id }).from(jobs).where(eq(jobs.productionId, id));
        const paths = [
          ...masterIds.flatMap((film) => masterFiles(ws.storage, film)),
          join(ws.storage.exports, id),
          ...gone.map((job) => logPath(ws.storage, job.id)),
        ];
        await doom(tx, ws, paths);
        await forgetChanges(tx, [...masterIds, ...(await ids(versions)), ...(await ids(cuts))]);
        await tx.delete(productions).where(eq(productions.id, id));
        return paths;
      });
      await sweepDoomed(ws, goes);
      await sweepUploads(ws);
      events.tell({ kind: 'productions' });
      res.status(204).end();
    }),
  );

  router.get(
    '/inbox',
    route(async (_req, res) => {
      const all = await listInbox(ws.storage);
      res.json(
        all.map(({ path, name, bytes, changedAt }) => ({
          path: toStored(ws.storage, path),
          name,
          bytes,
          changedAt,
        })),
      );
    }),
  );

  router.post(
    '/productions/:id/masters',
    route(async (req, res) => {
      const { id } = await existing(param(req));
      const { inboxFile, replaces } = bodyOf(registerMasterSchema, req);
      // Only what the inbox lists can be registered: a path that leads elsewhere is not in the list.
      const wanted = fromStored(ws.storage, inboxFile);
      const entry = (await listInbox(ws.storage)).find((f) => f.path === wanted);
      if (!entry)
        refuse(
          404,
          'not-in-inbox',
          'That film is not in the inbox.',
          'Look at the inbox again; it may have been moved.',
        );
      res.json(
        await takeFromInbox(ws, { productionId: id, fileName: entry.name, path: entry.path }, replaces),
      );
    }),
  );

  router.post(
    '/productions/:id/versions',
    route(async (req, res) => {
      const { id } = await existing(param(req));
      const { masterId, placementIds } = bodyOf(newVersionsSchema, req);
      const [master] = await db
        .select()
        .from(masters)
        .where(and(eq(masters.id, masterId), eq(masters.productionId, id)));
      if (!master) refuse(404, 'not-found', 'That master is not in this production any more.');
      for (const placementId of placementIds) {
        if (!ws.specs.find(placementId))
          refuse(
            404,
            'no-placement',
            `The spec book has no placement “${placementId}”.`,
            'Look at the spec book again.',
          );
      }
      await db.transaction((tx) => addVersions(tx, master, placementIds));
      await changed(id);
      const detail = await productionDetail(ws, id);
      res.json(
        detail!.versions.filter((v) => v.masterId === masterId && placementIds.includes(v.placementId)),
      );
    }),
  );

  router.post(
    '/productions/:id/exports',
    route(async (req, res) => {
      const { id } = await existing(param(req));
      const { versionIds } = bodyOf(newExportsSchema, req);
      const rows = await db
        .select()
        .from(versions)
        .innerJoin(masters, eq(masters.id, versions.masterId))
        .leftJoin(cuts, eq(cuts.id, versions.cutId))
        .where(and(eq(versions.productionId, id), inArray(versions.id, versionIds)));
      // All are looked at before any is queued: one that cannot be made leaves the queue as it was.
      const wanted = rows.map(({ versions: version, masters: master, cuts: cut }) => {
        const place = ws.specs.find(version.placementId);
        const plan = planOf(ws, version, master, cut ?? undefined);
        const played = cut && { kept: cut.kept, pace: cut.pace, joinMs: cut.joinMs };
        const label = place ? `${place.outlet.name}, ${place.placement.name}` : version.placementId;
        if (!place)
          refuse(
            409,
            'no-placement',
            `${label}: the spec book no longer holds this placement.`,
            'Add its spec book file again.',
          );
        if (!plan)
          refuse(409, 'master-failed', `“${master.name}” cannot be used.`, master.problem?.sentence ?? '');
        const fault = refusal(plan.troubles);
        if (fault) refuse(409, 'refused', `${label}: ${fault.sentence}`, fault.mend);
        return {
          kind: 'export' as const,
          productionId: id,
          subjectId: version.id,
          label,
          framing: version.framing,
          cut: played,
        };
      });
      const { queued, changedJobs } = await db.transaction(async (tx) => {
        const waiting = await tx
          .select()
          .from(jobs)
          .where(
            and(
              eq(jobs.productionId, id),
              eq(jobs.kind, 'export'),
              inArray(jobs.state, ['queued', 'running']),
            ),
          );
        const queued: JobRow[] = [];
        const changedJobs: JobRow[] = [];
        for (const job of wanted) {
          // Asking twice for the same thing makes it once; asking again after a change replaces what still waits.
          const already = waiting.find((j) => j.subjectId === job.subjectId);
          if (
            already &&
            JSON.stringify([already.framing, already.cut]) === JSON.stringify([job.framing, job.cut])
          ) {
            queued.push(already);
            continue;
          }
          const stopped = already && (await ws.runner.cancelIn(tx, already.id));
          const row = await ws.runner.add(tx, job);
          queued.push(row);
          changedJobs.push(...(stopped ? [stopped] : []), row);
        }
        return { queued, changedJobs };
      });
      ws.runner.announce(changedJobs);
      await changed(id);
      res.json(queued.map(toJob));
    }),
  );

  router.get(
    '/productions/:id/jobs',
    route(async (req, res) => {
      const { id } = await existing(param(req));
      const rows = await db
        .select()
        .from(jobs)
        .where(eq(jobs.productionId, id))
        .orderBy(desc(jobs.createdAt), desc(jobs.id))
        .limit(200);
      res.json(rows.map(toJob));
    }),
  );

  router.get(
    '/productions/:id/deliverables',
    route(async (req, res) => {
      const { id } = await existing(param(req));
      const rows = await db
        .select()
        .from(deliverables)
        .where(eq(deliverables.productionId, id))
        .orderBy(desc(deliverables.madeAt))
        .limit(500);
      res.json(
        await Promise.all(rows.map(async (row) => toDeliverable(row, await wrongWithFile(ws, row, false)))),
      );
    }),
  );

  return router;
}
