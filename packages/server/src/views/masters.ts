import { and, eq, getTableColumns, inArray } from 'drizzle-orm';
import { browserPlays } from '@mivvy/core';
import type { Cut, Master } from '@mivvy/api';
import { cuts, jobs, masters } from '../db/schema.ts';
import { lookAtMaster } from '../files/master-file.ts';
import { dressingUndoId, undoStates, type UndoState } from '../history.ts';
import type { Workspace } from '../workspace.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'events'>;
type CutRow = typeof cuts.$inferSelect;

/** What a master is shown from: its row without what only following and carrying over need. */
const { drawn: _drawn, before: _before, ...masterColumns } = getTableColumns(masters);
type MasterRow = Omit<typeof masters.$inferSelect, 'drawn' | 'before'>;

function toCut(row: CutRow, can: UndoState): Cut {
  const { id, masterId, name, kept, pace, joinMs, revision } = row;
  return { id, masterId, name, kept, pace, joinMs, revision, can };
}

/** How a master is shown in a browser: what plays of it. */
function proofOf(row: MasterRow): Master['proof'] {
  if (row.state === 'failed' || !row.facts) return { kind: 'none' };
  switch (row.proxy) {
    case 'not-needed':
      return { kind: 'original', copyComing: false };
    case 'helpful':
      return { kind: 'original', copyComing: true };
    case 'made':
      return { kind: 'proxy' };
    case 'wanted':
      return { kind: 'making-proxy' };
    case 'cleared':
      // It is made again as soon as somebody opens the production.
      return browserPlays(row.facts) ? { kind: 'original', copyComing: true } : { kind: 'making-proxy' };
    case 'failed':
      return { kind: 'none' };
  }
}

function toMaster(
  row: MasterRow,
  being: { read: boolean },
  own: readonly CutRow[],
  can: (id: string) => UndoState,
): Master {
  const { path: _path, mark: _mark, onDisk, proxy: _proxy, ...shown } = row;
  const notRead = row.sha256 === null || row.state === 'failed';
  return {
    ...shown,
    file: onDisk === 'comparing' ? 'same' : onDisk,
    unread: row.facts !== null && !being.read && notRead,
    shotsAssumed: row.shotsAssumed && !being.read,
    proof: proofOf(row),
    cuts: own.map((c) => toCut(c, can(c.id))),
    can: can(row.id),
    canDress: can(dressingUndoId(row.id)),
  };
}

/** The masters of a production and their textless masters, oldest first; their files are as they were when they were last looked at. */
export async function mastersOf(
  ws: Pick<Ws, 'db'>,
  productionId: string,
): Promise<Record<'masters' | 'textlessMasters', Master[]>> {
  const rows = await ws.db
    .select(masterColumns)
    .from(masters)
    .where(eq(masters.productionId, productionId))
    .orderBy(masters.createdAt, masters.id);
  const all = await viewsOf(ws, rows);
  return {
    masters: all.filter((master) => master.textlessOf === null),
    textlessMasters: all.filter((master) => master.textlessOf !== null),
  };
}

/** One master as the API shows it. */
export async function masterView(ws: Ws, id: string): Promise<Master | undefined> {
  const find = () => ws.db.select(masterColumns).from(masters).where(eq(masters.id, id));
  const [row] = await find();
  if (!row) return undefined;
  const state = await lookAtMaster(ws, row, { wait: false });
  return (await viewsOf(ws, [{ ...row, onDisk: state }]))[0];
}

async function viewsOf(ws: Pick<Ws, 'db'>, rows: readonly MasterRow[]): Promise<Master[]> {
  const ids = rows.map((row) => row.id);
  const own = await ws.db
    .select()
    .from(cuts)
    .where(inArray(cuts.masterId, ids))
    .orderBy(cuts.createdAt, cuts.id);
  const reading = await ws.db
    .select({ id: jobs.subjectId })
    .from(jobs)
    .where(
      and(
        inArray(jobs.subjectId, ids),
        inArray(jobs.kind, ['ingest', 'prepare']),
        inArray(jobs.state, ['queued', 'running']),
      ),
    );
  const beingRead = new Set(reading.map((job) => job.id));
  const can = await undoStates(ws.db, [...ids, ...ids.map(dressingUndoId), ...own.map((c) => c.id)]);
  return rows.map((row) =>
    toMaster(
      row,
      { read: beingRead.has(row.id) },
      own.filter((c) => c.masterId === row.id),
      can,
    ),
  );
}
