import { setTimeout } from 'node:timers/promises';
import { and, eq, inArray } from 'drizzle-orm';
import {
  bytesLabel,
  dress,
  drawnFrom,
  fail,
  makePlan,
  ok,
  playedWithin,
  refusal,
  troublesOf,
  type Placement,
  type RenderPlan,
  type Result,
} from '@mivvy/core';
import { jobs, masters, productions, versions } from '../db/schema.ts';
import { openMaster } from '../files/master-file.ts';
import { dressedFor } from '../plans.ts';
import { drawnRow } from '../textless.ts';
import type { Workspace } from '../workspace.ts';
import type { JobRow } from './runner.ts';

/** Room an export needs on the disk beyond its own size: two encodes and the sound, in bytes. */
const spareBytes = 60_000_000;

type Ws = Pick<Workspace, 'db' | 'storage' | 'specs' | 'letters' | 'freeBytes' | 'events'>;

/** What an export was asked for with, whoever makes it. */
export interface ExportOrder {
  version: typeof versions.$inferSelect;
  master: typeof masters.$inferSelect;
  /** The film that it is drawn from: the master, or its textless master. */
  drawn: typeof masters.$inferSelect;
  production: typeof productions.$inferSelect;
  outlet: string;
  placement: Placement;
  plan: RenderPlan;
  /** Where its film lies. */
  masterPath: string;
}

/** A version with its master and production; undefined where it was removed. */
export async function findVersion({ db }: Pick<Ws, 'db'>, id: string) {
  const [found] = await db
    .select()
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .innerJoin(productions, eq(productions.id, versions.productionId))
    .where(eq(versions.id, id));
  return found && { version: found.versions, master: found.masters, production: found.productions };
}

/** Whether further versions of a film wait to be made. */
export async function moreOf({ db }: Pick<Ws, 'db'>, masterId: string): Promise<boolean> {
  const [waiting] = await db
    .select({ id: jobs.id })
    .from(jobs)
    .innerJoin(versions, eq(versions.id, jobs.subjectId))
    .where(and(eq(jobs.kind, 'export'), eq(jobs.state, 'queued'), eq(versions.masterId, masterId)))
    .limit(1);
  return waiting !== undefined;
}

/** Whether an export's film is still being read; the export may be asked for before, and goes on by itself. */
export async function filmIsBeingRead(ws: Pick<Ws, 'db'>, job: JobRow): Promise<boolean> {
  const found = await findVersion(ws, job.subjectId);
  if (!found || found.master.sha256 || found.master.state === 'failed') return false;
  const [reading] = await ws.db
    .select({ id: jobs.id })
    .from(jobs)
    .where(
      and(
        eq(jobs.subjectId, found.master.id),
        eq(jobs.kind, 'ingest'),
        inArray(jobs.state, ['queued', 'running']),
      ),
    );
  return reading !== undefined;
}

/** Waits for an export's film to be read. */
export async function filmRead(
  ws: Pick<Ws, 'db'>,
  job: JobRow,
  { signal, waiting }: { signal: AbortSignal; waiting: () => void },
): Promise<void> {
  while (await filmIsBeingRead(ws, job)) {
    waiting();
    await setTimeout(500, undefined, { signal });
  }
}

/** The plan of an export as it stood when it was asked for; null where its version was removed meanwhile. */
export async function exportOrder(ws: Ws, job: JobRow): Promise<Result<ExportOrder | null>> {
  const found = await findVersion(ws, job.subjectId);
  if (!found) return ok(null);
  const { version, master, production } = found;
  const { placementId } = version;
  const placementRevision = job.placementRevision ?? version.placementRevision;
  const place = ws.specs.of({ placementId, placementRevision });
  if (!place)
    return fail(
      'no-placement',
      'The spec book no longer holds this placement.',
      'Add the spec book file again, or choose another place.',
    );
  if (!master.facts || !master.sha256) {
    return fail(
      'master-unread',
      `“${master.name}” has not been read through, so nothing can be made from it. ${master.problem?.sentence ?? ''}`.trim(),
      'Read it again on its own page, then export again.',
    );
  }
  const from = drawnFrom(job.textless, master);
  const bare = makePlan({
    facts: from.facts!,
    sha256: from.sha256!,
    textless: from.textless,
    placement: place.placement,
    framing: job.framing ?? version.framing,
    coverFrame: job.coverFrame,
    sharpen: job.sharpen,
    ...playedWithin(job.cut, from.facts!.video.frames),
  });
  const dressed = dressedFor(ws, job.dressing ?? master.dressing, version, from);
  const planned = dressed ? dress(bare, place.placement, dressed) : bare;
  const fault = refusal(troublesOf(planned, place.placement));
  if (fault) return fail('refused', fault.sentence, fault.mend);
  const drawn = await drawnRow(ws.db, master, planned.plan);
  if (!drawn)
    return fail(
      'master-gone',
      `The textless master of “${master.name}” was removed.`,
      'Bring it in again, or draw the version from the film itself.',
    );
  const film = await openMaster(ws, drawn);
  if (!film.ok) return film;
  const { plan, budget } = planned;
  const needed = (budget.expectedBytes ?? 0) * 2 + spareBytes;
  const free = await ws.freeBytes();
  if (free < needed) {
    return {
      ok: false,
      problem: {
        code: 'disk-full',
        sentence: `The disk has ${bytesLabel(free)} free and this export needs about ${bytesLabel(needed)}.`,
        mend: 'Free some space; it goes on by itself then. Nothing was touched.',
        bytesNeeded: needed,
      },
    };
  }

  return ok({
    version,
    master,
    drawn,
    production,
    outlet: place.outlet.name,
    placement: place.placement,
    plan,
    masterPath: film.value,
  });
}
