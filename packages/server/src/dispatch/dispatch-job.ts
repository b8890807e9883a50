import { setTimeout as pause } from 'node:timers/promises';
import { and, eq, inArray } from 'drizzle-orm';
import { fail, ok, type Happening, type Problem, type Result } from '@mivvy/core';
import { sha256File } from '@mivvy/media';
import type { Receipt } from '@mivvy/api';
import type { Writer } from '../db/database.ts';
import { deliverables, dispatches, versions } from '../db/schema.ts';
import { besideFilm } from '../files/beside.ts';
import { happened } from '../happenings.ts';
import type { JobContext, JobKindWork } from '../jobs/runner.ts';
import { fromStored } from '../storage.ts';
import { tellVersion } from '../tell.ts';
import { now, type Workspace } from '../workspace.ts';
import { mostTries, waitBefore } from './backoff.ts';
import type { Connector, Consignment, Outcome } from './connector.ts';
import type { Connectors } from './connectors.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'specs' | 'events' | 'connectors'>;
type DispatchRow = typeof dispatches.$inferSelect;

/** Hands one file over, and tries again until it has arrived, is refused, or somebody has to look at it. */
export function dispatchWork(ws: Ws): JobKindWork {
  return {
    run: (context) => dispatchOne(ws, context),
    onEnd: async (tx, job) => {
      if (job.state === 'cancelled')
        await setState(tx, job.subjectId, { state: 'cancelled', problem: null }, ['waiting', 'sending']);
    },
    onRetry: (tx, job) =>
      setState(tx, job.subjectId, { state: 'waiting', problem: null, attempts: 0 }, [
        'failed',
        'cancelled',
        'refused',
      ]),
  };
}

async function setState(
  tx: Writer,
  id: string,
  change: Partial<DispatchRow>,
  from: DispatchRow['state'][],
): Promise<void> {
  await tx
    .update(dispatches)
    .set({ ...change, updatedAt: now() })
    .where(and(eq(dispatches.id, id), inArray(dispatches.state, from)));
}

/** A dispatch with what its connector needs to find it, and its file's row; what goes beside the film is not read. */
export async function consignmentOf(ws: Ws, row: DispatchRow) {
  const [file] = await ws.db.select().from(deliverables).where(eq(deliverables.id, row.deliverableId));
  const [version] = await ws.db.select().from(versions).where(eq(versions.id, row.versionId));
  const place = version && ws.specs.of(version);
  if (!file || !place) return undefined;
  const of: Consignment = {
    beside: [],
    path: fromStored(ws.storage, file.path),
    fileName: file.fileName,
    bytes: file.bytes,
    sha256: row.sha256,
    key: row.key,
    destination: row.destination,
    placement: place.placement,
    publishAt: row.publishAt,
    begun: new Map(),
  };
  return { of, file };
}

async function dispatchOne(ws: Ws, { job, signal, progress }: JobContext): Promise<Result<void>> {
  const [row] = await ws.db.select().from(dispatches).where(eq(dispatches.id, job.subjectId));
  // Removed meanwhile, or arrived before a crash could say so.
  if (!row || !['waiting', 'sending'].includes(row.state)) return ok(undefined);
  const consignment = await consignmentOf(ws, row);
  if (!consignment) return ok(undefined);
  const beside = await besideFilm(ws, consignment.file);
  if (!beside.ok) return refusedBy(ws, row, consignment.of, beside.problem, 'refused');
  const of: Consignment = { ...consignment.of, beside: beside.value };
  const connector = ws.connectors[row.connector as keyof Connectors];
  let last: Problem | undefined;
  for (let attempt = row.attempts + 1; attempt <= mostTries; attempt++) {
    await setState(ws.db, row.id, { state: 'sending', attempts: attempt }, ['waiting', 'sending']);
    progress({
      stage: attempt === 1 ? `sending to ${row.to}` : `sending to ${row.to}, try ${attempt}`,
      fraction: 0,
    });
    const outcome = await tryOnce(connector, of, signal, (fraction) =>
      progress({ stage: `sending to ${row.to}`, fraction }),
    );
    if (outcome.kind === 'arrived') {
      await arrived(ws, row, of, outcome.receipt);
      return ok(undefined);
    }
    if (outcome.kind === 'refused') return refusedBy(ws, row, of, outcome.problem, 'refused');
    last = outcome.problem;
    progress({ stage: `${outcome.problem.sentence} Waiting to try again`, fraction: 0 });
    await pause(outcome.waitMs ?? waitBefore(attempt, Math.random()), undefined, { signal });
  }
  const given = last ?? { code: 'not-sent', sentence: 'It could not be sent.', mend: '' };
  const problem = { ...given, mend: 'It was tried eight times. Start it again when the other side is well.' };
  return refusedBy(ws, row, of, problem, 'failed');
}

