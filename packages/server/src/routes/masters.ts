import { mkdir } from 'node:fs/promises';
import { existsSync } from 'node:fs';
import { basename, dirname, extname } from 'node:path';
import { Router } from 'express';
import { and, eq } from 'drizzle-orm';
import PQueue from 'p-queue';
import {
  frameForMaster,
  guideSvg,
  guideTable,
  mostShots,
  groupSetups,
  keepsWithin,
  moveChange,
  oneShot,
  readCutList,
  shotsFromCuts,
  windowAt,
  type Guide,
  type Keep,
  type Shot,
} from '@mivvy/core';
import { guidePng, makeStill, stillHeight } from '@mivvy/media';
import { masterWorkSchema, readFileSchema } from '@mivvy/api';
import { readThumbnails } from '../analysis.ts';
import { masters, versions, type MovedBoundary } from '../db/schema.ts';
import { recall, remember } from '../history.ts';
import { openMaster } from '../files/master-file.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { stillPath } from '../storage.ts';
import { masterView } from '../views.ts';
import { now, type Workspace } from '../workspace.ts';
import { findMaster, findReadMaster } from './find-master.ts';

type MasterRow = typeof masters.$inferSelect;

/** Stills drawn at a time: each is one short decode, and the proofs must stay quick. */
const stills = new PQueue({ concurrency: 2 });

/** Moves the changes of all framings of a master along with a cut. */
async function moveChanges(
  tx: Pick<Workspace['db'], 'select' | 'update'>,
  masterId: string,
  { from, to }: MovedBoundary,
): Promise<void> {
  for (const version of await tx.select().from(versions).where(eq(versions.masterId, masterId))) {
    const framing = moveChange(version.framing, from, to);
    if (framing !== version.framing)
      await tx
        .update(versions)
        .set({ framing, revision: version.revision + 1, updatedAt: now() })
        .where(eq(versions.id, version.id));
  }
}

