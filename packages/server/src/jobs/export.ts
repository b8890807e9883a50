import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { and, eq, inArray, max } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import {
  bytesLabel,
  dress,
  fail,
  freeName,
  makePlan,
  nameKey,
  ok,
  planFingerprint,
  playedWithin,
  problemLine,
  refusal,
  troublesOf,
  type Placement,
  type RenderPlan,
  type Result,
} from '@mivvy/core';
import { deliver, sha256File, SoundShelf } from '@mivvy/media';
import type { Writer } from '../db/database.ts';
import { cuts, deliverables, jobs, masters, productions, versions } from '../db/schema.ts';
import { diskFullProblem, isDiskFull } from '../disk/full.ts';
import { markOf } from '../files/known-file.ts';
import { openMaster } from '../files/master-file.ts';
import { happened } from '../happenings.ts';
import { filmsOf, nameOf } from '../naming.ts';
import { showToOpenLinks } from '../review/links.ts';
import { dressedFor } from '../plans.ts';
import { deliverablePath, filesOfExport, graphicPath, logPath, toStored } from '../storage.ts';
import { now, type Workspace } from '../workspace.ts';
import type { JobContext, JobKindWork } from './runner.ts';

/** Room an export needs on the disk beyond its own size: two encodes and the sound, in bytes. */
const spareBytes = 60_000_000;

type Ws = Pick<Workspace, 'db' | 'storage' | 'specs' | 'freeBytes' | 'events' | 'disk'>;

/** Exports one version: its plan as it stood when it was asked for, the file, its measurement, and its row. */
export function exportWork(ws: Ws): JobKindWork {
  const sounds = new SoundShelf();
  return { run: (context) => exportVersion(ws, sounds, context) };
}

async function findVersion(ws: Ws, id: string) {
  const [found] = await ws.db
    .select()
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .innerJoin(productions, eq(productions.id, versions.productionId))
    .where(eq(versions.id, id));
  return found && { version: found.versions, master: found.masters, production: found.productions };
}

/** A version with its master once that has been read through; an export may be asked for before, and goes on by itself. */
async function readVersion(ws: Ws, { job, signal, progress }: JobContext) {
  for (;;) {
    const found = await findVersion(ws, job.subjectId);
    if (!found || found.master.sha256 || found.master.state === 'failed') return found;
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
    if (!reading) return found;
    progress({ stage: 'waiting for the master to be read', fraction: 0 });
    await setTimeout(500, undefined, { signal });
  }
}

