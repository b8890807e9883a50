import { Router } from 'express';
import { eq } from 'drizzle-orm';
import { acceptRequestSchema, unacceptRequestSchema } from '@mivvy/api';
import type { Acceptance } from '@mivvy/core';
import { versions } from '../db/schema.ts';
import { bodyOf, param, route } from '../http/problems.ts';
import { now, type Workspace } from '../workspace.ts';
import { findVersion } from './find.ts';
import { answerVersion } from './versions.ts';

/** Routes of accepting a trouble with a reason, and of taking that back. */
export function acceptanceRoutes(ws: Workspace): Router {
  const router = Router();

  /** The acceptances of a version with those of one trouble replaced. Two windows that accept at once both count. */
  const replace = (versionId: string, mark: string, by: readonly Acceptance[]) =>
    ws.db.transaction(async (tx) => {
      const { version } = await findVersion(tx, versionId);
      const others = version.accepted.filter((a) => a.mark !== mark);
      await tx
        .update(versions)
        .set({ accepted: [...others, ...by] })
        .where(eq(versions.id, version.id));
    });

  router.post(
    '/versions/:id/acceptances',
    route(async (req, res) => {
      const { mark, reason } = bodyOf(acceptRequestSchema, req);
      await replace(param(req), mark, [{ mark, reason, acceptedAt: now() }]);
      res.json(await answerVersion(ws, req, param(req)));
    }),
  );
  router.post(
    '/versions/:id/acceptances/withdraw',
    route(async (req, res) => {
      const { mark } = bodyOf(unacceptRequestSchema, req);
      await replace(param(req), mark, []);
      res.json(await answerVersion(ws, req, param(req)));
    }),
  );
  return router;
}
