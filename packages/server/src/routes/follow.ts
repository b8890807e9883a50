import { isDeepStrictEqual } from 'node:util';
import { Router, type Request, type Response } from 'express';
import { and, eq, inArray } from 'drizzle-orm';
import { followedWords, type Framing } from '@mivvy/core';
import { followRequestSchema } from '@mivvy/api';
import { masters, versions } from '../db/schema.ts';
import { followVersion } from '../follow-version.ts';
import { bodyOf, param, route, windowOf, whoOf } from '../http/problems.ts';
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
    const look = await lookView(ws, row.master);
    if (look.state === 'not-looked' || look.state === 'failed') {
      await wantLook(ws, row.master.id);
      words.add(`“${row.master.name}” has not been looked at yet; it is being looked at now.`);
      continue;
    }
    const run = followVersion(ws, row.version, row.master, look, production.margin, how);
    if (!run) continue;
    for (const key of ['changed', 'locked', 'byHand', 'notSeen'] as const) total[key] += run[key];
    const { id, revision } = row.version;
    // Chosen as it was before, it is no change that anybody would take back.
    if (run.changed && !isDeepStrictEqual(run.framing, row.version.framing))
      framed.push({ id, revision, framing: run.framing });
  }
  // All of them or none: one that was changed elsewhere meanwhile leaves the others as they were.
  await ws.db.transaction(async (tx) => {
    for (const { id, revision, framing } of framed) await saveFraming(tx, id, revision, framing, whoOf(req));
  });
  await tellProduction(ws, production.id, windowOf(req));
  res.json({ changed: total.changed, words: [followedWords(total), ...words] });
}
