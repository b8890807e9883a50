import { basename } from 'node:path';
import { isDeepStrictEqual } from 'node:util';
import { Router } from 'express';
import { and, eq, inArray, sql } from 'drizzle-orm';
import {
  checkKept,
  clipOf,
  replaceFramingIn,
  setShotFraming,
  planForMaster,
  readVersionPlan,
  slug,
  unitAt,
  unitsOf,
  writeVersionPlan,
  type Framing,
} from '@mivvy/core';
import {
  acceptRequestSchema,
  carryMasterSchema,
  carryRequestSchema,
  framingChangeSchema,
  readFileSchema,
  unacceptRequestSchema,
} from '@mivvy/api';
import { carryFilm, carryMatched, matchFilms, matchWords } from '../carry.ts';
import { addVersions } from '../add-versions.ts';
import { createCut } from '../create-cut.ts';
import { cuts, deliverables, jobs, masters, productions, versions } from '../db/schema.ts';
import { doom, sweepDoomed } from '../files/doomed.ts';
import { saveFraming } from '../save-framing.ts';
import { forgetChanges, recall } from '../history.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { fromStored, logPath } from '../storage.ts';
import { versionView } from '../views.ts';
import { now, type Workspace } from '../workspace.ts';

/** Routes of versions: their framing, with undo; acceptances; plans as files; carrying a framing to others. */
export function versionRoutes(ws: Workspace): Router {
  const router = Router();
  const { db, events } = ws;
  const find = async (id: string) => {
    const [row] = await db
      .select()
      .from(versions)
      .innerJoin(masters, eq(masters.id, versions.masterId))
      .where(eq(versions.id, id));
    return row
      ? { version: row.versions, master: row.masters }
      : refuse(404, 'not-found', 'That version is not here any more.');
  };
  const touched = async (productionId: string) => {
    await db.update(productions).set({ updatedAt: now() }).where(eq(productions.id, productionId));
    events.tell({ kind: 'production', productionId });
  };

  router.patch(
    '/versions/:id',
    route(async (req, res) => {
      const { revision, framing } = bodyOf(framingChangeSchema, req);
      const row = await db.transaction((tx) => saveFraming(tx, param(req), revision, framing));
      await touched(row.productionId);
      res.json(await versionView(ws, row.id));
    }),
  );

  for (const direction of ['undo', 'redo'] as const) {
    router.post(
      `/versions/:id/${direction}`,
      route(async (req, res) => {
        const { version } = await find(param(req));
        await db.transaction(async (tx) => {
          const found = await recall(tx, version.id, direction);
          if (!found || !('framing' in found.state)) return;
          await tx
            .update(versions)
            .set({ framing: found.state.framing, revision: sql`${versions.revision} + 1`, updatedAt: now() })
            .where(eq(versions.id, version.id));
          await found.done();
        });
        await touched(version.productionId);
        res.json(await versionView(ws, version.id));
      }),
    );
  }

  router.post(
    '/versions/:id/acceptances',
    route(async (req, res) => {
      const { mark, reason } = bodyOf(acceptRequestSchema, req);
      const { version } = await find(param(req));
      const accepted = [
        ...version.accepted.filter((a) => a.mark !== mark),
        { mark, reason, acceptedAt: now() },
      ];
      await db.update(versions).set({ accepted }).where(eq(versions.id, version.id));
      await touched(version.productionId);
      res.json(await versionView(ws, version.id));
    }),
  );
  router.post(
    '/versions/:id/acceptances/withdraw',
    route(async (req, res) => {
      const { mark } = bodyOf(unacceptRequestSchema, req);
      const { version } = await find(param(req));
      await db
        .update(versions)
        .set({ accepted: version.accepted.filter((a) => a.mark !== mark) })
        .where(eq(versions.id, version.id));
      await touched(version.productionId);
      res.json(await versionView(ws, version.id));
    }),
  );

  router.get(
    '/versions/:id/plan',
    route(async (req, res) => {
      const { version, master } = await find(param(req));
      if (!master.facts)
        refuse(409, 'master-failed', 'This master cannot be used.', master.problem?.sentence ?? '');
      const [cut] =
        version.cutId === null ? [] : await db.select().from(cuts).where(eq(cuts.id, version.cutId));
      const plan = writeVersionPlan(version.framing, master.facts, {
        placement: version.placementId,
        name: master.name,
        sha256: master.sha256,
        ...(cut ? { cut } : {}),
      });
      res
        .attachment(`${slug(master.name)}_${version.placementId}.plan.json`)
        .type('application/json')
        .send(`${JSON.stringify(plan, null, 2)}\n`);
    }),
  );
  router.post(
    '/versions/:id/plan',
    route(async (req, res) => {
      const { fileName, text } = bodyOf(readFileSchema, req);
      const { version, master } = await find(param(req));
      if (!master.facts)
        refuse(409, 'master-failed', 'This master cannot be used.', master.problem?.sentence ?? '');
      const plan = readVersionPlan(text, basename(fileName));
      if (!plan.ok) refuse(422, plan.problem.code, plan.problem.sentence, plan.problem.mend);
      const { framing, cut, words } = planForMaster(plan.value, master.facts);
      const checked = cut && checkKept(cut.kept, master.facts.video.frames);
      if (checked && !checked.ok)
        refuse(
          422,
          checked.problem.code,
          `${basename(fileName)} was not taken. ${checked.problem.sentence}`,
          checked.problem.mend,
        );
      const said = await db.transaction(async (tx) => {
        await saveFraming(tx, version.id, version.revision, framing);
        const heard = [`Framed as ${basename(fileName)} says.`, ...words];
        if (!cut) return heard;
        // A cut that is there already is played, not made again.
        const { name, joinMs, ...what } = cut;
        const own = await tx.select().from(cuts).where(eq(cuts.masterId, master.id));
        const same = own.find((c) => isDeepStrictEqual({ kept: c.kept, pace: c.pace }, what));
        const cutId = same?.id ?? (await createCut(tx, master, { name, joinMs, ...what }));
        await tx.update(versions).set({ cutId }).where(eq(versions.id, version.id));
        return [...heard, `It plays the cut “${same?.name ?? name}”.`];
      });
      await touched(version.productionId);
      res.json({ version: await versionView(ws, version.id), words: said });
    }),
  );

  router.post(
    '/productions/:id/carry',
    route(async (req, res) => {
      const { fromVersionId, toVersionIds, shotAt } = bodyOf(carryRequestSchema, req);
      const from = await find(fromVersionId);
      const source = carryFilm(from.master);
      if (!source || from.version.productionId !== param(req))
        refuse(404, 'not-found', 'That version is not in this production any more.');
      const rows = await db
        .select()
        .from(versions)
        .innerJoin(masters, eq(masters.id, versions.masterId))
        .where(and(eq(versions.productionId, from.version.productionId), inArray(versions.id, toVersionIds)));
      const words: string[] = [];
      const framed: { id: string; revision: number; framing: Framing }[] = [];
      for (const { versions: version, masters: master } of rows) {
        const film = carryFilm(master);
        if (!film || version.id === fromVersionId) continue;
        // Framings of one film are free of shape; another film's shots must be found first.
        const unit =
          shotAt === undefined
            ? undefined
            : unitAt(unitsOf(from.version.framing, source.shots, source.frames), shotAt);
        let framing: Framing;
        if (master.id === from.master.id) {
          const units = unitsOf(version.framing, film.shots, film.frames);
          const target = unit && units.find((u) => u.from === unit.from && u.to === unit.to);
          // Where the same shot is framed as one there too, it takes along those that share its framing.
          framing = !unit
            ? from.version.framing
            : target
              ? setShotFraming(version.framing, units, target, clipOf(from.version.framing, unit))
              : replaceFramingIn(version.framing, unit, clipOf(from.version.framing, unit), film.frames);
        } else {
          const match = await matchFilms(
            ws,
            { film: source, sha256: from.master.sha256 },
            { film, sha256: master.sha256 },
          );
          words.push(matchWords(from.master.name, master.name, match));
          if (!match.some((m) => m !== null)) continue;
          framing = carryMatched(from.version.framing, version.framing, source, film, match, unit?.shot);
        }
        framed.push({ id: version.id, revision: version.revision, framing });
      }
      await db.transaction(async (tx) => {
        for (const { id, revision, framing } of framed) await saveFraming(tx, id, revision, framing);
      });
      await touched(from.version.productionId);
      res.json({ changed: framed.length, words });
    }),
  );

  router.post(
    '/masters/:id/carry',
    route(async (req, res) => {
      const { toMasterId } = bodyOf(carryMasterSchema, req);
      const films = await db
        .select()
        .from(masters)
        .where(inArray(masters.id, [param(req), toMasterId]));
      const [from, to] = [films.find((f) => f.id === param(req)), films.find((f) => f.id === toMasterId)];
      const [source, film] = [from && carryFilm(from), to && carryFilm(to)];
      if (!from || !to || !source || !film || from.id === to.id || from.productionId !== to.productionId)
        refuse(404, 'not-found', 'One of the two masters is not in this production, or cannot be used.');
      const match = await matchFilms(ws, { film: source, sha256: from.sha256 }, { film, sha256: to.sha256 });
      const words = [matchWords(from.name, to.name, match)];
      const made = await db
        .select()
        .from(versions)
        .where(eq(versions.masterId, from.id))
        .orderBy(versions.createdAt, versions.tag);
      if (match.some((m) => m !== null)) {
        await db.transaction(async (tx) => {
          await addVersions(
            tx,
            to,
            made.map((v) => v.placementId),
          );
          const there = await tx.select().from(versions).where(eq(versions.masterId, to.id));
          for (const version of there) {
            const twin = made.find((v) => v.placementId === version.placementId);
            if (twin)
              await saveFraming(
                tx,
                version.id,
                version.revision,
                carryMatched(twin.framing, version.framing, source, film, match),
              );
          }
        });
      }
      await touched(from.productionId);
      res.json({ changed: match.some((m) => m !== null) ? made.length : 0, words });
    }),
  );

  router.delete(
    '/versions/:id',
    route(async (req, res) => {
      const { version } = await find(param(req));
      await ws.runner.forget([version.id]);
      const goes = await db.transaction(async (tx) => {
        const files = await tx
          .select({ path: deliverables.path })
          .from(deliverables)
          .where(eq(deliverables.versionId, version.id));
        const gone = await tx.delete(jobs).where(eq(jobs.subjectId, version.id)).returning({ id: jobs.id });
        const paths = [
          ...files.map((f) => fromStored(ws.storage, f.path)),
          ...gone.map((job) => logPath(ws.storage, job.id)),
        ];
        await doom(tx, ws, paths);
        await forgetChanges(tx, [version.id]);
        await tx.delete(versions).where(eq(versions.id, version.id));
        return paths;
      });
      await sweepDoomed(ws, goes);
      await touched(version.productionId);
      res.status(204).end();
    }),
  );

  return router;
}
