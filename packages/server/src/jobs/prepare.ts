import { eq } from 'drizzle-orm';
import { prepareFilm } from '@mivvy/media';
import { ok, type Problem, type Result } from '@mivvy/core';
import type { Writer } from '../db/database.ts';
import { masters } from '../db/schema.ts';
import { lacksLoudness, placeForStills, prepared, prepareOrder, takeInPart } from '../preparing.ts';
import { logPath, proxyPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import type { JobContext, JobKindWork, JobRow } from './runner.ts';

/**
 * Prepares a film that has been read through: its shots found, its loudness measured, its stills and its proof copy made.
 * Each is kept as soon as it is there, and running it again does what is missing.
 */
export function prepareWork(ws: Workspace): JobKindWork {
  return { run: (context) => prepareMaster(ws, context), onEnd: sayWhatIsMissing, onRetry: wantAgain };
}

async function prepareMaster(ws: Workspace, { job, signal, progress }: JobContext): Promise<Result<void>> {
  const ordered = await prepareOrder(ws, job);
  if (!ordered.ok || !ordered.value) return ordered.ok ? ok(undefined) : ordered;
  const { row, path, what } = ordered.value;
  const { storage } = ws;
  const result = await prepareFilm(path, what, {
    stillPath: await placeForStills(ws, row),
    proxyPath: proxyPath(storage, row.id),
    take: (part) => takeInPart(ws, row, part),
    progress: (stage, fraction) => progress({ stage, fraction }),
    signal,
    logFile: logPath(storage, job.id),
  });
  if (result.ok) await prepared(ws, row.id);
  return result;
}

/** What is said of a film whose preparing somebody has stopped: it has no problem of its own. */
const stoppedByHand: Problem = {
  code: 'preparing-stopped',
  sentence: 'Preparing it was stopped before its shots were found and its sound was measured.',
  mend: 'Read it again.',
};

/**
 * A film whose shots were not found or whose sound could not be measured cannot be used; one whose proof copy could not
 * be made has none.
 */
async function sayWhatIsMissing(tx: Writer, { subjectId, problem }: JobRow): Promise<void> {
  const [row] = await tx.select().from(masters).where(eq(masters.id, subjectId));
  if (!row?.facts) return;
  const missing =
    row.shots === null || lacksLoudness(row.facts)
      ? ({ state: 'failed', problem: problem ?? stoppedByHand } as const)
      : row.proxy === 'wanted'
        ? ({ proxy: 'failed' } as const)
        : undefined;
  if (missing) await tx.update(masters).set(missing).where(eq(masters.id, subjectId));
}

async function wantAgain(tx: Writer, { subjectId }: JobRow): Promise<void> {
  const [row] = await tx.select().from(masters).where(eq(masters.id, subjectId));
  if (!row?.facts) return;
  await tx
    .update(masters)
    .set({ state: 'ready', problem: null, ...(row.proxy === 'failed' ? { proxy: 'wanted' as const } : {}) })
    .where(eq(masters.id, subjectId));
}
