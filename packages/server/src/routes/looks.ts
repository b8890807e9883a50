import { Router } from 'express';
import { and, eq, inArray } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import {
  clampFraction,
  followedWords,
  followFilm,
  frameForMaster,
  frameRules,
  oneShot,
  planMaster,
  shotIndexAt,
  shotSpans,
  type Framing,
  type Track,
} from '@mivvy/core';
import { drawSubjectSchema, followRequestSchema } from '@mivvy/api';
import { followDrawnBox } from '@mivvy/media';
import { masters, productions, versions } from '../db/schema.ts';
import { saveFraming } from '../save-framing.ts';
import { openMaster } from '../files/master-file.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { lookView, wantLook } from '../looks.ts';
import { now, type Workspace } from '../workspace.ts';
import { findReadMaster } from './find-master.ts';

/** Routes of what was seen in masters, and of choosing windows by it. */
export function lookRoutes(ws: Workspace): Router {
  const router = Router();
  const { db, events } = ws;
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
      events.tell({ kind: 'look', masterId: row.id });
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
      events.tell({ kind: 'look', masterId: row.id });
      res.status(204).end();
    }),
  );

  router.post(
    '/productions/:id/follow',
    route(async (req, res) => {
      const { versionIds, lively, handMade } = bodyOf(followRequestSchema, req);
      const [production] = await db
        .select()
        .from(productions)
        .where(eq(productions.id, param(req)));
      if (!production) refuse(404, 'not-found', 'That production is not here any more.');
      const rows = await db
        .select()
        .from(versions)
        .innerJoin(masters, eq(masters.id, versions.masterId))
        .where(and(eq(versions.productionId, production.id), inArray(versions.id, versionIds)));
      const total = { changed: 0, locked: 0, byHand: 0, notSeen: 0 };
      const words: string[] = [];
      const framed: { id: string; revision: number; framing: Framing }[] = [];
      for (const { versions: version, masters: master } of rows) {
        const place = ws.specs.find(version.placementId);
        if (!master.facts || !place) continue;
        const look = await lookView(ws, master);
        if (look.state === 'not-looked' || look.state === 'failed') {
          await wantLook(ws, master.id);
          words.push(`“${master.name}” has not been looked at yet; it is being looked at now.`);
          continue;
        }
        const { displayed, rate, frames } = master.facts.video;
        const frame = frameForMaster(displayed, place.placement.frame, place.placement.largerFrame);
        const run = followFilm(
          {
            shots: master.shots ?? oneShot,
            frames,
            rate,
            master: displayed,
            keeps: master.keeps,
            looks: look.shots,
            drawn: look.drawn,
            rules: frameRules(place.placement, frame, production.margin),
          },
          version.framing,
          { lively, handMade },
        );
        for (const key of ['changed', 'locked', 'byHand', 'notSeen'] as const) total[key] += run[key];
        if (run.changed) framed.push({ id: version.id, revision: version.revision, framing: run.framing });
      }
      // All of them or none: one that was changed elsewhere meanwhile leaves the others as they were.
      await db.transaction(async (tx) => {
        for (const { id, revision, framing } of framed) await saveFraming(tx, id, revision, framing);
        await tx.update(productions).set({ updatedAt: now() }).where(eq(productions.id, production.id));
      });
      events.tell({ kind: 'production', productionId: production.id });
      res.json({ changed: total.changed, words: [followedWords(total), ...new Set(words)] });
    }),
  );

  return router;
}
