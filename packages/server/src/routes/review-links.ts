import { Router, type Request, type Response } from 'express';
import { and, eq, inArray, isNull } from 'drizzle-orm';
import QRCode from 'qrcode';
import { newReviewLinkSchema } from '@mivvy/api';
import { deliverables, reviewLinks, versions } from '../db/schema.ts';
import { isNewest } from '../files/look-at-files.ts';
import { bodyOf, param, refuse, route, whoOf } from '../http/problems.ts';
import { linksOf, linkView, makeLink } from '../review/links.ts';
import { tellProduction } from '../tell.ts';
import { now, type Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Routes by which the house makes and ends review links. */
export function reviewLinkRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/productions/:id/review-links',
    route(async (req, res) => {
      const { id } = await findProduction(ws.db, param(req));
      res.json(await linksOf(ws.db, id));
    }),
  );
  router.post(
    '/productions/:id/review-links',
    route((req, res) => startReview(ws, req, res)),
  );
  router.post(
    '/review-links/:id/revoke',
    route(async (req, res) => {
      const [row] = await ws.db
        .update(reviewLinks)
        .set({ revokedAt: now() })
        .where(and(eq(reviewLinks.id, param(req)), isNull(reviewLinks.revokedAt)))
        .returning();
      const [there] = row
        ? [row]
        : await ws.db
            .select()
            .from(reviewLinks)
            .where(eq(reviewLinks.id, param(req)));
      if (!there) refuse(404, 'not-found', 'That link is not here any more.');
      await tellProduction(ws, there.productionId);
      res.json(await linkView(ws.db, there));
    }),
  );
  return router;
}

async function startReview(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id } = await findProduction(ws.db, param(req));
  const { name, versionIds, days, mayFetch, password } = bodyOf(newReviewLinkSchema, req);
  if (!ws.reviewAddress)
    refuse(
      409,
      'review-closed',
      'The review surface is not open.',
      'Start Mivvy again; its log says why it could not be opened.',
    );
  const own = await ws.db
    .select({ id: versions.id })
    .from(versions)
    .where(and(inArray(versions.id, versionIds), eq(versions.productionId, id)));
  if (own.length < new Set(versionIds).size)
    refuse(
      400,
      'other-production',
      'A version of another production cannot be shown by this link.',
      'Choose versions of this production.',
    );
  const ready = await ws.db
    .select({ id: deliverables.id })
    .from(deliverables)
    .where(
      and(
        inArray(deliverables.versionId, versionIds),
        eq(deliverables.productionId, id),
        eq(deliverables.passed, true),
        isNewest,
      ),
    );
  if (ready.length === 0)
    refuse(
      409,
      'nothing-to-show',
      'None of these versions has a file that passed its check.',
      'Export them first.',
    );
  const by = whoOf(req);
  const made = await makeLink(ws.db, { productionId: id, name, versionIds, days, mayFetch, password, by });
  await tellProduction(ws, id);
  const address = `${ws.reviewAddress}/r/${made.secret}`;
  res.json({
    link: await linkView(ws.db, made.link),
    address,
    qr: await QRCode.toString(address, { type: 'svg', margin: 1, errorCorrectionLevel: 'M' }),
    onlyHere: /^http:\/\/(127\.|localhost|\[::1\])/.test(ws.reviewAddress),
  });
}
