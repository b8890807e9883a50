import { existsSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import { dirname } from 'node:path';
import { Router, type Request, type Response } from 'express';
import PQueue from 'p-queue';
import { makeStill, stillHeight } from '@mivvy/media';
import { openMaster } from '../files/master-file.ts';
import { param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { posterPath, stillPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { findMaster, findReadMaster } from './find.ts';

/** Stills drawn at a time: each is one short decode, and the proofs must stay quick. */
const drawing = new PQueue({ concurrency: 2 });

/** Heights of stills, pixels: a large one is looked at closely, in a part of it. */
const heights = { small: stillHeight, large: 540 } as const;

/** Routes of single pictures of a master. */
export function stillRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/masters/:id/poster',
    route(async (req, res) => {
      const row = await findMaster(ws.db, param(req));
      if (!row.hasPoster) refuse(404, 'no-poster', 'There is no picture of this film yet.');
      await send(res, posterPath(ws.storage, row.id), {
        'Content-Type': 'image/jpeg',
        'Cache-Control': 'private, max-age=3600',
      });
    }),
  );
  router.get(
    '/masters/:id/stills/:frame',
    route((req, res) => sendStill(ws, req, res)),
  );
  return router;
}

async function sendStill(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findReadMaster(ws.db, param(req));
  const frame = Number(param(req, 'frame').replace(/\.jpg$/, ''));
  if (!Number.isInteger(frame) || frame < 0 || frame >= row.facts.video.frames)
    refuse(404, 'not-found', 'The film has no such frame.');
  const size = req.query.size === 'large' ? 'large' : 'small';
  const path = stillPath(ws.storage, row.id, row.fileGeneration, frame, size);
  if (!existsSync(path)) {
    const film = await openMaster(ws, row, { wait: false });
    if (!film.ok) refuse(409, film.problem.code, film.problem.sentence, film.problem.mend);
    await mkdir(dirname(path), { recursive: true });
    const made = await drawing.add(() => makeStill(film.value, row.facts, frame, heights[size], path), {
      throwOnTimeout: true,
    });
    if (!made.ok)
      refuse(
        made.problem.code === 'disk-full' ? 507 : 422,
        made.problem.code,
        made.problem.sentence,
        made.problem.mend,
      );
  }
  await send(res, path, { 'Content-Type': 'image/jpeg', 'Cache-Control': 'private, max-age=86400' });
}
