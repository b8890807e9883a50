import { and, eq, gt, inArray, or } from 'drizzle-orm';
import type { Happening } from '@mivvy/core';
import { dispatches } from '../db/schema.ts';
import { happened } from '../happenings.ts';
import { tellVersion } from '../tell.ts';
import { now, type Workspace } from '../workspace.ts';
import type { Connectors } from './connectors.ts';
import { about, consignmentOf } from './dispatch-job.ts';

/** Outlets are asked so often what became of files that have arrived, milliseconds. */
export const askEveryMs = 3000;
/** A file that has been live for so long is not asked after any more, milliseconds. */
const forgetAfterMs = 7 * 24 * 3600_000;

type DispatchRow = typeof dispatches.$inferSelect;
type Ws = Pick<Workspace, 'db' | 'storage' | 'specs' | 'events' | 'connectors'>;

/** Asks outlets what became of the files that arrived there: whether they are to be seen, or were taken down again. */
export async function askAfterDispatches(ws: Ws): Promise<void> {
  const since = new Date(Date.now() - forgetAfterMs).toISOString();
  const rows = await ws.db
    .select()
    .from(dispatches)
    .where(
      and(
        eq(dispatches.connector, 'outlet'),
        // One that is to be shown in a month has arrived a month before.
        or(
          eq(dispatches.state, 'arrived'),
          and(eq(dispatches.state, 'live'), gt(dispatches.updatedAt, since)),
        ),
      ),
    );
  const outlets = new Set(rows.map((row) => row.destination));
  // Each outlet in a line of its own: one that is slow to answer keeps nobody waiting at the others.
  await Promise.all(
    [...outlets].map(async (outlet) => {
      for (const row of rows) if (row.destination === outlet) await askAfter(ws, row);
    }),
  );
}

/** Asks an outlet what became of one file. */
async function askAfter(ws: Ws, row: DispatchRow): Promise<void> {
  const consignment = await consignmentOf(ws, row);
  if (!consignment) return;
  const { of } = consignment;
  const there = await ws.connectors[row.connector as keyof Connectors].look(of);
  if (there.kind === 'there' && there.state === 'live')
    await turned(
      ws,
      row,
      ['arrived'],
      // What went with it was compared when it arrived.
      { state: 'live', receipt: { ...there.receipt, beside: row.receipt?.beside ?? [] } },
      { kind: 'live', file: of.fileName, to: row.to, address: there.receipt.address ?? '' },
    );
  if (there.kind === 'taken-down')
    await turned(
      ws,
      row,
      ['arrived', 'live'],
      {
        state: 'taken-down',
        problem: {
          code: 'taken-down',
          sentence: there.reason,
          mend: 'Mend what the outlet says, then send it again.',
        },
      },
      { kind: 'taken-down', file: of.fileName, to: row.to, reason: there.reason },
    );
}

/**
 * Writes down what an outlet says has become of a file, once: whoever asked at the same time finds it no longer in a
 * state that it could have turned from, and writes nothing.
 */
async function turned(
  ws: Ws,
  row: DispatchRow,
  from: DispatchRow['state'][],
  change: Partial<DispatchRow>,
  what: Happening,
): Promise<void> {
  const news = await ws.db.transaction(async (tx) => {
    const rows = await tx
      .update(dispatches)
      .set({ ...change, updatedAt: now() })
      .where(and(eq(dispatches.id, row.id), inArray(dispatches.state, from)))
      .returning({ id: dispatches.id });
    if (rows.length > 0) await happened(tx, [about(row, what)]);
    return rows.length > 0;
  });
  if (news) await tellVersion(ws, row.versionId);
}
