import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { Router, type Request, type Response } from 'express';
import { nanoid } from 'nanoid';
import PQueue from 'p-queue';
import { pictureAsPlanned, pictureInFile } from '@mivvy/media';
import type { Result } from '@mivvy/core';
import { deliverables, masters, versions } from '../db/schema.ts';
import { lookAtDeliverable, wrongWithFile } from '../files/deliverable-file.ts';
import { openMaster } from '../files/master-file.ts';
import { param, refuse, route } from '../http/problems.ts';
import { fromStored, graphicPath } from '../storage.ts';
import { rowWithSum } from '../textless.ts';
import type { Workspace } from '../workspace.ts';

/** Pictures drawn at a time: each is a short decode. */
const drawing = new PQueue({ concurrency: 2 });

/** Routes of single pictures of finished files: as they are in the file, and as its plan wants them. */
export function deliverableFrameRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/deliverables/:id/frames/:frame/:which',
    route((req, res) => sendPicture(ws, req, res)),
  );
  return router;
}

type Row = typeof deliverables.$inferSelect;

async function sendPicture(ws: Workspace, req: Request, res: Response): Promise<void> {
  const [row] = await ws.db
    .select({ file: deliverables, master: masters })
    .from(deliverables)
    .innerJoin(versions, eq(versions.id, deliverables.versionId))
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .where(eq(deliverables.id, param(req)));
  if (!row) refuse(404, 'not-found', 'That file is not here any more.');
  const frame = Number(param(req, 'frame'));
  const which = param(req, 'which');
  if (!Number.isInteger(frame) || frame < 0 || frame >= row.file.plan.frames)
    refuse(404, 'not-found', 'The file has no such frame.');
  if (which !== 'file' && which !== 'planned')
    refuse(404, 'not-found', 'There is no such picture of a frame.');
  const gone = new AbortController();
  res.once('close', () => gone.abort());
  const picture = await drawing.add(
    () =>
      which === 'file' ? inFile(ws, row.file, frame, gone.signal) : planned(ws, row, frame, gone.signal),
    { throwOnTimeout: true },
  );
  if (!picture.ok) {
    const { code, sentence, mend } = picture.problem;
    refuse(code === 'disk-full' ? 507 : 422, code, sentence, mend);
  }
  res.set('Cache-Control', 'private, max-age=3600').type('png').send(picture.value);
}

const workFolder = (ws: Workspace) => join(ws.storage.work, `frames-${nanoid(8)}`);

async function inFile(ws: Workspace, file: Row, frame: number, signal: AbortSignal): Promise<Result<Buffer>> {
  const wrong = wrongWithFile(await lookAtDeliverable(ws, file, { wait: true }), file.fileName);
  if (wrong) refuse(409, wrong.code, wrong.sentence, wrong.mend);
  return pictureInFile(fromStored(ws.storage, file.path), frame, workFolder(ws), { signal });
}

async function planned(
  ws: Workspace,
  { file, master }: { file: Row; master: typeof masters.$inferSelect },
  frame: number,
  signal: AbortSignal,
): Promise<Result<Buffer>> {
  const drawn = await rowWithSum(ws.db, master, file.plan.master.sha256);
  if (!drawn)
    return refuse(
      409,
      'other-master',
      'The film that this file was made from has been replaced since.',
      'Export the version again to hold its file against the film of today.',
    );
  const film = await openMaster(ws, drawn);
  if (!film.ok) refuse(409, film.problem.code, film.problem.sentence, film.problem.mend);
  return pictureAsPlanned(
    file.plan,
    frame,
    {
      masterPath: film.value,
      graphicPath: (what) => graphicPath(ws.storage, what),
      folder: workFolder(ws),
    },
    { signal },
  );
}
