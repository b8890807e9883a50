import { createHash } from 'node:crypto';
import { isAbsolute } from 'node:path';
import { Router, type Request, type Response } from 'express';
import { and, desc, eq, inArray } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { newDispatchSchema, type Dispatch } from '@mivvy/api';
import type { Writer } from '../db/database.ts';
import { deliverables, dispatches, jobs, versions } from '../db/schema.ts';
import { besideSums } from '../files/beside.ts';
import { refuseOwnFolder } from './own-folder.ts';
import { bodyOf, param, refuse, route, whoOf, windowOf } from '../http/problems.ts';
import type { JobRow } from '../jobs/runner.ts';
import { settleStandings } from '../plans.ts';
import { tellProduction } from '../tell.ts';
import { now, type Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

type DispatchRow = typeof dispatches.$inferSelect;

/** Routes of files on their way out. A dispatch's job is stopped and started again as any job is. */
export function dispatchRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/productions/:id/dispatches',
    route(async (req, res) => {
      const { id } = await findProduction(ws.db, param(req));
      res.json(await dispatchesOf(ws.db, id));
    }),
  );
  router.post(
    '/productions/:id/dispatches',
    route((req, res) => dispatchFiles(ws, req, res)),
  );
  router.post(
    '/dispatches/:id/again',
    route((req, res) => sendAgain(ws, req, res)),
  );
  return router;
}

/** A production's dispatches, newest first. */
async function dispatchesOf(db: Writer, productionId: string): Promise<Dispatch[]> {
  const rows = await db
    .select({ dispatch: dispatches, fileName: deliverables.fileName })
    .from(dispatches)
    .innerJoin(deliverables, eq(deliverables.id, dispatches.deliverableId))
    .where(eq(dispatches.productionId, productionId))
    .orderBy(desc(dispatches.createdAt), desc(dispatches.id));
  return rows.map(({ dispatch: { key: _key, destination: _to, ...row }, fileName }) => ({
    ...row,
    fileName,
  }));
}

/** The same bytes, with the same captions and cover, to the same slot at the same time: one key, however often it is asked for. */
const keyOf = (parts: readonly (string | null)[]): string =>
  createHash('sha256').update(JSON.stringify(parts)).digest('base64url');

async function dispatchFiles(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id } = await findProduction(ws.db, param(req));
  const wanted = bodyOf(newDispatchSchema, req);
  const folder = wanted.folder?.trim() ?? '';
  if (wanted.connector === 'folder' && !isAbsolute(folder))
    refuse(400, 'bad-folder', 'The folder’s whole path is needed.', 'Write it from its root on.');
  if (wanted.connector === 'folder') refuseOwnFolder(ws, folder);
  await settleStandings(ws);
  const files = await ws.db
    .select({ file: deliverables, version: versions })
    .from(deliverables)
    .innerJoin(versions, eq(versions.id, deliverables.versionId))
    .where(and(eq(deliverables.productionId, id), inArray(deliverables.id, wanted.deliverableIds)));
  const rows = files.map(({ file, version }): typeof dispatches.$inferInsert => {
    const place = ws.specs.of(version);
    if (!place) refuse(409, 'no-placement', `${file.fileName}: the spec book no longer holds its placement.`);
    if (version.standing !== 'passed')
      refuse(
        409,
        'not-to-be-sent',
        `${file.fileName} is not what it should be (${version.standing ?? 'unknown'}).`,
        'Export it again, then send that file.',
      );
    const destination = wanted.connector === 'folder' ? folder : place.outlet.id;
    const publishAt = wanted.publishAt ?? null;
    return {
      id: nanoid(10),
      productionId: id,
      versionId: version.id,
      deliverableId: file.id,
      sha256: file.sha256,
      connector: wanted.connector,
      destination,
      to: wanted.connector === 'folder' ? folder : place.outlet.name,
      state: 'waiting',
      key: keyOf([
        wanted.connector,
        destination,
        version.placementId,
        file.sha256,
        publishAt,
        ...besideSums(file),
      ]),
      publishAt,
      zone: wanted.zone ?? null,
      by: whoOf(req),
      createdAt: now(),
      updatedAt: now(),
    };
  });
  const queued = await ws.db.transaction(async (tx) => {
    const started: JobRow[] = [];
    for (const row of rows) {
      // One that is under way, or has arrived, is not sent again.
      const [added] = await tx.insert(dispatches).values(row).onConflictDoNothing().returning();
      if (added) started.push(await queue(ws, tx, added));
      else started.push(...(await restart(ws, tx, row.key)));
    }
    return started;
  });
  ws.runner.announce(queued);
  await tellProduction(ws, id, windowOf(req));
  res.json(await dispatchesOf(ws.db, id));
}

const queue = (ws: Workspace, tx: Writer, row: DispatchRow): Promise<JobRow> =>
  ws.runner.add(tx, { kind: 'dispatch', productionId: row.productionId, subjectId: row.id, label: row.to });

/** Puts a dispatch that has come to nothing back on its way. */
async function restart(ws: Workspace, tx: Writer, key: string): Promise<JobRow[]> {
  const [row] = await tx
    .update(dispatches)
    .set({ state: 'waiting', problem: null, attempts: 0, updatedAt: now() })
    .where(
      and(
        eq(dispatches.key, key),
        inArray(dispatches.state, ['refused', 'failed', 'cancelled', 'taken-down']),
      ),
    )
    .returning();
  if (!row) return [];
  await tx.delete(jobs).where(and(eq(jobs.subjectId, row.id), eq(jobs.kind, 'dispatch')));
  return [await queue(ws, tx, row)];
}

async function sendAgain(ws: Workspace, req: Request, res: Response): Promise<void> {
  const [row] = await ws.db
    .select()
    .from(dispatches)
    .where(eq(dispatches.id, param(req)));
  if (!row) refuse(404, 'not-found', 'That dispatch is not here any more.');
  const queued = await ws.db.transaction((tx) => restart(ws, tx, row.key));
  ws.runner.announce(queued);
  await tellProduction(ws, row.productionId, windowOf(req));
  res.json(await dispatchesOf(ws.db, row.productionId));
}
