import { mkdir, rm } from 'node:fs/promises';
import { dirname } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { and, eq, isNotNull, isNull } from 'drizzle-orm';
import {
  browserPlays,
  fail,
  ok,
  oneShot,
  planMaster,
  playsSlowly,
  scrubsSlowly,
  shotSpans,
  type MasterFacts,
  type Result,
} from '@mivvy/core';
import {
  Cancelled,
  countFrames,
  findShots,
  makePoster,
  makeProxy,
  makeStill,
  measureLoudness,
  probeMaster,
  sha256File,
  stillHeight,
  decodingCost,
} from '@mivvy/media';
import { readAnalysis, writeAnalysis } from '../analysis.ts';
import { carryOver } from '../carry.ts';
import type { FileMark } from '../db/codecs.ts';
import { masters } from '../db/schema.ts';
import { markOf, sameMark } from '../files/known-file.ts';
import { lookedAt } from '../follow-version.ts';
import { wantLook } from '../looks.ts';
import { fromStored, logPath, posterPath, proxyPath, stillPath } from '../storage.ts';
import { tellProduction } from '../tell.ts';
import { wantMatches } from '../textless.ts';
import type { Workspace } from '../workspace.ts';
import type { JobContext, JobKindWork } from './runner.ts';

/** So many shots get their still while the film is read. */
const stillsAhead = 40;

/** A film that is written while it is read is begun again so often. */
const readAttempts = 3;

const newest = async (ws: Workspace, id: string) =>
  (await ws.db.select().from(masters).where(eq(masters.id, id)))[0];

/**
 * Reads a master through: frames counted, bytes summed, stills drawn, loudness measured, and a proxy made where
 * browsers cannot play it; looking for subjects comes after it, as a job of its own. Each fact is shown as soon as it
 * is known; running it again is harmless.
 */
export function ingestWork(ws: Workspace, looking: 'at-once' | 'when-asked'): JobKindWork {
  return {
    run: (context) => readThrough(ws, looking, context),
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

async function readThrough(
  ws: Workspace,
  looking: 'at-once' | 'when-asked',
  { job, signal, progress }: JobContext,
): Promise<Result<void>> {
  const row = await newest(ws, job.subjectId);
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
  const failed = async (result: Extract<Result<unknown>, { ok: false }>): Promise<Result<void>> => {
    if (result.problem.code === 'disk-full') ws.disk.met();
    await save({ state: 'failed', problem: result.problem });
    return result;
  };
  if (!row.hasPoster) await rm(posterPath(ws.storage, row.id), { force: true });
  if (row.proxy !== 'made') await rm(proxyPath(ws.storage, row.id), { force: true });

  progress({ stage: 'counting frames', fraction: 0.02 });
  const summed = await countAndSum(path, row, signal, progress);
  if (!summed.ok) return failed(summed);
  let { facts } = summed.value;
  const { sha256, mark } = summed.value;
  const proxyWanted = !browserPlays(facts);
  // Measured, not guessed from its size: what cannot be measured is played as it is.
  const cost = proxyWanted ? undefined : await decodingCost(path, facts, { signal, logFile, nice: true });
  const proxyHelps = !proxyWanted && (scrubsSlowly(facts) || (cost?.ok === true && playsSlowly(cost.value)));
  const proxy =
    row.proxy === 'made' && row.sha256 === sha256
      ? 'made'
      : proxyWanted
        ? 'wanted'
        : proxyHelps
          ? 'helpful'
          : 'not-needed';
  await save({ facts, state: 'ready', problem: null, proxy, sha256, mark, bytes: facts.bytes });

  progress({ stage: 'drawing a poster', fraction: 0.2 });
  const poster = await makePoster(path, facts, posterPath(ws.storage, row.id), {
    signal,
    logFile,
    nice: true,
  });
  // A film whose poster cannot be drawn can still be worked on.
  if (poster.ok) await save({ hasPoster: true });

  progress({ stage: 'finding shots', fraction: 0.25 });
  let found = await readAnalysis(ws.storage, sha256);
  if (!found) {
    const looked = await findShots(path, facts, planMaster(facts, sha256), {
      signal,
      onFraction: (fraction) => progress({ stage: 'finding shots', fraction: 0.25 + fraction * 0.2 }),
    });
    // A film whose shots cannot be found is one shot, and can be cut by hand.
    if (looked.ok) await writeAnalysis(ws.storage, sha256, (found = looked.value));
  }
  const before = await newest(ws, row.id);
  if (before && before.shots === null) {
    await save({ shots: found?.shots ?? [...oneShot], revision: before.revision + 1 });
    const cut = await newest(ws, row.id);
    if (cut?.before) {
      await carryOver(ws, cut, cut.before);
      await tellProduction(ws, row.productionId);
    }
  }

  if (facts.audio) {
    progress({ stage: 'measuring loudness', fraction: 0.45 });
    const loudness = await measureLoudness(path, facts.audio.streamIndex, signal, logFile);
    if (!loudness.ok) return failed(loudness);
    facts = { ...facts, audio: { ...facts.audio, loudness: loudness.value } };
    await save({ facts });
  }

  if (proxy !== 'made' && (proxyWanted || proxyHelps)) {
    const out = proxyPath(ws.storage, row.id);
    await rm(`${out}.part`, { force: true });
    const made = await makeProxy(path, facts, planMaster(facts, sha256), out, {
      signal,
      logFile,
      nice: true,
      onFraction: (fraction) => progress({ stage: 'making a proxy', fraction: 0.5 + fraction / 2 }),
    });
    await save({ proxy: made.ok ? 'made' : proxyHelps ? 'not-needed' : 'failed' });
    if (!made.ok && !proxyHelps) return made;
  }
  // The shots' stills are drawn ahead, so that a production opens at once; the rest follow when they are looked at.
  const shots = before?.shots ?? found?.shots ?? oneShot;
  await mkdir(dirname(stillPath(ws.storage, row.id, row.fileGeneration, 0)), { recursive: true });
  for (const [i, span] of shotSpans(shots, facts.video.frames).slice(0, stillsAhead).entries()) {
    signal.throwIfAborted();
    progress({ stage: 'drawing stills', fraction: 0.9 + (0.1 * i) / stillsAhead });
    const middle = Math.floor((span.from + span.to) / 2);
    await makeStill(
      path,
      facts,
      middle,
      stillHeight,
      stillPath(ws.storage, row.id, row.fileGeneration, middle),
      {
        signal,
        nice: true,
      },
    );
  }
  if (looking === 'at-once') await wantLook(ws, row.id);
  await wantMatches(ws, row.id);
  // The same bytes may have been looked at before.
  await lookedAt(ws, row.id);
  return ok(undefined);
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
    progress({ stage: 'summing bytes', fraction: 0.1 });
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
