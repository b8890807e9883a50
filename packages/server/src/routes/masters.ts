import { Router, type Request, type Response } from 'express';
import { and, eq } from 'drizzle-orm';
import { groupSetups, keepsWithin, moveChange, oneShot, type Keep, type Shot } from '@mivvy/core';
import { masterWorkSchema } from '@mivvy/api';
import { readThumbnails } from '../analysis.ts';
import type { MovedBoundary } from '../db/codecs.ts';
import type { Writer } from '../db/database.ts';
import { masters, versions } from '../db/schema.ts';
import { remember } from '../history.ts';
import { bodyOf, param, refuse, route, windowOf } from '../http/problems.ts';
import { tellMaster, tellProduction } from '../tell.ts';
import { masterView } from '../views/masters.ts';
import { now, type Workspace } from '../workspace.ts';
import { findMaster, findReadMaster } from './find.ts';
import { undoRoutes } from './undo-routes.ts';

type MasterRow = typeof masters.$inferSelect;

/** Routes of a master's shots and keeps, and of what does not matter in it, with undo. */
export function masterRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/masters/:id',
    route(async (req, res) => {
      const { id } = await findMaster(ws.db, param(req));
      res.json(await masterView(ws, id));
    }),
  );
  router.patch(
    '/masters/:id/work',
    route((req, res) => changeWork(ws, req, res)),
  );
  router.post(
    '/masters/:id/setups',
    route((req, res) => groupAnew(ws, req, res)),
  );
  undoRoutes(router, ws, '/masters/:id', {
    find: (id) => findMaster(ws.db, id),
    restore: async (tx, row, state) => {
      if (!('shots' in state)) return;
      const { shots, keeps, movedCut } = state;
      await tx
        .update(masters)
        .set({
          shots,
          keeps,
          ...(state.unimportant ? { unimportant: state.unimportant } : {}),
          revision: row.revision + 1,
        })
        .where(eq(masters.id, row.id));
      if (movedCut) await moveChanges(tx, row.id, movedCut);
    },
    answer: (req, row, state) => answerMaster(ws, req, row, state !== undefined),
  });
  return router;
}

/** Tells of a changed master; the master as it is now. With `versionsToo` its versions' framings have changed as well. */
export async function answerMaster(
  ws: Workspace,
  req: Request,
  row: Pick<MasterRow, 'id' | 'productionId'>,
  versionsToo = false,
) {
  if (versionsToo) await tellProduction(ws, row.productionId);
  else await tellMaster(ws, row.id, windowOf(req));
  return masterView(ws, row.id);
}

/** Moves the changes of all framings of a master along with a boundary of a shot. */
async function moveChanges(tx: Writer, masterId: string, { from, to }: MovedBoundary): Promise<void> {
  for (const version of await tx.select().from(versions).where(eq(versions.masterId, masterId))) {
    const framing = moveChange(version.framing, from, to);
    if (framing !== version.framing)
      await tx
        .update(versions)
        .set({ framing, revision: version.revision + 1, updatedAt: now() })
        .where(eq(versions.id, version.id));
  }
}

/** Writes shots and keeps together with the memory of what they were. A row that has moved on meanwhile is refused. */
export async function changeMaster(
  ws: Pick<Workspace, 'db'>,
  row: MasterRow,
  revision: number,
  next: { shots?: Shot[] | undefined; keeps?: Keep[] | undefined; unimportant?: string[] | undefined },
  movedCut?: MovedBoundary,
): Promise<void> {
  const before = { shots: row.shots ?? [...oneShot], keeps: row.keeps, unimportant: row.unimportant };
  const after = {
    shots: next.shots ?? before.shots,
    keeps: next.keeps ?? before.keeps,
    unimportant: next.unimportant ?? before.unimportant,
  };
  await ws.db.transaction(async (tx) => {
    const [written] = await tx
      .update(masters)
      .set({ ...after, ...(next.shots ? { shotsAssumed: false } : {}), revision: revision + 1 })
      .where(and(eq(masters.id, row.id), eq(masters.revision, revision)))
      .returning({ id: masters.id });
    if (!written)
      refuse(
        409,
        'changed-elsewhere',
        'This master’s shots or keeps were changed in another window meanwhile.',
        'The newest are shown now; make your change again if you still want it.',
      );
    await remember(
      tx,
      row.id,
      movedCut ? { ...before, movedCut: { from: movedCut.to, to: movedCut.from } } : before,
      movedCut ? { ...after, movedCut } : after,
      now(),
    );
    if (movedCut) await moveChanges(tx, row.id, movedCut);
  });
}

async function changeWork(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findReadMaster(ws.db, param(req));
  const { revision, shots, keeps, unimportant, movedCut } = bodyOf(masterWorkSchema, req);
  const { frames } = row.facts.video;
  if (shots && shots.at(-1)!.from >= frames)
    refuse(400, 'bad-request', `The film ends at frame ${frames - 1}; a shot starts after that.`);
  // A keep that runs on past the film ends with it; one that starts after its end would never be seen.
  const kept = keeps && keepsWithin(keeps, frames);
  if (keeps && kept!.length < keeps.length)
    refuse(400, 'bad-request', 'A keep starts after the film has ended.', 'Give it a span inside the film.');
  await changeMaster(ws, row, revision, { shots, keeps: kept, unimportant }, movedCut);
  // Keeps change where versions stand.
  res.json(await answerMaster(ws, req, row, movedCut !== undefined || keeps !== undefined));
}

async function groupAnew(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findReadMaster(ws.db, param(req));
  const thumbnails = await readThumbnails(ws.storage, row.sha256);
  if (!thumbnails || !row.shots)
    refuse(409, 'not-looked-at', 'The film is still being looked at.', 'Try again in a moment.');
  const shots = groupSetups(row.shots, row.facts.video.frames, thumbnails);
  await changeMaster(ws, row, row.revision, { shots });
  res.json(await answerMaster(ws, req, row));
}