async function exportVersion(ws: Ws, sounds: SoundShelf, context: JobContext): Promise<Result<void>> {
  const { job, signal, progress } = context;
  const found = await readVersion(ws, context);
  if (!found) return ok(undefined); // removed meanwhile
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
  const film = await openMaster(ws, master);
  if (!film.ok) return film;

  const bare = makePlan({
    facts: master.facts,
    sha256: master.sha256,
    placement: place.placement,
    framing: job.framing ?? version.framing,
    coverFrame: job.coverFrame,
    sharpen: job.sharpen,
    ...playedWithin(job.cut, master.facts.video.frames),
  });
  const dressed = dressedFor(job.dressing ?? master.dressing, version, master.keeps);
  const planned = dressed ? dress(bare, place.placement, dressed) : bare;
  const fault = refusal(troublesOf(planned, place.placement));
  if (fault) return fail('refused', fault.sentence, fault.mend);
  const { plan, budget } = planned;
  const needed = (budget.expectedBytes ?? 0) * 2 + spareBytes;
  const free = await ws.freeBytes();
  if (free < needed) {
    return fail(
      'disk-full',
      `The disk has ${bytesLabel(free)} free and this export needs about ${bytesLabel(needed)}.`,
      'Free some space and start it again; nothing was touched.',
    );
  }

  const id = nanoid(10);
  const outPath = deliverablePath(ws.storage, production.id, id, plan.container);
  const started = Date.now();
  const result = await deliver(plan, {
    masterPath: film.value,
    outPath,
    sounds,
    workDir: join(ws.storage.work, job.id),
    placement: place.placement,
    effort: job.effort,
    logFile: logPath(ws.storage, job.id),
    signal,
    nice: true,
    graphicPath: (what) => graphicPath(ws.storage, what),
    onProgress: ({ stage, ...rest }) =>
      progress({
        stage: stage === 'analyse' ? 'first pass' : stage === 'encode' ? 'encoding' : 'measuring',
        ...rest,
      }),
  });
  if (!result.ok) {
    if (result.problem.code === 'disk-full') ws.disk.met();
    return result;
  }
  const { report, bytes, sha256, cover } = result.value;
  const stillIt = await openMaster(ws, master);
  try {
    if (!stillIt.ok) return await dropFiles(outPath, stillIt);
    const coverSha256 = cover === undefined ? null : await sha256File(cover);
    const mark = await markOf(outPath);
    // The row follows the rename: after a crash between the two, the job runs again, and the file without a row goes.
    await ws.db.transaction(async (tx) => {
      const named = await nameFor(tx, {
        plan,
        placement: place.placement,
        outlet: place.outlet.name,
        production,
        master,
        version,
      });
      await tx.insert(deliverables).values({
        ...named,
        id,
        versionId: version.id,
        productionId: production.id,
        path: toStored(ws.storage, outPath),
        bytes,
        sha256,
        coverSha256,
        mark,
        fingerprint: planFingerprint(plan),
        plan,
        report,
        passed: report.passed,
        effort: job.effort,
        tookSeconds: (Date.now() - started) / 1000,
        madeAt: now(),
      });
      await happened(tx, [
        {
          by: '',
          productionId: production.id,
          versionId: version.id,
          deliverableId: id,
          sha256,
          what: { kind: 'made', file: named.fileName, passed: report.passed },
        },
      ]);
      await showToOpenLinks(tx, production.id, version.id);
    });
    return ok(undefined);
  } catch (error) {
    await dropFiles(outPath, null);
    if (isDiskFull(error)) {
      ws.disk.met();
      return { ok: false, problem: diskFullProblem };
    }
    // Its version was removed while it was made.
    if (!(await findVersion(ws, job.subjectId))) return ok(undefined);
    throw error;
  }
}

async function dropFiles<T>(path: string, problem: T): Promise<T> {
  for (const made of filesOfExport(path)) await rm(made, { force: true });
  return problem;
}

/** The export's number, and a name for it that no other file of the production has on any file system. */
async function nameFor(
  tx: Writer,
  of: {
    plan: RenderPlan;
    placement: Placement;
    outlet: string;
    production: typeof productions.$inferSelect;
    master: { id: string; name: string };
    version: { id: string; cutId: string | null };
  },
): Promise<{ fileName: string; nameKey: string; exportNumber: number }> {
  const [newest] = await tx
    .select({ n: max(deliverables.exportNumber) })
    .from(deliverables)
    .where(eq(deliverables.versionId, of.version.id));
  const exportNumber = (newest?.n ?? 0) + 1;
  const [cut] = of.version.cutId
    ? await tx.select({ name: cuts.name }).from(cuts).where(eq(cuts.id, of.version.cutId))
    : [];
  const wished = nameOf({
    ...of,
    cut: cut?.name,
    films: await filmsOf(tx, of.production.id),
    exportNumber,
    madeAt: now(),
  });
  const taken = new Set(
    (
      await tx
        .select({ key: deliverables.nameKey })
        .from(deliverables)
        .where(eq(deliverables.productionId, of.production.id))
    ).map((row) => row.key ?? ''),
  );
  const fileName = freeName(wished, taken);
  return { fileName, nameKey: nameKey(fileName), exportNumber };
}

/** A job's log for a person, led by what went wrong. */
export function logHeading(problem: Parameters<typeof problemLine>[0] | null): string {
  return problem ? `${problemLine(problem)}\n\n` : '';
}
