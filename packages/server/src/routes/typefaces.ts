import { existsSync } from 'node:fs';
import express, { Router, type Request, type Response } from 'express';
import { eq } from 'drizzle-orm';
import writeFileAtomic from 'write-file-atomic';
import { readTypeface } from '@mivvy/media';
import { typefaces } from '../db/schema.ts';
import { param, refuse, route, whoOf } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { graphicPath } from '../storage.ts';
import { now, type Workspace } from '../workspace.ts';
import { sentFile, taken } from './sent-file.ts';

/** A typeface file at most, as it is sent. */
const mostFile = '25mb';
/** What never changes under its name is kept by browsers for a year. */
const forEver = 'public, max-age=31536000, immutable';

/** Routes of the workspace's own typefaces, which titles can be set in beside those that ship. */
export function typefaceRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/typefaces',
    route(async (_req, res) => {
      res.json(await ownTypefaces(ws));
    }),
  );
  router.post(
    '/typefaces',
    express.raw({ type: () => true, limit: mostFile }),
    route((req, res) => bringIn(ws, req, res)),
  );
  router.get(
    '/typefaces/:id',
    route(async (req, res) => {
      const sha256 = param(req);
      const path = graphicPath(ws.storage, { kind: 'typeface', sha256 });
      if (!/^[0-9a-f]{64}$/.test(sha256) || !existsSync(path))
        refuse(404, 'not-found', 'That typeface is not here.');
      await send(res, path, { 'Content-Type': 'application/octet-stream', 'Cache-Control': forEver });
    }),
  );
  router.delete(
    '/typefaces/:id',
    route(async (req, res) => {
      // The file stays: titles that are set in it, and plans of files that were made, still name it.
      await ws.db.delete(typefaces).where(eq(typefaces.sha256, param(req)));
      ws.events.tell({ kind: 'typefaces' });
      res.status(204).end();
    }),
  );
  return router;
}

const ownTypefaces = (ws: Workspace) =>
  ws.db
    .select({ own: typefaces.sha256, name: typefaces.name })
    .from(typefaces)
    .orderBy(typefaces.name, typefaces.sha256);

async function bringIn(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { bytes, name } = sentFile(req, 'typeface');
  const face = taken(readTypeface(bytes, name));
  const path = graphicPath(ws.storage, { kind: 'typeface', sha256: face.own });
  // The file first: a row without it would offer what cannot be drawn.
  if (!existsSync(path)) await writeFileAtomic(path, bytes);
  await ws.db
    .insert(typefaces)
    .values({ sha256: face.own, name: face.name, fileName: name, by: whoOf(req), createdAt: now() })
    .onConflictDoNothing();
  ws.events.tell({ kind: 'typefaces' });
  res.json(face);
}
