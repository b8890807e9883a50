import { Router } from 'express';
import { eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { clampFraction, oneShot, planMaster, shotIndexAt, shotSpans, type Track } from '@mivvy/core';
import { drawSubjectSchema } from '@mivvy/api';
import { followDrawnBox } from '@mivvy/media';
import { masters } from '../db/schema.ts';
import { openMaster } from '../files/master-file.ts';
import { bodyOf, param, refuse, route, windowOf } from '../http/problems.ts';
import { lookView, wantLook } from '../looks.ts';
import { tellLook } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { findReadMaster } from './find.ts';

/** Routes of what was seen in masters. */
export function lookRoutes(ws: Workspace): Router {
  const router = Router();
  const { db } = ws;
  const find = (id: string) => findReadMaster(db, id);

  router.get(
    '/masters/:id/look',
    route(async (req, res) => void res.json(await lookView(ws, await find(param(req))))),
  );
  router.post(
    '/masters/:id/look',
    route(async (req, res) => {
      const row = await find(param(req));
      if (row.state !== 'ready')
        refuse(409, 'not-ready', 'The film is still being read.', 'It can be looked at in a moment.');
      await wantLook(ws, row.id);
      res.json(await lookView(ws, row));
    }),
  );

  router.post(
    '/masters/:id/subjects',
    route(async (req, res) => {
      const row = await find(param(req));
      const { frame, name, box } = bodyOf(drawSubjectSchema, req);
      const { frames } = row.facts.video;
      if (frame >= frames) refuse(400, 'bad-request', `The film ends at frame ${frames - 1}.`);
      const shots = row.shots ?? oneShot;
      const shot = shotSpans(shots, frames)[shotIndexAt(shots, frame)]!;
      const film = await openMaster(ws, row, { wait: false });
      if (!film.ok) refuse(409, film.problem.code, film.problem.sentence, film.problem.mend);
      const places = await followDrawnBox(
        film.value,
        row.facts,
        planMaster(row.facts, row.sha256 ?? ''),
        shot,
        frame,
        clampFraction(box),
      );
      if (!places.ok) refuse(500, places.problem.code, places.problem.sentence, places.problem.mend);
      const track: Track = { id: `drawn-${nanoid(8)}`, kind: 'drawn', name, places: places.value };
      // Read again: somebody else may have drawn meanwhile.
      await db.transaction(async (tx) => {
        const [newest] = await tx
          .select({ drawn: masters.drawn })
          .from(masters)
          .where(eq(masters.id, row.id));
        await tx
          .update(masters)
          .set({ drawn: [...(newest?.drawn ?? []), track] })
          .where(eq(masters.id, row.id));
      });
      await tellLook(ws, row.id, windowOf(req));
      res.json({ subject: track.id, look: await lookView(ws, await find(row.id)) });
    }),
  );
  router.delete(
    '/masters/:id/subjects/:subject',
    route(async (req, res) => {
      const row = await find(param(req));
      const subject = param(req, 'subject');
      await db.transaction(async (tx) => {
        const [newest] = await tx
          .select({ drawn: masters.drawn })
          .from(masters)
          .where(eq(masters.id, row.id));
        await tx
          .update(masters)
          .set({ drawn: (newest?.drawn ?? []).filter((t) => t.id !== subject) })
          .where(eq(masters.id, row.id));
      });
      await tellLook(ws, row.id, windowOf(req));
      res.status(204).end();
    }),
  );

  return router;
}