/**
 * One try. What is there under its key is looked at first: a file whose answer was lost is not sent a second time. Bytes
 * that are not those that were checked are never sent, and a copy that is not what was sent is taken back.
 */
async function tryOnce(
  connector: Connector,
  of: Consignment,
  signal: AbortSignal,
  progress: (fraction: number) => void,
): Promise<Outcome> {
  const sum = await sha256File(of.path).catch(() => null);
  if (sum !== of.sha256)
    return {
      kind: 'refused',
      problem: {
        code: sum === null ? 'file-gone' : 'changed-on-disk',
        sentence: `${of.fileName} ${sum === null ? 'is no longer on the disk' : 'was changed on the disk since it was checked'}, so it was not sent.`,
        mend: 'Export it again.',
      },
    };
  const there = await connector.look(of);
  signal.throwIfAborted();
  if (there.kind === 'unknown')
    return {
      kind: 'again',
      problem: { code: 'outlet-silent', sentence: 'The outlet did not answer.', mend: '' },
    };
  if (there.kind === 'taken-down') {
    await connector.takeBack(of);
    return {
      kind: 'refused',
      problem: {
        code: 'taken-down',
        sentence: there.reason,
        mend: 'Mend what the outlet says, then send it again.',
      },
    };
  }
  const outcome: Outcome =
    there.kind === 'there'
      ? { kind: 'arrived', receipt: there.receipt }
      : await connector.send(of, { signal, progress });
  if (outcome.kind !== 'arrived' || isWhatWasSent(of, outcome.receipt)) return outcome;
  await connector.takeBack(of);
  return {
    kind: 'again',
    problem: {
      code: 'other-copy',
      sentence: 'The copy that arrived is not what was sent: its checksum differs. It was taken back.',
      mend: '',
    },
  };
}

/** Whether the other side's copies, by the sums that it says, are what was handed over. */
const isWhatWasSent = (of: Consignment, receipt: Receipt): boolean =>
  receipt.sha256 === of.sha256 &&
  of.beside.every(({ kind, sha256 }) => receipt.beside.some((b) => b.kind === kind && b.sha256 === sha256));

async function arrived(ws: Ws, row: DispatchRow, of: Consignment, receipt: Receipt): Promise<void> {
  await ws.db.transaction(async (tx) => {
    // What is there is there, though somebody may have cancelled it at the last moment.
    await setState(tx, row.id, { state: 'arrived', receipt, problem: null }, [
      'waiting',
      'sending',
      'cancelled',
    ]);
    await happened(tx, [
      about(row, { kind: 'sent', file: of.fileName, to: row.to, receipt: receipt.receipt }),
    ]);
  });
  await tellVersion(ws, row.versionId);
}

async function refusedBy(
  ws: Ws,
  row: DispatchRow,
  of: Consignment,
  problem: Problem,
  state: 'refused' | 'failed',
): Promise<Result<void>> {
  await ws.db.transaction(async (tx) => {
    await setState(tx, row.id, { state, problem }, ['waiting', 'sending']);
    await happened(tx, [
      about(row, { kind: 'not-sent', file: of.fileName, to: row.to, reason: problem.sentence }),
    ]);
  });
  await tellVersion(ws, row.versionId);
  return fail(problem.code, `${row.to}: ${problem.sentence}`, problem.mend);
}

/** A happening of a dispatch. */
export const about = (row: DispatchRow, what: Happening) => ({
  by: row.by,
  productionId: row.productionId,
  versionId: row.versionId,
  deliverableId: row.deliverableId,
  sha256: row.sha256,
  what,
});
