import { existsSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { mkdir, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import express, { Router, type Request, type Response } from 'express';
import { and, eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import writeFileAtomic from 'write-file-atomic';
import {
  fontFiles,
  isOwn,
  sidecarText,
  type Dressing,
  type LayerContent,
  type ShownGraphic,
} from '@mivvy/core';
import { dressingChangeSchema, scriptSchema } from '@mivvy/api';
import {
  fontPath,
  isPicture,
  previewGraphicFilm,
  readCaptionBytes,
  readGraphicFilm,
  takeGraphic,
} from '@mivvy/media';
import { deliverables, masters } from '../db/schema.ts';
import { dressingUndoId, remember } from '../history.ts';
import { moveFile } from '../files/move-file.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { scriptAlong } from '../script.ts';
import { graphicPath, graphicPreview } from '../storage.ts';
import { now, type Workspace } from '../workspace.ts';
import { findMaster, findReadMaster } from './find.ts';
import { answerMaster } from './masters.ts';
import { sentFile, taken } from './sent-file.ts';
import { undoRoutes } from './undo-routes.ts';

/** Pictures and caption files are this large at most, bytes. */
const mostFile = '250mb';
/** What never changes under its name is kept by browsers for a year. */
const forEver = 'public, max-age=31536000, immutable';

/** Routes of what is laid over a film: layers and captions, with undo, and the files and letters that they need. */
export function dressingRoutes(ws: Workspace): Router {
  const router = Router();
  router.put(
    '/masters/:id/dressing',
    route((req, res) => changeDressing(ws, req, res)),
  );
  undoRoutes(router, ws, '/masters/:id/dressing', {
    find: async (id) => ({ id: dressingUndoId(id), master: await findMaster(ws.db, id) }),
    restore: async (tx, { master }, state) => {
      if (!('dressing' in state)) return;
      await tx
        .update(masters)
        .set({ dressing: state.dressing, dressingRevision: master.dressingRevision + 1 })
        .where(eq(masters.id, master.id));
    },
    answer: (req, { master }, state) => answerMaster(ws, req, master, state !== undefined),
  });
  const raw = express.raw({ type: () => true, limit: mostFile });
  router.post(
    '/captions/read',
    raw,
    route(async (req, res) => {
      const { bytes, name } = sentFile(req, 'captions.srt');
      res.json(taken(readCaptionBytes(bytes, name)));
    }),
  );
  router.post(
    '/masters/:id/script',
    route(async (req, res) => {
      const master = await findReadMaster(ws.db, param(req));
      const { text } = bodyOf(scriptSchema, req);
      res.json(taken(await scriptAlong(ws, master, text)));
    }),
  );
  router.post(
    '/graphics',
    raw,
    route((req, res) => takeFile(ws, req, res)),
  );
  router.get(
    '/graphics/:id',
    route((req, res) => sendGraphic(ws, req, res)),
  );
  router.get(
    '/letters/:id',
    route(async (req, res) => {
      const file = fontFiles.find(({ name }) => name === param(req));
      if (!file) return refuse(404, 'not-found', 'Those letters are not here.');
      await send(res, fontPath(file), { 'Content-Type': 'font/woff2', 'Cache-Control': forEver });
    }),
  );
  router.get(
    '/deliverables/:id/captions',
    route((req, res) => sendCaptions(ws, req, res)),
  );
  return router;
}

/** Refuses layers that show a picture or a film which is not here. */
function checkGraphics(ws: Workspace, { layers }: Dressing): void {
  const check = (kind: ShownGraphic['kind'], sha256: string, name: string) => {
    if (!existsSync(graphicPath(ws.storage, { kind, sha256 })))
      refuse(422, 'no-picture', `The ${kind} of “${name}” is not here.`, 'Bring it in again.');
  };
  for (const { what, name, otherwise } of layers) {
    if (what.kind === 'picture') check('picture', what.picture.sha256, name);
    if (what.kind === 'film') check('film', what.film.sha256, name);
    if (what.kind === 'words' && isOwn(what.style.face)) check('typeface', what.style.face.own, name);
    for (const { picture } of Object.values(otherwise)) if (picture) check('picture', picture.sha256, name);
  }
}

async function changeDressing(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findReadMaster(ws.db, param(req));
  const { revision, dressing } = bodyOf(dressingChangeSchema, req);
  checkGraphics(ws, dressing);
  await ws.db.transaction(async (tx) => {
    // One statement decides between two browsers.
    const [written] = await tx
      .update(masters)
      .set({ dressing, dressingRevision: revision + 1 })
      .where(and(eq(masters.id, row.id), eq(masters.dressingRevision, revision)))
      .returning({ id: masters.id });
    if (!written)
      refuse(
        409,
        'changed-elsewhere',
        'The layers or captions of this film were changed in another window meanwhile.',
        'The newest are shown now; put yours on top if you still want it.',
      );
    await remember(tx, dressingUndoId(row.id), { dressing: row.dressing }, { dressing }, now());
  });
  // Where its versions stand is another thing now.
  res.json(await answerMaster(ws, req, row, true));
}

/** Puts bytes in their place, whole or not at all; what is there already is the same. */
const keep = async (path: string, bytes: Buffer): Promise<void> =>
  existsSync(path) ? undefined : writeFileAtomic(path, bytes);

async function takeFile(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { bytes, name } = sentFile(req, 'picture');
  const what = isPicture(bytes) ? await takePicture(ws, bytes, name) : await takeFilm(ws, bytes, name);
  res.json(what);
}

async function takePicture(ws: Workspace, bytes: Buffer, name: string): Promise<LayerContent> {
  const { sha256, width, height, bytes: png } = taken(await takeGraphic(bytes, name));
  await keep(graphicPath(ws.storage, { kind: 'picture', sha256 }), png);
  return { kind: 'picture', picture: { sha256, name, width, height } };
}

/** A moving graphic: kept as it came, with what browsers play of it. */
async function takeFilm(ws: Workspace, bytes: Buffer, name: string): Promise<LayerContent> {
  const sha256 = createHash('sha256').update(bytes).digest('hex');
  const folder = join(ws.storage.work, `graphic-${nanoid(8)}`);
  await mkdir(folder, { recursive: true });
  try {
    const came = join(folder, 'film');
    await writeFile(came, bytes);
    const film = taken(await readGraphicFilm(came, name));
    const preview = graphicPreview(ws.storage, sha256);
    if (!existsSync(preview)) {
      taken(await previewGraphicFilm(came, join(folder, 'preview.webm'), film));
      await moveFile(join(folder, 'preview.webm'), preview);
    }
    await keep(graphicPath(ws.storage, { kind: 'film', sha256 }), bytes);
    const blend = film.alpha === 'none' ? 'screen' : 'over';
    return { kind: 'film', film: { sha256, name, ...film }, blend };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** A picture that layers show, or what browsers play of a film that they do. */
async function sendGraphic(ws: Workspace, req: Request, res: Response): Promise<void> {
  const sha256 = param(req);
  const picture = graphicPath(ws.storage, { kind: 'picture', sha256 });
  const film = graphicPreview(ws.storage, sha256);
  const known = /^[0-9a-f]{64}$/.test(sha256);
  if (known && existsSync(picture))
    return send(res, picture, { 'Content-Type': 'image/png', 'Cache-Control': forEver });
  if (known && existsSync(film))
    return send(res, film, { 'Content-Type': 'video/webm', 'Cache-Control': forEver });
  refuse(404, 'not-found', 'That picture is not here.');
}

async function sendCaptions(ws: Workspace, req: Request, res: Response): Promise<void> {
  const [file] = await ws.db
    .select({ plan: deliverables.plan, fileName: deliverables.fileName })
    .from(deliverables)
    .where(eq(deliverables.id, param(req)));
  const sidecar = file?.plan.sidecar;
  if (!file || !sidecar) return refuse(404, 'not-found', 'No captions go beside that file.');
  res
    .attachment(`${file.fileName.replace(/\.[^.]*$/, '')}.${sidecar.format}`)
    .type(sidecar.format === 'vtt' ? 'text/vtt' : 'application/x-subrip')
    .send(sidecarText(sidecar));
}
