import { basename, extname } from 'node:path';
import { Router, type Request, type Response } from 'express';
import { eq } from 'drizzle-orm';
import { asEdited, readCutFile, writeEdl, writeOtio } from '@mivvy/core';
import { readFileSchema } from '@mivvy/api';
import { cuts, masters, versions } from '../db/schema.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import type { Workspace } from '../workspace.ts';
import { createCheckedCut } from './cuts.ts';
import { findReadMaster } from './find.ts';
import { answerMaster } from './masters.ts';

/** Routes of edit lists: a cut made from one, and what a version plays written as one. */
export function cutFileRoutes(ws: Workspace): Router {
  const router = Router();
  router.post(
    '/masters/:id/cuts/read',
    route((req, res) => readCut(ws, req, res)),
  );
  router.get(
    '/versions/:id/cut-list/:file',
    route((req, res) => writeCut(ws, req, res)),
  );
  return router;
}

async function readCut(ws: Workspace, req: Request, res: Response): Promise<void> {
  const master = await findReadMaster(ws.db, param(req));
  const { fileName, text } = bodyOf(readFileSchema, req);
  const { rate, frames } = master.facts.video;
  const read = readCutFile(text, fileName, { film: master.name, rate, frames });
  if (!read.ok)
    refuse(
      422,
      read.problem.code,
      `${basename(fileName)} was not taken. ${read.problem.sentence}`,
      read.problem.mend,
    );
  const { kept, pace, words } = read.value;
  const name = basename(fileName, extname(fileName)).slice(0, 120) || 'From an edit list';
  const cutId = await createCheckedCut(ws, master, { name, kept, pace });
  res.json({
    master: await answerMaster(ws, req, master),
    cutId,
    words: [
      `“${name}” keeps ${kept.length} ${kept.length === 1 ? 'span' : 'spans'} as ${basename(fileName)} says.`,
      ...words,
    ],
  });
}

async function writeCut(ws: Workspace, req: Request, res: Response): Promise<void> {
  const [row] = await ws.db
    .select()
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .leftJoin(cuts, eq(cuts.id, versions.cutId))
    .where(eq(versions.id, param(req)));
  if (!row?.masters.facts) return refuse(404, 'not-found', 'That version is not here any more.');
  const { rate, frames } = row.masters.facts.video;
  const cut = {
    title: row.cuts?.name ?? row.masters.name,
    film: row.masters.name,
    rate,
    frames,
    kept: row.cuts?.kept ?? [{ from: 0, to: frames }],
    pace: row.cuts?.pace ?? asEdited,
    framing: row.versions.framing,
  };
  const file = param(req, 'file');
  switch (file) {
    case 'cut.edl':
      return void res.attachment(file).type('text/plain').send(writeEdl(cut));
    case 'cut.otio':
      return void res.attachment(file).type('application/json').send(writeOtio(cut));
    default:
      refuse(404, 'not-found', 'Edit lists come as cut.edl or cut.otio.');
  }
}
