import { Router } from 'express';
import { preferencesChangeSchema } from '@mivvy/api';
import { bodyOf, route } from '../http/problems.ts';
import { readPreferences, writePreferences } from '../preferences.ts';
import type { Workspace } from '../workspace.ts';

/** Routes of what is preferred in the workspace. */
export function preferenceRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/preferences',
    route(async (_req, res) => res.json(await readPreferences(ws.db))),
  );
  router.patch(
    '/preferences',
    route(async (req, res) => {
      const { frameOnArrival, exportsPaused, effort } = bodyOf(preferencesChangeSchema, req);
      const next = await writePreferences(ws.db, {
        ...(frameOnArrival === undefined ? {} : { frameOnArrival }),
        ...(exportsPaused === undefined ? {} : { exportsPaused }),
        ...(effort === undefined ? {} : { effort }),
      });
      ws.runner.hold('export', next.exportsPaused);
      ws.events.tell({ kind: 'workspace' });
      res.json(next);
    }),
  );
  return router;
}
