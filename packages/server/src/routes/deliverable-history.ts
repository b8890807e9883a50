import { Router, type Request, type Response } from 'express';
import { desc, eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { clearFilesSchema, noteAnswerSchema, noteChangeSchema } from '@mivvy/api';
import { deliverables, happenings, masters, notes } from '../db/schema.ts';
import { clearFiles, olderFiles } from '../files/clear.ts';
import { sweepDoomed } from '../files/doomed.ts';
import { happened } from '../happenings.ts';
import { bodyOf, param, refuse, route, whoOf } from '../http/problems.ts';
import { saveFraming } from '../save-framing.ts';
import { tellProduction, tellVersion } from '../tell.ts';
import { notesOf } from '../views/notes.ts';
import { versionView } from '../views/versions.ts';
import { now, type Workspace } from '../workspace.ts';
import { findProduction, findVersion } from './find.ts';

/** So much of what happened to one version is listed. */
const mostHappenings = 200;

/** Routes of what happened to a version's files, and of notes to them. */
export function deliverableHistoryRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/versions/:id/history',
    route(async (req, res) => {
      const { version } = await findVersion(ws.db, param(req));
      const rows = await ws.db
        .select()
        .from(happenings)
        .where(eq(happenings.versionId, version.id))
        .orderBy(desc(happenings.id))
        .limit(mostHappenings);
      res.json({
        happenings: rows.map(({ productionId: _of, linkId: _link, ...row }) => row),
        notes: await notesOf(ws.db, [version.id]),
      });
    }),
  );
  router.post(
    '/notes/:id/answers',
    route((req, res) => answerNote(ws, req, res)),
  );
  router.patch(
    '/notes/:id',
    route((req, res) => changeNote(ws, req, res)),
  );
  router.post(
    '/deliverables/:id/restore',
    route((req, res) => restoreFraming(ws, req, res)),
  );
  router.post(
    '/productions/:id/clear',
    route((req, res) => clearOlder(ws, req, res)),
  );
  return router;
}

/** Takes older files of each version off the disk, or tells what that would take. */
async function clearOlder(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id } = await findProduction(ws.db, param(req));
  const { keep, onlyTell } = bodyOf(clearFilesSchema, req);
  const { files, paths } = await ws.db.transaction(async (tx) => {
    const goes = await olderFiles(tx, eq(deliverables.productionId, id), keep);
    return { files: goes, paths: onlyTell ? [] : await clearFiles(tx, ws, goes, whoOf(req)) };
  });
  if (!onlyTell) {
    await sweepDoomed(ws, paths);
    await tellProduction(ws, id);
  }
  res.json({
    files: files.map(({ id: fileId, fileName, bytes }) => ({ id: fileId, fileName, bytes })),
    bytes: files.reduce((sum, file) => sum + file.bytes, 0),
  });
}

async function findNote(ws: Workspace, id: string) {
  const [note] = await ws.db.select().from(notes).where(eq(notes.id, id));
  return note ?? refuse(404, 'not-found', 'That note is not here any more.');
}

/** Answers a note from the house; whoever has its link reads it there. */
async function answerNote(ws: Workspace, req: Request, res: Response): Promise<void> {
  const note = await findNote(ws, param(req));
  const { words } = bodyOf(noteAnswerSchema, req);
  await ws.db.insert(notes).values({
    ...note,
    id: nanoid(10),
    answers: note.answers ?? note.id,
    words,
    by: whoOf(req) || 'The producer',
    linkId: null,
    doneAt: null,
    doneBy: null,
    createdAt: now(),
  });
  await tellVersion(ws, note.versionId);
  res.json(await notesOf(ws.db, [note.versionId]));
}

/** Says that what a note asks for is done, or that it is not. */
async function changeNote(ws: Workspace, req: Request, res: Response): Promise<void> {
  const note = await findNote(ws, param(req));
  const { done } = bodyOf(noteChangeSchema, req);
  const by = whoOf(req);
  await ws.db.transaction(async (tx) => {
    await tx
      .update(notes)
      .set(done ? { doneAt: now(), doneBy: by } : { doneAt: null, doneBy: null })
      .where(eq(notes.id, note.id));
    const { productionId, versionId, deliverableId, sha256, words } = note;
    await happened(tx, [
      { by, productionId, versionId, deliverableId, sha256, what: { kind: 'note-done', words, done } },
    ]);
  });
  await tellVersion(ws, note.versionId);
  res.json(await notesOf(ws.db, [note.versionId]));
}

/**
 * Frames a version as it was when one of its earlier files was made, so that this file is what it should be again; the
 * change can be taken back. A file of another master or cut is refused: these would be changed for others as well.
 */
async function restoreFraming(ws: Workspace, req: Request, res: Response): Promise<void> {
  const [file] = await ws.db
    .select()
    .from(deliverables)
    .where(eq(deliverables.id, param(req)));
  if (!file) refuse(404, 'not-found', 'That file is not here any more.');
  const { version } = await findVersion(ws.db, file.versionId);
  const [master] = await ws.db.select().from(masters).where(eq(masters.id, version.masterId));
  if (master?.sha256 !== file.plan.master.sha256)
    refuse(
      409,
      'other-master',
      'That file was made from another master, whose frames are not these.',
      'Bring that master in again, beside this one.',
    );
  const { framing } = file.plan;
  await ws.db.transaction(async (tx) => {
    await saveFraming(tx, version.id, version.revision, framing, whoOf(req));
    await happened(tx, [
      {
        by: whoOf(req),
        productionId: version.productionId,
        versionId: version.id,
        deliverableId: file.id,
        what: { kind: 'restored', file: file.fileName },
      },
    ]);
  });
  await tellVersion(ws, version.id);
  res.json(await versionView(ws, version.id));
}
