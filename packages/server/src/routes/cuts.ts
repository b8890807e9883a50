import { basename, extname } from 'node:path';
import { isDeepStrictEqual } from 'node:util';
import { Router } from 'express';
import { and, eq, sql } from 'drizzle-orm';
import {
  asEdited,
  checkKept,
  readCutFile,
  usualJoinMs,
  writeEdl,
  writeOtio,
  type FrameSpan,
  type Pace,
} from '@mivvy/core';
import { cutChangeSchema, newCutSchema, playsCutSchema, readFileSchema } from '@mivvy/api';
import { createCut } from '../create-cut.ts';
import { filmActivity } from '../film-activity.ts';
import { cuts, masters, productions, versions } from '../db/schema.ts';
import { forgetChanges, recall, remember } from '../history.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { masterView, versionView } from '../views.ts';
import { now, type Workspace } from '../workspace.ts';
import { findReadMaster } from './find-master.ts';

/** Routes of cuts: what plays of a master, in which order, how fast; and of edit lists of them. */
export function cutRoutes(ws: Workspace): Router {
  const router = Router();
  const { db, events } = ws;
  const masterOf = (id: string) => findReadMaster(db, id);
  const find = async (id: string) => {
    const [cut] = await db.select().from(cuts).where(eq(cuts.id, id));
    return cut
      ? { cut, master: await masterOf(cut.masterId) }
      : refuse(404, 'not-found', 'That cut is not here any more.');
  };
  const answer = async (masterId: string, productionId: string) => {
    await db.update(productions).set({ updatedAt: now() }).where(eq(productions.id, productionId));
    events.tell({ kind: 'production', productionId });
    return (await masterView(ws, masterId))!;
  };
  const inside = (kept: readonly FrameSpan[], frames: number) => {
    const checked = checkKept(kept, frames);
    return checked.ok
      ? [...kept]
      : refuse(422, checked.problem.code, checked.problem.sentence, checked.problem.mend);
  };
  const add = (
    master: Awaited<ReturnType<typeof masterOf>>,
    name: string,
    kept: readonly FrameSpan[],
    pace: Pace,
  ) =>
    createCut(db, master, { name, kept: inside(kept, master.facts.video.frames), pace, joinMs: usualJoinMs });

  router.post(
    '/masters/:id/cuts',
    route(async (req, res) => {
      const master = await masterOf(param(req));
      const { name, kept, pace } = bodyOf(newCutSchema, req);
      await add(master, name, kept ?? [{ from: 0, to: master.facts.video.frames }], pace ?? asEdited);
      res.json(await answer(master.id, master.productionId));
    }),
  );

  router.post(
    '/masters/:id/cuts/read',
    route(async (req, res) => {
      const master = await masterOf(param(req));
      const { fileName, text } = bodyOf(readFileSchema, req);
      const { rate, frames } = master.facts.video;
      const read = readCutFile(text, fileName, { film: master.name, rate, frames });
      if (!read.ok)
        refuse(
          422,
          read.problem.code,
          `${basename(fileName)} was not taken. ${read.problem.sentence}`,
          read.problem.mend,
        );
      const { kept, pace, words } = read.value;
      const name = basename(fileName, extname(fileName)).slice(0, 120) || 'From an edit list';
      const cutId = await add(master, name, kept, pace);
      res.json({
        master: await answer(master.id, master.productionId),
        cutId,
        words: [
          `“${name}” keeps ${kept.length} ${kept.length === 1 ? 'span' : 'spans'} as ${basename(fileName)} says.`,
          ...words,
        ],
      });
    }),
  );

  router.get(
    '/masters/:id/along',
    route(async (req, res) => void res.json(await filmActivity(ws, await masterOf(param(req))))),
  );

  router.patch(
    '/cuts/:id',
    route(async (req, res) => {
      const { cut, master } = await find(param(req));
      const { revision, name, kept, pace, joinMs } = bodyOf(cutChangeSchema, req);
      const before = { kept: cut.kept, pace: cut.pace, joinMs: cut.joinMs };
      const after = {
        kept: kept ? inside(kept, master.facts.video.frames) : cut.kept,
        pace: pace ?? cut.pace,
        joinMs: joinMs ?? cut.joinMs,
      };
      await db.transaction(async (tx) => {
        // One statement decides between two browsers.
        const [row] = await tx
          .update(cuts)
          .set({ ...after, name: name ?? cut.name, revision: sql`${cuts.revision} + 1` })
          .where(and(eq(cuts.id, cut.id), eq(cuts.revision, revision)))
          .returning();
        if (!row)
          refuse(
            409,
            'changed-elsewhere',
            'This cut was changed in another window meanwhile.',
            'The newest is shown now; make your change again if you still want it.',
          );
        if (!isDeepStrictEqual(before, after)) await remember(tx, cut.id, before, after, now());
      });
      res.json(await answer(master.id, master.productionId));
    }),
  );

  router.delete(
    '/cuts/:id',
    route(async (req, res) => {
      const { cut, master } = await find(param(req));
      await db.transaction(async (tx) => {
        await tx.update(versions).set({ cutId: null }).where(eq(versions.cutId, cut.id));
        await tx.delete(cuts).where(eq(cuts.id, cut.id));
        await forgetChanges(tx, [cut.id]);
      });
      res.json(await answer(master.id, master.productionId));
    }),
  );

  for (const direction of ['undo', 'redo'] as const) {
    router.post(
      `/cuts/:id/${direction}`,
      route(async (req, res) => {
        const { cut, master } = await find(param(req));
        await db.transaction(async (tx) => {
          const found = await recall(tx, cut.id, direction);
          if (!found || !('kept' in found.state)) return;
          await tx
            .update(cuts)
            .set({ ...found.state, revision: sql`${cuts.revision} + 1` })
            .where(eq(cuts.id, cut.id));
          await found.done();
        });
        res.json(await answer(master.id, master.productionId));
      }),
    );
  }

  router.patch(
    '/versions/:id/cut',
    route(async (req, res) => {
      const { cutId } = bodyOf(playsCutSchema, req);
      const [version] = await db
        .select()
        .from(versions)
        .where(eq(versions.id, param(req)));
      if (!version) refuse(404, 'not-found', 'That version is not here any more.');
      if (cutId !== null) {
        const [cut] = await db.select().from(cuts).where(eq(cuts.id, cutId));
        if (cut?.masterId !== version.masterId)
          refuse(404, 'not-found', 'That cut is not one of this version’s film.');
      }
      await db.update(versions).set({ cutId, updatedAt: now() }).where(eq(versions.id, version.id));
      events.tell({ kind: 'production', productionId: version.productionId });
      res.json(await versionView(ws, version.id));
    }),
  );

  router.get(
    '/versions/:id/cut-list/:file',
    route(async (req, res) => {
      const [row] = await db
        .select()
        .from(versions)
        .innerJoin(masters, eq(masters.id, versions.masterId))
        .leftJoin(cuts, eq(cuts.id, versions.cutId))
        .where(eq(versions.id, param(req)));
      if (!row?.masters.facts) return refuse(404, 'not-found', 'That version is not here any more.');
      const { rate, frames } = row.masters.facts.video;
      const cut = {
        title: row.cuts?.name ?? row.masters.name,
        film: row.masters.name,
        rate,
        frames,
        kept: row.cuts?.kept ?? [{ from: 0, to: frames }],
        pace: row.cuts?.pace ?? asEdited,
        framing: row.versions.framing,
      };
      const file = param(req, 'file');
      if (file === 'cut.edl') return void res.attachment(file).type('text/plain').send(writeEdl(cut));
      if (file === 'cut.otio') return void res.attachment(file).type('application/json').send(writeOtio(cut));
      return refuse(404, 'not-found', 'Edit lists come as cut.edl or cut.otio.');
    }),
  );

  return router;
}
