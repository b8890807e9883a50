import { join } from 'node:path';
import { Router, type Request, type Response } from 'express';
import { and, eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { addDays, differenceInCalendarDays, format, parseISO } from 'date-fns';
import {
  copyProductionSchema,
  newProductionSchema,
  newVersionsSchema,
  productionChangeSchema,
} from '@mivvy/api';
import { addVersions } from '../add-versions.ts';
import { cuts, jobs, masters, productions, versions } from '../db/schema.ts';
import { doom, sweepDoomed } from '../files/doomed.ts';
import { sweepUploads } from '../files/put-right.ts';
import { frameOnArrival } from '../follow-version.ts';
import { forgetChanges } from '../history.ts';
import { bodyOf, param, refuse, route, windowOf } from '../http/problems.ts';
import { logPath, masterFiles } from '../storage.ts';
import { rememberPlaces } from '../place-sets.ts';
import { refuseVersions } from '../textless.ts';
import { tellProduction } from '../tell.ts';
import { wantClearedCopies } from '../room.ts';
import { productionAnswer, productionCards, toProduction } from '../views/productions.ts';
import { versionsOf } from '../views/versions.ts';
import { now, type Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Routes of productions and of adding versions to them. */
export function productionRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/productions',
    route(async (_req, res) => res.json(await productionCards(ws))),
  );
  router.post(
    '/productions',
    route((req, res) => startProduction(ws, req, res)),
  );
  router.get(
    '/productions/:id',
    route((req, res) => sendProduction(ws, req, res)),
  );
  router.patch(
    '/productions/:id',
    route((req, res) => changeProduction(ws, req, res)),
  );
  router.post(
    '/productions/:id/copy',
    route((req, res) => copyProduction(ws, req, res)),
  );
  router.delete(
    '/productions/:id',
    route((req, res) => removeProduction(ws, req, res)),
  );
  router.post(
    '/productions/:id/versions',
    route((req, res) => makeVersions(ws, req, res)),
  );
  return router;
}

async function startProduction(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { name, client } = bodyOf(newProductionSchema, req);
  const [row] = await ws.db
    .insert(productions)
    .values({ id: nanoid(10), name, client, createdAt: now(), updatedAt: now() })
    .returning();
  ws.events.tell({ kind: 'productions' });
  res.json(toProduction(row!));
}

/** `day` moved by as many days as lie between two others. */
const movedDay = (day: string | null, from: string | null, to: string | null): string | null =>
  day === null || from === null || to === null
    ? null
    : format(addDays(parseISO(day), differenceInCalendarDays(parseISO(to), parseISO(from))), 'yyyy-MM-dd');

/**
 * Starts a production like another: its client, margin and naming, and what its versions were given (who has them,
 * and days of their own by their distance to the delivery). Its placements are offered for the first film.
 */
async function copyProduction(ws: Workspace, req: Request, res: Response): Promise<void> {
  const old = await findProduction(ws.db, param(req));
  const { name, dueOn } = bodyOf(copyProductionSchema, req);
  const row = await ws.db.transaction(async (tx) => {
    const made = await tx
      .select()
      .from(versions)
      .where(eq(versions.productionId, old.id))
      .orderBy(versions.createdAt, versions.tag);
    const placementIds = [...new Set(made.map((version) => version.placementId))];
    const expects = placementIds.map((placementId) => {
      const of = made.find((version) => version.placementId === placementId)!;
      return { placementId, holder: of.holder, dueOn: movedDay(of.dueOn, old.dueOn, dueOn) };
    });
    if (placementIds.length > 0) await rememberPlaces(tx, placementIds);
    const { client, margin, naming } = old;
    const [added] = await tx
      .insert(productions)
      .values({
        id: nanoid(10),
        name,
        client,
        margin,
        naming,
        dueOn,
        expects,
        createdAt: now(),
        updatedAt: now(),
      })
      .returning();
    return added!;
  });
  ws.events.tell({ kind: 'productions' });
  ws.events.tell({ kind: 'workspace' });
  res.json(toProduction(row));
}

async function sendProduction(ws: Workspace, req: Request, res: Response): Promise<void> {
  await wantClearedCopies(ws, param(req));
  const json = await productionAnswer(ws, param(req));
  if (json === undefined)
    refuse(404, 'not-found', 'That production is not here any more.', 'Go back to all productions.');
  // Ended, not sent: sending reads it through once more for a tag that nobody asks for.
  res.type('application/json').end(json);
}

async function changeProduction(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id } = await findProduction(ws.db, param(req));
  const change = bodyOf(productionChangeSchema, req);
  const [row] = await ws.db
    .update(productions)
    .set({ ...change, updatedAt: now() })
    .where(eq(productions.id, id))
    .returning();
  await tellProduction(ws, id, windowOf(req));
  res.json(toProduction(row!));
}

async function removeProduction(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id } = await findProduction(ws.db, param(req));
  const films = await ws.db.select({ id: masters.id }).from(masters).where(eq(masters.productionId, id));
  const made = await ws.db.select({ id: versions.id }).from(versions).where(eq(versions.productionId, id));
  await ws.runner.forget([...films, ...made].map((r) => r.id));
  const goes = await ws.db.transaction(async (tx) => {
    const ids = async (table: typeof masters | typeof versions | typeof cuts) => {
      const rows = await tx.select({ id: table.id }).from(table).where(eq(table.productionId, id));
      return rows.map((row) => row.id);
    };
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
  ws.events.tell({ kind: 'productions' });
  res.status(204).end();
}

async function makeVersions(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id } = await findProduction(ws.db, param(req));
  const { masterId, placementIds } = bodyOf(newVersionsSchema, req);
  const [master] = await ws.db
    .select()
    .from(masters)
    .where(and(eq(masters.id, masterId), eq(masters.productionId, id)));
  if (!master) refuse(404, 'not-found', 'That master is not in this production any more.');
  if (master.textlessOf) refuseVersions(master);
  for (const placementId of placementIds) {
    if (!ws.specs.find(placementId))
      refuse(
        404,
        'no-placement',
        `The spec book has no placement “${placementId}”.`,
        'Look at the spec book again.',
      );
  }
  await ws.db.transaction(async (tx) => {
    await addVersions(tx, master, placementIds, ws.specs);
    await rememberPlaces(tx, placementIds);
  });
  await frameOnArrival(ws, masterId);
  await tellProduction(ws, id, windowOf(req));
  const all = await versionsOf(ws, id);
  res.json(all.filter((v) => v.masterId === masterId && placementIds.includes(v.placementId)));
}
