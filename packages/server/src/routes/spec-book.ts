import { existsSync } from 'node:fs';
import { mkdir, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import express, { Router, type Request, type Response } from 'express';
import { eq, sql } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import {
  bringOverSchema,
  newPlacementSchema,
  newSpecBookSchema,
  outletChangeSchema,
  placementChangeSchema,
  placementCheckedSchema,
  placementRetiredSchema,
} from '@mivvy/api';
import type { Result } from '@mivvy/core';
import { copyPicture } from '@mivvy/media';
import { versions } from '../db/schema.ts';
import { remember } from '../history.ts';
import { bodyOf, param, refuse, route, signedBy } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { forgetOldStandings } from '../plans.ts';
import { evidencePath } from '../storage.ts';
import { tellProduction } from '../tell.ts';
import { outOfDate, placementPage, specBookView } from '../views/spec-book.ts';
import { now, type Workspace } from '../workspace.ts';

/** A picture to trace from is this large at most, bytes. */
const mostPicture = '60mb';

/** Routes of the spec book: files, placements with their revisions, and what brings versions over to them. */
export function specBookRoutes(ws: Workspace): Router {
  const router = Router();
  const take = (address: string, handler: (req: Request, res: Response) => Promise<void>) =>
    router.post(address, route(handler));
  router.get(
    '/spec-book',
    route(async (_req, res) => res.json(specBookView(ws))),
  );
  router.get(
    '/spec-book/file',
    route(async (_req, res) => res.attachment('mivvy.specbook.json').json(ws.specs.file())),
  );
  take('/spec-book/files', (req, res) => takeFile(ws, req, res));
  take('/spec-book/files/preview', async (req, res) => {
    const { fileName, text } = bodyOf(newSpecBookSchema, req);
    res.json(taken(ws.specs.preview(fileName, text)));
  });
  take('/spec-book/placements', async (req, res) => {
    const { outlet, placement, ...authored } = bodyOf(newPlacementSchema, req);
    taken(await ws.specs.addPlacement(outlet, placement, authored));
    await answerPage(ws, placement.id, res);
  });
  router.get(
    '/spec-book/placements/:id',
    route((req, res) => sendPage(ws, param(req), res)),
  );
  router.put(
    '/spec-book/placements/:id',
    route((req, res) => changePlacement(ws, req, res)),
  );
  take('/spec-book/placements/:id/checked', async (req, res) => {
    await ws.specs.checkedToday(findPlace(ws, req), signedBy(req, bodyOf(placementCheckedSchema, req).by));
    await answerPage(ws, param(req), res);
  });
  take('/spec-book/placements/:id/retired', async (req, res) => {
    await ws.specs.retire(findPlace(ws, req), bodyOf(placementRetiredSchema, req).retired);
    await answerPage(ws, param(req), res);
  });
  router.patch(
    '/spec-book/outlets/:id',
    route(async (req, res) => {
      const { name } = bodyOf(outletChangeSchema, req);
      if (!ws.specs.allOutlets.some((o) => o.id === param(req)))
        refuse(404, 'not-found', 'The spec book has no such outlet.');
      await ws.specs.renameOutlet(param(req), name);
      await tellBook(ws);
      res.json(specBookView(ws));
    }),
  );
  router.put(
    '/spec-book/placements/:id/evidence',
    express.raw({ type: () => true, limit: mostPicture }),
    route((req, res) => takeEvidence(ws, req, res)),
  );
  router.get(
    '/spec-book/placements/:id/evidence',
    route(async (req, res) => {
      const path = evidencePath(ws.storage, findPlace(ws, req));
      if (!existsSync(path)) refuse(404, 'not-found', 'No picture is kept with this placement.');
      await send(res, path, { 'Content-Type': 'image/jpeg', 'Cache-Control': 'no-cache' });
    }),
  );
  take('/spec-book/bring-over', (req, res) => bringOver(ws, req, res));
  return router;
}

/** What is refused of the book, by its code. */
const statusOf: Record<string, number> = { 'not-found': 404, 'changed-elsewhere': 409, 'id-taken': 409 };

/** The value of what was tried; refuses the request where it failed. */
function taken<T>(result: Result<T>): T {
  if (result.ok) return result.value;
  const { code, sentence, mend } = result.problem;
  return refuse(statusOf[code] ?? 422, code, sentence, mend);
}

function findPlace(ws: Workspace, req: Request): string {
  const id = param(req);
  return ws.specs.page(id) ? id : refuse(404, 'not-found', `The spec book has no placement “${id}”.`);
}

/** The book is another now: standings that hang on it are worked out again, and everybody hears of it. */
export async function tellBook(ws: Workspace): Promise<void> {
  await forgetOldStandings(ws);
  ws.events.tell({ kind: 'spec-book' });
}

async function takeFile(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { fileName, text, effectiveOn, by, reason } = bodyOf(newSpecBookSchema, req);
  taken(
    await ws.specs.add(
      fileName,
      text,
      { by: signedBy(req, by), reason: reason || `Read from ${fileName}.` },
      effectiveOn,
    ),
  );
  await tellBook(ws);
  res.json(specBookView(ws));
}

async function sendPage(ws: Workspace, id: string, res: Response): Promise<void> {
  const page = await placementPage(ws, id);
  if (!page) refuse(404, 'not-found', `The spec book has no placement “${id}”.`);
  res.json(page);
}

async function answerPage(ws: Workspace, id: string, res: Response): Promise<void> {
  await tellBook(ws);
  await sendPage(ws, id, res);
}

async function changePlacement(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { placement, basedOn, effectiveOn, by, reason } = bodyOf(placementChangeSchema, req);
  const id = findPlace(ws, req);
  if (placement.id !== id)
    refuse(
      422,
      'id-fixed',
      'A placement keeps its id: versions are tied to it.',
      'Copy it to give it another.',
    );
  taken(await ws.specs.revise(placement, basedOn, { by: signedBy(req, by), reason }, effectiveOn));
  await answerPage(ws, id, res);
}

/** Keeps a picture with a placement that its areas were traced from. */
async function takeEvidence(ws: Workspace, req: Request, res: Response): Promise<void> {
  const id = findPlace(ws, req);
  const name = typeof req.query.name === 'string' ? req.query.name.slice(0, 200) : 'picture';
  if (!Buffer.isBuffer(req.body) || req.body.length === 0)
    refuse(400, 'bad-request', 'There is no picture in the request.');
  const folder = join(ws.storage.work, `evidence-${nanoid(8)}`);
  try {
    await mkdir(folder, { recursive: true });
    const came = join(folder, 'picture');
    await writeFile(came, req.body);
    const out = evidencePath(ws.storage, id);
    await mkdir(join(out, '..'), { recursive: true });
    taken(await copyPicture(came, out));
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
  await ws.specs.setEvidence(id, name);
  await answerPage(ws, id, res);
}

/** Makes versions for their placements as these hold today: one step each, which can be taken back. */
async function bringOver(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { versionIds } = bodyOf(bringOverSchema, req);
  const rows = await outOfDate(ws, versionIds);
  await ws.db.transaction(async (tx) => {
    for (const { id, placementId, placementRevision: before } of rows) {
      const after = ws.specs.revisionOf(placementId);
      await tx
        .update(versions)
        .set({ placementRevision: after, revision: sql`${versions.revision} + 1`, updatedAt: now() })
        .where(eq(versions.id, id));
      await remember(tx, id, { placementRevision: before }, { placementRevision: after }, now());
    }
  });
  for (const id of new Set(rows.map((row) => row.productionId))) await tellProduction(ws, id);
  ws.events.tell({ kind: 'spec-book' });
  res.json({ changed: rows.length });
}
