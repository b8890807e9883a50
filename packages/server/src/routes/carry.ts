import { Router, type Request, type Response } from 'express';
import { and, eq, inArray } from 'drizzle-orm';
import {
  clipOf,
  replaceFramingIn,
  setShotFraming,
  unitAt,
  unitsOf,
  type CarryFilm,
  type Framing,
  type Unit,
} from '@mivvy/core';
import { carryMasterSchema, carryRequestSchema } from '@mivvy/api';
import { addVersions } from '../add-versions.ts';
import { carryFilm, carryMatched, matchFilms, matchWords } from '../carry.ts';
import { masters, versions } from '../db/schema.ts';
import { bodyOf, param, refuse, route, windowOf, whoOf } from '../http/problems.ts';
import { saveFraming } from '../save-framing.ts';
import { refuseVersions } from '../textless.ts';
import { tellProduction } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { findVersion } from './find.ts';

/** Routes of carrying a framing to other versions, and all framings of a master to another. */
export function carryRoutes(ws: Workspace): Router {
  const router = Router();
  router.post(
    '/productions/:id/carry',
    route((req, res) => carryVersion(ws, req, res)),
  );
  router.post(
    '/masters/:id/carry',
    route((req, res) => carryMaster(ws, req, res)),
  );
  return router;
}

/** A version of the same film framed as another one, in one shot or in all. Framings of one film are free of shape. */
function carrySameFilm(from: Framing, to: Framing, film: CarryFilm, unit: Unit | undefined): Framing {
  if (!unit) return from;
  const units = unitsOf(to, film.shots, film.frames);
  const target = units.find((u) => u.from === unit.from && u.to === unit.to);
  // Where the same shot is framed as one there too, it takes along those that share its framing.
  return target
    ? setShotFraming(to, units, target, clipOf(from, unit))
    : replaceFramingIn(to, unit, clipOf(from, unit), film.frames);
}

async function carryVersion(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { fromVersionId, toVersionIds, shotAt } = bodyOf(carryRequestSchema, req);
  const from = await findVersion(ws.db, fromVersionId);
  const source = carryFilm(from.master);
  if (!source || from.version.productionId !== param(req))
    refuse(404, 'not-found', 'That version is not in this production any more.');
  const rows = await ws.db
    .select()
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .where(and(eq(versions.productionId, from.version.productionId), inArray(versions.id, toVersionIds)));
  const unit =
    shotAt === undefined
      ? undefined
      : unitAt(unitsOf(from.version.framing, source.shots, source.frames), shotAt);
  const words: string[] = [];
  const framed: { id: string; revision: number; framing: Framing }[] = [];
  for (const { versions: version, masters: master } of rows) {
    const film = carryFilm(master);
    if (!film || version.id === fromVersionId) continue;
    const { id, revision } = version;
    if (master.id === from.master.id) {
      framed.push({
        id,
        revision,
        framing: carrySameFilm(from.version.framing, version.framing, film, unit),
      });
      continue;
    }
    // Another film's shots must be found first.
    const match = await matchFilms(
      ws,
      { film: source, sha256: from.master.sha256 },
      { film, sha256: master.sha256 },
    );
    words.push(matchWords(from.master.name, master.name, match));
    if (match.some((m) => m !== null))
      framed.push({
        id,
        revision,
        framing: carryMatched(from.version.framing, version.framing, source, film, match, unit?.shot),
      });
  }
  await ws.db.transaction(async (tx) => {
    for (const { id, revision, framing } of framed) await saveFraming(tx, id, revision, framing, whoOf(req));
  });
  await tellProduction(ws, from.version.productionId, windowOf(req));
  res.json({ changed: framed.length, words });
}

async function carryMaster(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { toMasterId } = bodyOf(carryMasterSchema, req);
  const films = await ws.db
    .select()
    .from(masters)
    .where(inArray(masters.id, [param(req), toMasterId]));
  const [from, to] = [films.find((f) => f.id === param(req)), films.find((f) => f.id === toMasterId)];
  const [source, film] = [from && carryFilm(from), to && carryFilm(to)];
  if (!from || !to || !source || !film || from.id === to.id || from.productionId !== to.productionId)
    refuse(404, 'not-found', 'One of the two masters is not in this production, or cannot be used.');
  if (to.textlessOf) refuseVersions(to);
  const match = await matchFilms(ws, { film: source, sha256: from.sha256 }, { film, sha256: to.sha256 });
  const resembles = match.some((m) => m !== null);
  const made = await ws.db
    .select()
    .from(versions)
    .where(eq(versions.masterId, from.id))
    .orderBy(versions.createdAt, versions.tag);
  if (resembles) {
    await ws.db.transaction(async (tx) => {
      await addVersions(
        tx,
        to,
        made.map((v) => v.placementId),
        ws.specs,
      );
      const there = await tx.select().from(versions).where(eq(versions.masterId, to.id));
      for (const version of there) {
        const twin = made.find((v) => v.placementId === version.placementId);
        if (!twin) continue;
        const framing = carryMatched(twin.framing, version.framing, source, film, match);
        await saveFraming(tx, version.id, version.revision, framing, whoOf(req));
      }
    });
  }
  await tellProduction(ws, from.productionId, windowOf(req));
  res.json({ changed: resembles ? made.length : 0, words: [matchWords(from.name, to.name, match)] });
}
