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
import type { AskedExport } from './asked-export.ts';
import type { JobRow } from './runner.ts';

/** Room an export needs on the disk beyond its own size: two encodes and the sound, in bytes. */
const spareBytes = 60_000_000;

type Ws = Pick<Workspace, 'db' | 'storage' | 'specs' | 'letters' | 'freeBytes' | 'events'>;

/** An export as it was asked for, with the rows and the film that it belongs to. */
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

/**
 * An export as it was asked for. It is decided before, stored with the job when the film has been read, and used for
 * making, judging and storing. Later changes do not affect it.
 *
 * @returns null if its version has been removed since
 */
export async function exportOrder(ws: Ws, job: JobRow): Promise<Result<ExportOrder | null>> {
  const found = await findVersion(ws, job.subjectId);
  if (!found) return ok(null);
  if (!found.master.facts || !found.master.sha256) {
    return fail(
      'master-unread',
      `“${found.master.name}” has not been read through, so nothing can be made from it. ${found.master.problem?.sentence ?? ''}`.trim(),
      'Read it again on its own page, then export again.',
    );
  }
  const stored = job.asked && (await withFilm(ws, found, job.asked));
  if (stored) return stored;
  const asked = decide(ws, job, found);
  if (!asked.ok) return asked;
  await ws.db.update(jobs).set({ asked: asked.value }).where(eq(jobs.id, job.id));
  return (
    (await withFilm(ws, found, asked.value)) ??
    fail(
      'master-gone',
      `The textless master of “${found.master.name}” was removed.`,
      'Bring it in again, or draw the version from the film itself.',
    )
  );
}

/** The order that an export was handed out with. Null where its version or the film that it was made for is gone. */
export async function storedOrder(ws: Ws, job: JobRow): Promise<Result<ExportOrder | null>> {
  const found = await findVersion(ws, job.subjectId);
  return (found && job.asked && (await withFilm(ws, found, job.asked))) || ok(null);
}

type Found = NonNullable<Awaited<ReturnType<typeof findVersion>>>;

/** Plans a version from what its export was asked for with; for a film that was still being read then. */
function decide(
  ws: Pick<Ws, 'specs' | 'letters'>,
  job: JobRow,
  { version, master }: Found,
): Result<AskedExport> {
  const { placementId } = version;
  const placementRevision = job.placementRevision ?? version.placementRevision;
  const place = ws.specs.of({ placementId, placementRevision });
  if (!place)
    return fail(
      'no-placement',
      'The spec book no longer holds this placement.',
      'Add the spec book file again, or choose another place.',
    );
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
  return ok({
    plan: planned.plan,
    placement: place.placement,
    outlet: place.outlet.name,
    expectedBytes: planned.budget.expectedBytes ?? null,
  });
}

/** An order with its film, where that is still the one that it was decided for; undefined otherwise. */
async function withFilm(
  ws: Ws,
  { version, master, production }: Found,
  { plan, placement, outlet, expectedBytes }: AskedExport,
): Promise<Result<ExportOrder> | undefined> {
  const drawn = await drawnRow(ws.db, master, plan);
  if (drawn?.sha256 !== plan.master.sha256) return undefined;
  const film = await openMaster(ws, drawn);
  if (!film.ok) return film;
  const needed = (expectedBytes ?? 0) * 2 + spareBytes;
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
  return ok({ version, master, drawn, production, outlet, placement, plan, masterPath: film.value });
}
