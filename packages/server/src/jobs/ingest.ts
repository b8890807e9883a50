import { rm } from 'node:fs/promises';
import { setTimeout } from 'node:timers/promises';
import { and, eq, isNotNull, isNull } from 'drizzle-orm';
import {
  browserPlays,
  fail,
  ok,
  playsSlowly,
  scrubsSlowly,
  type MasterFacts,
  type Result,
} from '@mivvy/core';
import { Cancelled, countFrames, decodingCost, makePoster, probeMaster, sha256File } from '@mivvy/media';
import type { FileMark } from '../db/codecs.ts';
import { masters } from '../db/schema.ts';
import { markOf, sameMark } from '../files/known-file.ts';
import { wantPreparing } from '../preparing.ts';
import { fromStored, logPath, posterPath, proxyPath } from '../storage.ts';
import { tellProduction } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import type { JobContext, JobKindWork } from './runner.ts';

/** A film that is written while it is read is begun again so often. */
const readAttempts = 3;

/**
 * Reads a master through: its frames counted, its bytes summed, a poster drawn. From then on files can be made from it;
 * the rest (shots, loudness, stills, a proof copy) is prepared by a job of its own. Running it again is harmless.
 */
export function ingestWork(ws: Workspace): JobKindWork {
  return {
    run: (context) => readThrough(ws, context),
    // Whatever ends a reading before the sum is known leaves a film that nothing can be made from; that is said.
    onEnd: async (tx, job) => {
      const problem = job.problem ?? {
        code: 'reading-stopped',
        sentence: 'Reading it was stopped before it had been read through.',
        mend: 'Read it again.',
      };
      await tx
        .update(masters)
        .set({ state: 'failed', problem })
        .where(and(eq(masters.id, job.subjectId), isNull(masters.sha256), isNotNull(masters.facts)));
    },
    onRetry: async (tx, job) =>
      void (await tx
        .update(masters)
        .set({ state: 'ready', problem: null })
        .where(and(eq(masters.id, job.subjectId), isNotNull(masters.facts)))),
  };
}

async function readThrough(ws: Workspace, { job, signal, progress }: JobContext): Promise<Result<void>> {
  const [row] = await ws.db.select().from(masters).where(eq(masters.id, job.subjectId));
  if (!row?.facts) return ok(undefined); // removed meanwhile
  const path = fromStored(ws.storage, row.path);
  const logFile = logPath(ws.storage, job.id);
  /** Writes to the row as long as it is still about the film that is being read. */
  const save = async (change: Partial<typeof masters.$inferInsert>) => {
    const [written] = await ws.db
      .update(masters)
      .set(change)
      .where(and(eq(masters.id, row.id), eq(masters.fileGeneration, row.fileGeneration)))
      .returning({ id: masters.id });
    if (!written) throw new Cancelled();
    await tellProduction(ws, row.productionId);
  };
  if (!row.hasPoster) await rm(posterPath(ws.storage, row.id), { force: true });
  if (row.proxy !== 'made') await rm(proxyPath(ws.storage, row.id), { force: true });

  progress({ stage: 'counting frames', fraction: 0.05 });
  const summed = await countAndSum(path, row, signal, progress);
  if (!summed.ok) {
    await save({ state: 'failed', problem: summed.problem });
    return summed;
  }
  const { facts, sha256, mark } = summed.value;
  const proxy =
    row.proxy === 'made' && row.sha256 === sha256
      ? 'made'
      : await proxyFor(path, facts, { signal, logFile, nice: true });
  await save({ facts, state: 'ready', problem: null, proxy, sha256, mark, bytes: facts.bytes });

  progress({ stage: 'drawing a poster', fraction: 0.9 });
  const poster = await makePoster(path, facts, posterPath(ws.storage, row.id), {
    signal,
    logFile,
    nice: true,
  });
  // A film whose poster cannot be drawn can still be worked on.
  if (poster.ok) await save({ hasPoster: true });
  await wantPreparing(ws, row.id);
  return ok(undefined);
}

/** Whether a film needs a proof copy. What its decoding costs is measured, not guessed from its size. */
async function proxyFor(
  path: string,
  facts: MasterFacts,
  options: { signal: AbortSignal; logFile: string; nice: true },
): Promise<'wanted' | 'helpful' | 'not-needed'> {
  if (!browserPlays(facts)) return 'wanted';
  if (scrubsSlowly(facts)) return 'helpful';
  // What cannot be measured is played as it is.
  const cost = await decodingCost(path, facts, options);
  return cost.ok && playsSlowly(cost.value) ? 'helpful' : 'not-needed';
}

/** A film's frames and the sum of its bytes, both of the same file: one that is written meanwhile is read again. */
async function countAndSum(
  path: string,
  row: typeof masters.$inferSelect,
  signal: AbortSignal,
  progress: JobContext['progress'],
): Promise<Result<{ facts: MasterFacts; sha256: string; mark: FileMark }>> {
  for (let attempt = 1; ; attempt++) {
    const mark = await markOf(path);
    if (!mark)
      return fail('master-gone', 'The film is no longer where it was.', 'Put it back, or bring it in again.');
    const headers = row.facts && sameMark(row.mark, mark) ? ok(row.facts) : await probeMaster(path, signal);
    const counted = headers.ok ? await countFrames(path, headers.value, signal) : headers;
    progress({ stage: 'summing bytes', fraction: 0.4 });
    const sha256 = counted.ok ? await sha256File(path, signal) : '';
    const still = sameMark(mark, await markOf(path));
    if (still && counted.ok) return ok({ facts: counted.value, sha256, mark });
    if (still && !counted.ok) return counted;
    if (attempt === readAttempts)
      return fail(
        'still-written',
        'The film was being written while it was read.',
        'Read it again when it is complete.',
      );
    await setTimeout(2000, undefined, { signal });
  }
}
