import { Router, type Request, type Response } from 'express';
import { eq } from 'drizzle-orm';
import { drawnTextlessSchema, textlessChoiceSchema } from '@mivvy/api';
import { versions } from '../db/schema.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { tellProduction } from '../tell.ts';
import { letGoOfTextless, refusalToMatch, setTextless, wantMatches } from '../textless.ts';
import { masterView } from '../views/masters.ts';
import { now, type Workspace } from '../workspace.ts';
import { findMaster, findVersion } from './find.ts';
import { answerVersion } from './versions.ts';

/** Routes of textless masters: which film is one of which, and which versions are drawn from them. */
export function textlessRoutes(ws: Workspace): Router {
  const router = Router();
  router.put(
    '/masters/:id/textless',
    route((req, res) => choose(ws, req, res)),
  );
  router.delete(
    '/masters/:id/textless',
    route(async (req, res) => {
      const film = await findMaster(ws.db, param(req));
      await letGoOfTextless(ws, film);
      await tellProduction(ws, film.productionId);
      res.status(204).end();
    }),
  );
  router.patch(
    '/versions/:id/textless',
    route((req, res) => draw(ws, req, res)),
  );
  return router;
}

async function choose(ws: Workspace, req: Request, res: Response): Promise<void> {
  const film = await findMaster(ws.db, param(req));
  const { masterId } = bodyOf(textlessChoiceSchema, req);
  const textless = await findMaster(ws.db, masterId);
  // Checked and written together: of two who choose at once, the second is told of the first.
  await ws.db.transaction(async (tx) => {
    const problem = await refusalToMatch(tx, film, textless);
    if (problem) refuse(409, problem.code, problem.sentence, problem.mend);
    await setTextless(tx, film, textless);
  });
  await wantMatches(ws, film.id);
  await tellProduction(ws, film.productionId);
  res.json(await masterView(ws, film.id));
}

async function draw(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { textless } = bodyOf(drawnTextlessSchema, req);
  const { version, master } = await findVersion(ws.db, param(req));
  if (textless && !master.textless)
    refuse(
      409,
      'no-textless',
      `“${master.name}” has no textless master that was matched with it.`,
      'Choose one in Masters first.',
    );
  await ws.db.update(versions).set({ textless, updatedAt: now() }).where(eq(versions.id, version.id));
  res.json(await answerVersion(ws, req, version.id));
}
