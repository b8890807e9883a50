import { join } from 'node:path';
import { ok, problemLine, type Result } from '@mivvy/core';
import { DecodedFilms, deliver, deliverStages, sha256File, SoundShelf } from '@mivvy/media';
import { diskFullProblem, isDiskFull } from '../disk/full.ts';
import { openMaster } from '../files/master-file.ts';
import { graphicPath, logPath } from '../storage.ts';
import { steadyNow } from '../clocks.ts';
import type { Workspace } from '../workspace.ts';
import { exportOrder, filmRead, findVersion, moreOf } from './export-order.ts';
import type { JobContext, JobKindWork } from './runner.ts';
import { dropMade, newPlace, takeIn } from './take-in.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'specs' | 'letters' | 'freeBytes' | 'events'>;

/** Exports one version: its plan as it stood when it was asked for, the file, its measurement, and its row. */
export function exportWork(ws: Ws): JobKindWork {
  const kept: Kept = { sounds: new SoundShelf(), films: new DecodedFilms(ws.storage.work) };
  return { run: (context) => exportVersion(ws, kept, context) };
}

/** What exports that are made one after the other share. */
interface Kept {
  sounds: SoundShelf;
  films: DecodedFilms;
}

async function exportVersion(
  ws: Ws,
  { sounds, films }: Kept,
  { job, signal, progress }: JobContext,
): Promise<Result<void>> {
  const waiting = () => progress({ stage: 'waiting for the master to be read', fraction: 0 });
  await filmRead(ws, job, { signal, waiting });
  const ordered = await exportOrder(ws, job);
  if (!ordered.ok) return ordered;
  const order = ordered.value;
  if (!order) return ok(undefined); // removed meanwhile

  const { id, outPath } = newPlace(ws, order);
  const started = steadyNow();
  const result = await deliver(order.plan, {
    masterPath: order.masterPath,
    outPath,
    sounds,
    decoded: { films, wanted: () => moreOf(ws, order.master.id) },
    workDir: join(ws.storage.work, job.id),
    placement: order.placement,
    effort: job.effort,
    logFile: logPath(ws.storage, job.id),
    signal,
    nice: true,
    graphicPath: (what) => graphicPath(ws.storage, what),
    onProgress: ({ stage, ...rest }) => progress({ stage: deliverStages[stage], ...rest }),
  });
  if (!result.ok) return result;
  const { report, bytes, sha256, cover } = result.value;
  const stillIt = await openMaster(ws, order.drawn);
  try {
    if (!stillIt.ok) {
      await dropMade(outPath);
      return stillIt;
    }
    const coverSha256 = cover === undefined ? null : await sha256File(cover);
    const tookSeconds = (steadyNow() - started) / 1000;
    const made = {
      id,
      outPath,
      bytes,
      sha256,
      coverSha256,
      report,
      effort: job.effort,
      tookSeconds,
      madeOn: null,
    };
    // The row follows the rename: after a crash between the two, the job runs again, and the file without a row goes.
    await ws.db.transaction((tx) => takeIn(tx, ws, order, made));
    return ok(undefined);
  } catch (error) {
    await dropMade(outPath);
    if (isDiskFull(error)) return { ok: false, problem: diskFullProblem };
    // Its version was removed while it was made.
    if (!(await findVersion(ws, job.subjectId))) return ok(undefined);
    throw error;
  }
}

/** A job's log for a person, led by what went wrong. */
export function logHeading(problem: Parameters<typeof problemLine>[0] | null): string {
  return problem ? `${problemLine(problem)}\n\n` : '';
}
