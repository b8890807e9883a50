import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import { isDeepStrictEqual } from 'node:util';
import { Router, type Request, type Response } from 'express';
import { eq } from 'drizzle-orm';
import {
  checkKept,
  drawnFrom,
  draftLayer,
  dressingShown,
  isOwn,
  planForMaster,
  readVersionPlan,
  slug,
  writeVersionPlan,
  type Layer,
  type Played,
} from '@mivvy/core';
import { readFileSchema } from '@mivvy/api';
import { createCut } from '../create-cut.ts';
import type { Writer } from '../db/database.ts';
import { cuts, versions } from '../db/schema.ts';
import { bodyOf, param, refuse, route, whoOf } from '../http/problems.ts';
import { saveFraming } from '../save-framing.ts';
import { graphicPath } from '../storage.ts';
import { tellProduction } from '../tell.ts';
import { versionView } from '../views/versions.ts';
import type { Workspace } from '../workspace.ts';
import { findVersion, readMaster, type ReadMasterRow } from './find.ts';

/** Routes of plan files: a version written as one, and framed as one says. */
export function planFileRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/versions/:id/plan',
    route((req, res) => writePlan(ws, req, res)),
  );
  router.post(
    '/versions/:id/plan',
    route((req, res) => readPlan(ws, req, res)),
  );
  return router;
}

async function writePlan(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { version, master } = await findVersion(ws.db, param(req));
  readMaster(master);
  const { facts, sha256, keeps, faces, textless } = drawnFrom(version.textless, master);
  const name = textless === 'used' ? master.textless!.name : master.name;
  const [cut] =
    version.cutId === null ? [] : await ws.db.select().from(cuts).where(eq(cuts.id, version.cutId));
  // Films that are laid over it are too large to travel in a plan; whoever reads it is told.
  const shown = dressingShown(master.dressing, {
    versionId: version.id,
    language: undefined,
    keeps,
  });
  // A file that is made from the plan is as much of a draft as the version's own.
  const draft = shown.draftMark && !version.approved ? [draftLayer(facts!.video.frames)] : [];
  const layers = [...draft, ...shown.layers];
  const plan = writeVersionPlan(version.framing, facts!, {
    placement: version.placementId,
    name,
    sha256,
    ...(cut ? { cut } : {}),
    coverFrame: version.coverFrame,
    sharpen: version.sharpen,
    layers,
    ...(await filesOf(ws, layers)),
    roomFor: [...keeps, ...faces],
  });
  res
    .attachment(`${slug(master.name)}_${version.placementId}.plan.json`)
    .type('application/json')
    .send(`${JSON.stringify(plan, null, 2)}\n`);
}

/** The pictures that layers show and the typefaces of their words, by their sums, as a plan carries them. */
async function filesOf(
  ws: Pick<Workspace, 'storage'>,
  layers: readonly Layer[],
): Promise<Record<'pictures' | 'typefaces', Record<string, string>>> {
  const found = { pictures: {} as Record<string, string>, typefaces: {} as Record<string, string> };
  const read = (kind: 'picture' | 'typeface', sha256: string) =>
    readFile(graphicPath(ws.storage, { kind, sha256 }), 'base64');
  for (const { what } of layers) {
    if (what.kind === 'picture')
      found.pictures[what.picture.sha256] ??= await read('picture', what.picture.sha256);
    if (what.kind === 'words' && isOwn(what.style.face))
      found.typefaces[what.style.face.own] ??= await read('typeface', what.style.face.own);
  }
  return found;
}

async function readPlan(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { fileName, text } = bodyOf(readFileSchema, req);
  const { version, master: row } = await findVersion(ws.db, param(req));
  const master = readMaster(row);
  const plan = readVersionPlan(text, basename(fileName));
  if (!plan.ok) refuse(422, plan.problem.code, plan.problem.sentence, plan.problem.mend);
  const { framing, cut, coverFrame, sharpen, layers, words } = planForMaster(plan.value, master.facts);
  const checked = cut && checkKept(cut.kept, master.facts.video.frames);
  if (checked && !checked.ok)
    refuse(
      422,
      checked.problem.code,
      `${basename(fileName)} was not taken. ${checked.problem.sentence}`,
      checked.problem.mend,
    );
  const played = await ws.db.transaction(async (tx) => {
    await saveFraming(tx, version.id, version.revision, framing, whoOf(req));
    const finish = {
      ...(coverFrame === null ? {} : { coverFrame }),
      ...(sharpen === null ? {} : { sharpen }),
    };
    if (Object.keys(finish).length) await tx.update(versions).set(finish).where(eq(versions.id, version.id));
    if (!cut) return undefined;
    const own = await cutLike(tx, master, cut);
    await tx.update(versions).set({ cutId: own.id }).where(eq(versions.id, version.id));
    return own.name;
  });
  // A cut that was made is the master's, so the whole production is told of.
  await tellProduction(ws, version.productionId);
  res.json({
    version: await versionView(ws, version.id),
    words: [
      `Framed as ${basename(fileName)} says.`,
      ...words,
      ...(played === undefined ? [] : [`It plays the cut “${played}”.`]),
      ...(layers.length
        ? ['Its layers were left out: those here are the film’s own, for all its versions.']
        : []),
    ],
  });
}

/** The cut of a master that keeps the same at the same pace; it is made where there is none. */
async function cutLike(
  tx: Writer,
  master: ReadMasterRow,
  { name, joinMs, kept, pace }: Played & { name: string },
): Promise<{ id: string; name: string }> {
  const own = await tx.select().from(cuts).where(eq(cuts.masterId, master.id));
  const same = own.find((c) => isDeepStrictEqual({ kept: c.kept, pace: c.pace }, { kept, pace }));
  return same ?? { id: await createCut(tx, master, { name, joinMs, kept, pace }), name };
}
