import { Router } from 'express';
import { newSpecBookSchema } from '@mivvy/api';
import { bodyOf, refuse, route } from '../http/problems.ts';
import { forgetOldStandings } from '../plans.ts';
import type { Workspace } from '../workspace.ts';

/** Routes of the spec book. */
export function specBookRoutes(ws: Workspace): Router {
  const router = Router();
  const book = () => ({ outlets: ws.specs.outlets, refused: ws.specs.refused });

  router.get(
    '/spec-book',
    route(async (_req, res) => res.json(book())),
  );

  router.post(
    '/spec-book/files',
    route(async (req, res) => {
      const { fileName, text } = bodyOf(newSpecBookSchema, req);
      const added = await ws.specs.add(fileName, text);
      if (!added.ok) refuse(422, added.problem.code, added.problem.sentence, added.problem.mend);
      await forgetOldStandings(ws);
      ws.events.tell({ kind: 'spec-book' });
      res.json(book());
    }),
  );

  return router;
}
