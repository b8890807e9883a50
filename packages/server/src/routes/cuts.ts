import { isDeepStrictEqual } from 'node:util';
import { Router, type Request, type Response } from 'express';
import { and, eq, sql } from 'drizzle-orm';
import { asEdited, checkKept, usualJoinMs, type FrameSpan } from '@mivvy/core';
import { cutChangeSchema, newCutSchema } from '@mivvy/api';
import { createCut } from '../create-cut.ts';
import { cuts, versions } from '../db/schema.ts';
import { filmActivity } from '../film-activity.ts';
import { forgetChanges, remember } from '../history.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { now, type Workspace } from '../workspace.ts';
import { findCut, findReadMaster, type ReadMasterRow } from './find.ts';
import { answerMaster } from './masters.ts';
import { undoRoutes } from './undo-routes.ts';

/** Routes of cuts: what plays of a master, in which order, how fast. */
export function cutRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/masters/:id/along',
    route(async (req, res) => {
      const master = await findReadMaster(ws.db, param(req));
      res.json(await filmActivity(ws, master));
    }),
  );
  router.post(
    '/masters/:id/cuts',
    route((req, res) => addCut(ws, req, res)),
  );
  router.patch(
    '/cuts/:id',
    route((req, res) => changeCut(ws, req, res)),
  );
  router.delete(
    '/cuts/:id',
    route((req, res) => removeCut(ws, req, res)),
  );
  undoRoutes(router, ws, '/cuts/:id', {
    find: async (id) => {
      const { cut, master } = await findCut(ws.db, id);
      return { id: cut.id, master };
    },
    restore: async (tx, { id }, state) => {
      if (!('kept' in state)) return;
      await tx
        .update(cuts)
        .set({ ...state, revision: sql`${cuts.revision} + 1` })
        .where(eq(cuts.id, id));
    },
    answer: (req, { master }) => answerMaster(ws, req, master, true),
  });
  return router;
}

/** Makes a cut of spans that lie inside their film; refuses the request where they do not. Its id is the answer. */
export async function createCheckedCut(
  ws: Pick<Workspace, 'db'>,
  master: ReadMasterRow,
  cut: { name: string; kept: readonly FrameSpan[]; pace: { num: number; den: number } },
): Promise<string> {
  const kept = insideFilm(cut.kept, master.facts.video.frames);
  return createCut(ws.db, master, { ...cut, kept, joinMs: usualJoinMs });
}

function insideFilm(kept: readonly FrameSpan[], frames: number): FrameSpan[] {
  const checked = checkKept(kept, frames);
  return checked.ok
    ? [...kept]
    : refuse(422, checked.problem.code, checked.problem.sentence, checked.problem.mend);
}

async function addCut(ws: Workspace, req: Request, res: Response): Promise<void> {
  const master = await findReadMaster(ws.db, param(req));
  const { name, kept, pace } = bodyOf(newCutSchema, req);
  await createCheckedCut(ws, master, {
    name,
    kept: kept ?? [{ from: 0, to: master.facts.video.frames }],
    pace: pace ?? asEdited,
  });
  res.json(await answerMaster(ws, req, master));
}

async function changeCut(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { cut, master } = await findCut(ws.db, param(req));
  const { revision, name, kept, pace, joinMs } = bodyOf(cutChangeSchema, req);
  const before = { kept: cut.kept, pace: cut.pace, joinMs: cut.joinMs };
  const after = {
    kept: kept ? insideFilm(kept, master.facts.video.frames) : cut.kept,
    pace: pace ?? cut.pace,
    joinMs: joinMs ?? cut.joinMs,
  };
  await ws.db.transaction(async (tx) => {
    // One statement decides between two browsers.
    const [row] = await tx
      .update(cuts)
      .set({ ...after, name: name ?? cut.name, revision: sql`${cuts.revision} + 1` })
      .where(and(eq(cuts.id, cut.id), eq(cuts.revision, revision)))
      .returning({ id: cuts.id });
    if (!row)
      refuse(
        409,
        'changed-elsewhere',
        'This cut was changed in another window meanwhile.',
        'The newest is shown now; put yours on top if you still want it.',
      );
    if (!isDeepStrictEqual(before, after)) await remember(tx, cut.id, before, after, now());
  });
  // Where versions that play it stand is another thing now.
  res.json(await answerMaster(ws, req, master, true));
}

async function removeCut(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { cut, master } = await findCut(ws.db, param(req));
  await ws.db.transaction(async (tx) => {
    await tx.update(versions).set({ cutId: null }).where(eq(versions.cutId, cut.id));
    await tx.delete(cuts).where(eq(cuts.id, cut.id));
    await forgetChanges(tx, [cut.id]);
  });
  res.json(await answerMaster(ws, req, master, true));
}
