import { Router } from 'express';
import { registerMasterSchema } from '@mivvy/api';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { takeFromInbox } from '../masters.ts';
import { fromStored, listInbox, toStored } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Routes of the inbox: the films that lie there, and bringing one in without copying it. */
export function inboxRoutes(ws: Workspace): Router {
  const router = Router();

  router.get(
    '/inbox',
    route(async (_req, res) => {
      const all = await listInbox(ws.storage);
      res.json(
        all.map(({ path, name, bytes, changedAt }) => ({
          path: toStored(ws.storage, path),
          name,
          bytes,
          changedAt,
        })),
      );
    }),
  );

  router.post(
    '/productions/:id/masters',
    route(async (req, res) => {
      const { id } = await findProduction(ws.db, param(req));
      const { inboxFile, replaces } = bodyOf(registerMasterSchema, req);
      // Only what the inbox lists can be registered: a path that leads elsewhere is not in the list.
      const wanted = fromStored(ws.storage, inboxFile);
      const entry = (await listInbox(ws.storage)).find((f) => f.path === wanted);
      if (!entry)
        refuse(
          404,
          'not-in-inbox',
          'That film is not in the inbox.',
          'Look at the inbox again; it may have been moved.',
        );
      const film = { productionId: id, fileName: entry.name, path: entry.path };
      res.json(await takeFromInbox(ws, film, replaces));
    }),
  );

  return router;
}