/** Routes of a master's shots, keeps, stills and guides. */
export function masterRoutes(ws: Workspace): Router {
  const router = Router();
  const { db, events } = ws;
  const find = (id: string) => findMaster(db, id);
  const withFacts = (id: string) => findReadMaster(db, id);
  const answer = async (row: Pick<MasterRow, 'id' | 'productionId'>) => {
    events.tell({ kind: 'production', productionId: row.productionId });
    return (await masterView(ws, row.id))!;
  };

  /** Writes shots and keeps together with the memory of what they were. A row that has moved on meanwhile is refused. */
  const change = async (
    row: MasterRow,
    revision: number,
    next: { shots?: Shot[] | undefined; keeps?: Keep[] | undefined },
    movedCut?: MovedBoundary,
  ) => {
    const before = { shots: row.shots ?? [...oneShot], keeps: row.keeps };
    const after = { shots: next.shots ?? before.shots, keeps: next.keeps ?? before.keeps };
    await db.transaction(async (tx) => {
      const [written] = await tx
        .update(masters)
        .set({ ...after, revision: revision + 1 })
        .where(and(eq(masters.id, row.id), eq(masters.revision, revision)))
        .returning();
      if (!written)
        refuse(
          409,
          'changed-elsewhere',
          'This master’s shots or keeps were changed in another window meanwhile.',
          'The newest are shown now; make your change again if you still want it.',
        );
      await remember(
        tx,
        row.id,
        movedCut ? { ...before, movedCut: { from: movedCut.to, to: movedCut.from } } : before,
        movedCut ? { ...after, movedCut } : after,
        now(),
      );
      if (movedCut) await moveChanges(tx, row.id, movedCut);
    });
  };

  router.get(
    '/masters/:id/stills/:frame',
    route(async (req, res) => {
      const row = await withFacts(param(req));
      const frame = Number(param(req, 'frame').replace(/\.jpg$/, ''));
      if (!Number.isInteger(frame) || frame < 0 || frame >= row.facts.video.frames)
        refuse(404, 'not-found', 'The film has no such frame.');
      const path = stillPath(ws.storage, row.id, row.take, frame);
      if (!existsSync(path)) {
        const film = await openMaster(ws, row, { wait: false });
        if (!film.ok) refuse(409, film.problem.code, film.problem.sentence, film.problem.mend);
        await mkdir(dirname(path), { recursive: true });
        const made = await stills.add(() => makeStill(film.value, row.facts, frame, stillHeight, path), {
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
    }),
  );

  router.patch(
    '/masters/:id/work',
    route(async (req, res) => {
      const row = await withFacts(param(req));
      const { revision, shots, keeps, movedCut } = bodyOf(masterWorkSchema, req);
      const { frames } = row.facts.video;
      if (shots && shots.at(-1)!.from >= frames)
        refuse(400, 'bad-request', `The film ends at frame ${frames - 1}; a shot starts after that.`);
      // A keep that runs on past the film ends with it; one that starts after its end would never be seen.
      const kept = keeps && keepsWithin(keeps, frames);
      if (keeps && kept!.length < keeps.length)
        refuse(
          400,
          'bad-request',
          'A keep starts after the film has ended.',
          'Give it a span inside the film.',
        );
      await change(row, revision, { shots, keeps: kept }, movedCut);
      res.json(await answer(row));
    }),
  );

  router.post(
    '/masters/:id/cut-list',
    route(async (req, res) => {
      const row = await withFacts(param(req));
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
      const looks = await readThumbnails(ws.storage, row.sha256);
      await change(row, row.revision, { shots: looks ? groupSetups(shots, frames, looks) : shots });
      if (inside.length < cuts.length)
        words.push(`${cuts.length - inside.length} cuts lie after the end of the film and were left out.`);
      if (read.value.frames !== frames)
        words.push(
          `The edit list runs ${read.value.frames} frames and the film ${frames}: check that they belong together.`,
        );
      res.json({
        master: await answer(row),
        words: [
          `${inside.length} ${inside.length === 1 ? 'cut was' : 'cuts were'} read from ${basename(fileName, extname(fileName))}.`,
          ...words,
        ],
      });
    }),
  );

  router.post(
    '/masters/:id/setups',
    route(async (req, res) => {
      const row = await withFacts(param(req));
      const looks = await readThumbnails(ws.storage, row.sha256);
      if (!looks || !row.shots)
        refuse(409, 'not-looked-at', 'The film is still being looked at.', 'Try again in a moment.');
      await change(row, row.revision, { shots: groupSetups(row.shots, row.facts.video.frames, looks) });
      res.json(await answer(row));
    }),
  );

  for (const direction of ['undo', 'redo'] as const) {
    router.post(
      `/masters/:id/${direction}`,
      route(async (req, res) => {
        const row = await find(param(req));
        await db.transaction(async (tx) => {
          const found = await recall(tx, row.id, direction);
          if (!found || !('shots' in found.state)) return;
          const { shots, keeps, movedCut } = found.state;
          await tx
            .update(masters)
            .set({ shots, keeps, revision: row.revision + 1 })
            .where(eq(masters.id, row.id));
          if (movedCut) await moveChanges(tx, row.id, movedCut);
          await found.done();
        });
        res.json(await answer(row));
      }),
    );
  }

  router.get(
    '/masters/:id/guides/:file',
    route(async (req, res) => {
      const row = await withFacts(param(req));
      const wanted = typeof req.query.versions === 'string' ? req.query.versions.split(',') : null;
      const { displayed, frames } = row.facts.video;
      const frame = Math.max(0, Math.min(frames - 1, Math.round(Number(req.query.frame ?? 0)) || 0));
      const guides = (
        await db
          .select()
          .from(versions)
          .where(eq(versions.masterId, row.id))
          .orderBy(versions.createdAt, versions.tag)
      ).flatMap((version): Guide[] => {
        const place = ws.specs.find(version.placementId);
        if (!place || (wanted && !wanted.includes(version.id))) return [];
        const size = frameForMaster(displayed, place.placement.frame, place.placement.largerFrame);
        return [
          {
            tag: version.tag,
            name: `${place.outlet.name} ${place.placement.name}`,
            window: windowAt(version.framing, frame, displayed, size),
          },
        ];
      });
      const file = param(req, 'file');
      const disposition = { 'Content-Disposition': `attachment; filename="${file}"` };
      if (file === 'guides.svg')
        return res.set(disposition).type('image/svg+xml').send(guideSvg(guides, displayed));
      if (file === 'guides.png')
        return res
          .set(disposition)
          .type('image/png')
          .send(await guidePng(guides, displayed));
      if (file === 'guides.tsv')
        return res.set(disposition).type('text/tab-separated-values').send(guideTable(guides, displayed));
      return refuse(404, 'not-found', 'Guides come as guides.svg, guides.png or guides.tsv.');
    }),
  );

  return router;
}
