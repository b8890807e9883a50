import { and, eq, inArray, sql, type SQL } from 'drizzle-orm';
import type { Stage } from '@mivvy/core';
import { deliverables, outlets, placements, productions, versions } from '../db/schema.ts';
import { isNewest } from '../files/look-at-files.ts';
import { timesSettled } from '../plans.ts';
import type { Workspace } from '../workspace.ts';
import { ShareNext } from './share-next.ts';
import { stageColumn } from './stages.ts';

type Ws = Pick<Workspace, 'db' | 'storage'>;

/** Deliverables of a production that are alike in all that the ledger counts by, and how many they are. */
export interface Cell {
  productionId: string;
  production: string;
  stage: Stage;
  holder: string;
  dueOn: string | null;
  /** Its outlet's name; null where that was not asked for, or is gone. */
  outlet: string | null;
  count: number;
}

/** Its own day, or its production's. */
export const dueOn = sql<string | null>`coalesce(${versions.dueOn}, ${productions.dueOn})`;
export const isItsNewest = and(eq(deliverables.versionId, versions.id), isNewest);

/** Counts deliverables of which a condition holds; their outlets are told apart where that is asked for. */
export async function countCells(ws: Ws, where: SQL | undefined, byOutlet: boolean): Promise<Cell[]> {
  const columns = {
    productionId: versions.productionId,
    production: sql<string>`${productions.name}`.as('production'),
    stage: stageColumn.as('stage'),
    holder: versions.holder,
    dueOn: dueOn.as('due_on'),
  };
  const bare = <O extends Record<string, SQL.Aliased<string | null>>>(more: O) =>
    ws.db
      .select({ ...columns, ...more })
      .from(versions)
      .innerJoin(productions, eq(productions.id, versions.productionId))
      .leftJoin(deliverables, isItsNewest);
  const count = sql<number>`count(*)`;
  if (!byOutlet) {
    const found = bare({}).where(where).as('found');
    const { productionId, production, stage, holder, dueOn: day } = found;
    const rows = await ws.db
      .select({ productionId, production, stage, holder, dueOn: day, count })
      .from(found)
      .groupBy(productionId, sql`${stage}`, holder, sql`${day}`);
    return rows.map((row) => ({ ...row, outlet: null }));
  }
  const found = bare({ outlet: sql<string | null>`${outlets.name}`.as('outlet') })
    .leftJoin(placements, eq(placements.id, versions.placementId))
    .leftJoin(outlets, eq(outlets.id, placements.outletId))
    .where(where)
    .as('found');
  const { productionId, production, stage, holder, dueOn: day, outlet } = found;
  return ws.db
    .select({ productionId, production, stage, holder, dueOn: day, outlet, count })
    .from(found)
    .groupBy(productionId, sql`${stage}`, holder, sql`${day}`, sql`${outlet}`);
}

/** A production's cells, and what they were counted from. */
interface Known {
  from: string;
  cells: Cell[];
}
const known = new WeakMap<Workspace['db'], Map<string, Known>>();
const shared = new ShareNext<Cell[]>();
/** So many productions are counted in one statement. */
const mostAtOnce = 1000;

/**
 * All deliverables of the workspace in cells. A production's are counted again only when it has changed: every change of
 * what a production shows raises its revision, and standings that are worked out are told. Standings are to be settled
 * before.
 */
export const allCells = (ws: Ws): Promise<Cell[]> => shared.ask(ws.storage.root, () => recount(ws));

async function recount(ws: Ws): Promise<Cell[]> {
  const { id, revision, updatedAt } = productions;
  const rows = await ws.db.select({ id, revision, updatedAt }).from(productions);
  const was = known.get(ws.db) ?? new Map<string, Known>();
  const now = new Map<string, Known>();
  const changed: string[] = [];
  for (const row of rows) {
    // Read before they are counted: what changes meanwhile is counted once more by who asks next.
    const from = `${row.revision} ${row.updatedAt} ${timesSettled(ws, row.id)}`;
    const same = was.get(row.id);
    now.set(row.id, same?.from === from ? same : { from, cells: [] });
    if (same?.from !== from) changed.push(row.id);
  }
  for (let at = 0; at < changed.length; at += mostAtOnce) {
    const some = changed.slice(at, at + mostAtOnce);
    const cells = await countCells(ws, inArray(versions.productionId, some), false);
    for (const cell of cells) now.get(cell.productionId)?.cells.push(cell);
  }
  known.set(ws.db, now);
  return [...now.values()].flatMap(({ cells }) => cells);
}
