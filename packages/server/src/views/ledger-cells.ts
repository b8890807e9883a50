import { and, eq, inArray, sql, type SQL } from 'drizzle-orm';
import type { Stage } from '@mivvy/core';
import { deliverables, outlets, placements, productions, versions } from '../db/schema.ts';
import { isNewest } from '../files/look-at-files.ts';
import { timesSettled } from '../plans.ts';
import type { Workspace } from '../workspace.ts';
import { ShareNext } from './share-next.ts';
import { stageColumn } from './stages.ts';

type Ws = Pick<Workspace, 'db' | 'specs' | 'storage'>;

/** Deliverables of a production that are alike in all that the ledger counts by, and how many they are. */
export interface Cell {
  productionId: string;
  production: string;
  stage: Stage;
  holder: string;
  dueOn: string | null;
  /** Its outlet's name; null where that is gone. */
  outlet: string | null;
  count: number;
}

/** Its own day, or its production's. */
export const dueOn = sql<string | null>`coalesce(${versions.dueOn}, ${productions.dueOn})`;
export const isItsNewest = and(eq(deliverables.versionId, versions.id), isNewest);

/** Counts deliverables of which a condition holds; all of them without one. */
export async function countCells(ws: Pick<Workspace, 'db'>, where?: SQL): Promise<Cell[]> {
  const found = ws.db
    .select({
      productionId: versions.productionId,
      production: sql<string>`${productions.name}`.as('production'),
      stage: stageColumn.as('stage'),
      holder: versions.holder,
      dueOn: dueOn.as('due_on'),
      outlet: sql<string | null>`${outlets.name}`.as('outlet'),
    })
    .from(versions)
    .innerJoin(productions, eq(productions.id, versions.productionId))
    .leftJoin(placements, eq(placements.id, versions.placementId))
    .leftJoin(outlets, eq(outlets.id, placements.outletId))
    .leftJoin(deliverables, isItsNewest)
    .where(where)
    .as('found');
  const { productionId, production, stage, holder, outlet } = found;
  return ws.db
    .select({
      productionId,
      production,
      stage,
      holder,
      dueOn: found.dueOn,
      outlet,
      count: sql<number>`count(*)`,
    })
    .from(found)
    .groupBy(productionId, sql`${stage}`, holder, sql`${found.dueOn}`, sql`${outlet}`);
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
 * what a production shows raises its revision, standings that are worked out are told, and so is the spec book, which has
 * the outlets' names. Standings are to be settled before.
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
    const from = `${row.revision} ${row.updatedAt} ${timesSettled(ws, row.id)} ${ws.specs.edition}`;
    const same = was.get(row.id);
    now.set(row.id, same?.from === from ? same : { from, cells: [] });
    if (same?.from !== from) changed.push(row.id);
  }
  for (let at = 0; at < changed.length; at += mostAtOnce) {
    const some = changed.slice(at, at + mostAtOnce);
    const cells = await countCells(ws, inArray(versions.productionId, some));
    for (const cell of cells) now.get(cell.productionId)?.cells.push(cell);
  }
  known.set(ws.db, now);
  return [...now.values()].flatMap(({ cells }) => cells);
}
