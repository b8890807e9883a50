import { basename, extname } from 'node:path';
import { Router, type Request, type Response } from 'express';
import { groupSetups, mostShots, oneShot, readCutList, shotsFromCuts } from '@mivvy/core';
import { readFileSchema } from '@mivvy/api';
import { readThumbnails } from '../analysis.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import type { Workspace } from '../workspace.ts';
import { findReadMaster } from './find.ts';
import { answerMaster, changeMaster } from './masters.ts';

/** The route that reads where a master's shots begin from an edit list. */
export function shotListRoutes(ws: Workspace): Router {
  const router = Router();
  router.post(
    '/masters/:id/cut-list',
    route((req, res) => readShots(ws, req, res)),
  );
  return router;
}

async function readShots(ws: Workspace, req: Request, res: Response): Promise<void> {
  const row = await findReadMaster(ws.db, param(req));
  const { fileName, text } = bodyOf(readFileSchema, req);
  const { rate, frames } = row.facts.video;
  const read = readCutList(text, fileName, rate);
  if (!read.ok)
    refuse(
      422,
      read.problem.code,
      `${basename(fileName)} was not taken. ${read.problem.sentence}`,
      read.problem.mend,
    );
  const { cuts, joins, words } = read.value;
  const inside = cuts.filter((c) => c < frames);
  if (inside.length >= mostShots)
    refuse(
      422,
      'too-many-cuts',
      `${basename(fileName)} was not taken: it has ${inside.length} cuts, and a film has at most ${mostShots} shots here.`,
      'Export the edit list of the finished film alone.',
    );
  const shots = shotsFromCuts(inside, row.shots ?? oneShot, frames).map((shot) => {
    const join = joins.find((j) => j.cut === shot.from);
    return {
      from: shot.from,
      setup: shot.setup,
      ...(join ? { join: { kind: 'dissolve' as const, span: join.span } } : {}),
    };
  });
  const thumbnails = await readThumbnails(ws.storage, row.sha256);
  await changeMaster(ws, row, row.revision, {
    shots: thumbnails ? groupSetups(shots, frames, thumbnails) : shots,
  });
  if (inside.length < cuts.length)
    words.push(`${cuts.length - inside.length} cuts lie after the end of the film and were left out.`);
  if (read.value.frames !== frames)
    words.push(
      `The edit list runs ${read.value.frames} frames and the film ${frames}: check that they belong together.`,
    );
  res.json({
    master: await answerMaster(ws, req, row),
    words: [
      `${inside.length} ${inside.length === 1 ? 'cut was' : 'cuts were'} read from ${basename(fileName, extname(fileName))}.`,
      ...words,
    ],
  });
}
