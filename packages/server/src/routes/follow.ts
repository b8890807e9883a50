import { Router, type Request, type Response } from 'express';
import { and, eq, inArray } from 'drizzle-orm';
import {
  followedWords,
  followFilm,
  frameForMaster,
  frameRules,
  oneShot,
  type Framing,
  type MarginChoice,
} from '@mivvy/core';
import { followRequestSchema } from '@mivvy/api';
import { masters, versions } from '../db/schema.ts';
import { bodyOf, param, route, windowOf } from '../http/problems.ts';
import { lookView, wantLook } from '../looks.ts';
import { saveFraming } from '../save-framing.ts';
import { tellProduction } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** The route that chooses the windows of versions by what is seen in their films. */
export function followRoutes(ws: Workspace): Router {
  const router = Router();
  router.post(
    '/productions/:id/follow',
    route((req, res) => follow(ws, req, res)),
  );
  return router;
}

type Run = ReturnType<typeof followFilm>;

/** The framing of a version by what was seen in its film; null where that has not been looked at, or cannot be framed. */
async function followVersion(
  ws: Workspace,
  { version, master }: { version: typeof versions.$inferSelect; master: typeof masters.$inferSelect },
  margin: MarginChoice,
  how: { lively: number; handMade: boolean },
): Promise<Run | 'cannot' | 'not-looked'> {
  const place = ws.specs.find(version.placementId);
  if (!master.facts || !place) return 'cannot';
  const look = await lookView(ws, master);
  if (look.state === 'not-looked' || look.state === 'failed') return 'not-looked';
  const { displayed, rate, frames } = master.facts.video;
  const frameSize = frameForMaster(displayed, place.placement.frame, place.placement.largerFrame);
  const film = {
    shots: master.shots ?? oneShot,
    frames,
    rate,
    masterSize: displayed,
    keeps: master.keeps,
    looks: look.shots,
    drawn: look.drawn,
    rules: frameRules(place.placement, frameSize, margin),
  };
  return followFilm(film, version.framing, how);
}

async function follow(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { versionIds, ...how } = bodyOf(followRequestSchema, req);
  const production = await findProduction(ws.db, param(req));
  const rows = await ws.db
    .select({ version: versions, master: masters })
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .where(and(eq(versions.productionId, production.id), inArray(versions.id, versionIds)));
  const total = { changed: 0, locked: 0, byHand: 0, notSeen: 0 };
  const words = new Set<string>();
  const framed: { id: string; revision: number; framing: Framing }[] = [];
  for (const row of rows) {
    const run = await followVersion(ws, row, production.margin, how);
    if (run === 'cannot') continue;
    if (run === 'not-looked') {
      await wantLook(ws, row.master.id);
      words.add(`“${row.master.name}” has not been looked at yet; it is being looked at now.`);
      continue;
    }
    for (const key of ['changed', 'locked', 'byHand', 'notSeen'] as const) total[key] += run[key];
    const { id, revision } = row.version;
    if (run.changed) framed.push({ id, revision, framing: run.framing });
  }
  // All of them or none: one that was changed elsewhere meanwhile leaves the others as they were.
  await ws.db.transaction(async (tx) => {
    for (const { id, revision, framing } of framed) await saveFraming(tx, id, revision, framing);
  });
  await tellProduction(ws, production.id, windowOf(req));
  res.json({ changed: total.changed, words: [followedWords(total), ...words] });
}
