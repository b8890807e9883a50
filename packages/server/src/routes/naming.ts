import { Router } from 'express';
import { usualPattern } from '@mivvy/core';
import { namingRequestSchema } from '@mivvy/api';
import { bodyOf, param, route, whoOf } from '../http/problems.ts';
import { previewNames, renameFiles } from '../naming.ts';
import { tellProduction } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Routes of how a production's files are called; the pattern itself is changed with the production. */
export function namingRoutes(ws: Workspace): Router {
  const router = Router();
  router.post(
    '/productions/:id/naming/preview',
    route(async (req, res) => {
      const production = await findProduction(ws.db, param(req));
      const { pattern } = bodyOf(namingRequestSchema, req);
      res.json(await previewNames(ws, production, pattern || usualPattern));
    }),
  );
  router.post(
    '/productions/:id/naming/rename',
    route(async (req, res) => {
      const production = await findProduction(ws.db, param(req));
      const renamed = await renameFiles(ws, production, whoOf(req));
      await tellProduction(ws, production.id);
      res.json({ renamed });
    }),
  );
  return router;
}
