import { and, eq, inArray, sql, type AnyColumn, type SQL } from 'drizzle-orm';
import type { Stage } from '@mivvy/core';
import {
  cuts,
  deliverables,
  masters,
  outlets,
  placementRevisions,
  placements,
  productions,
  versions,
} from '../db/schema.ts';
import { isNewest } from '../files/look-at-files.ts';
import type { Workspace } from '../workspace.ts';
import { PerProduction } from './per-production.ts';
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

/** What a search looks through. */
const spoken: readonly (SQL | AnyColumn)[] = [
  productions.name,
  productions.client,
  sql`(select m.name from ${masters} m where m.id = ${versions.masterId})`,
  sql`(select c.name from ${cuts} c where c.id = ${versions.cutId})`,
  outlets.name,
  sql`(select json_extract(r.placement, '$.value.name') from ${placementRevisions} r
    where r.placement_id = ${versions.placementId} and r.number = ${versions.placementRevision})`,
  versions.placementId,
  versions.holder,
  deliverables.fileName,
];
const words = sql.join(
  spoken.map((column) => sql`coalesce(${column}, '')`),
  sql` || char(10) || `,
);

/** Deliverables with what the ledger counts by and looks through: what nobody asks of these is not worked out. */
const told = (ws: Pick<Workspace, 'db'>, where?: SQL) =>
  ws.db
    .select({
      versionId: versions.id,
      productionId: versions.productionId,
      production: sql<string>`${productions.name}`.as('production'),
      stage: stageColumn.as('stage'),
      holder: versions.holder,
      dueOn: dueOn.as('due_on'),
      outlet: sql<string | null>`${outlets.name}`.as('outlet'),
      words: sql<string>`${words}`.as('words'),
    })
    .from(versions)
    .innerJoin(productions, eq(productions.id, versions.productionId))
    .leftJoin(placements, eq(placements.id, versions.placementId))
    .leftJoin(outlets, eq(outlets.id, placements.outletId))
    .leftJoin(deliverables, isItsNewest)
    .where(where)
    .as('told');

/** What the ledger counts by. */
const countedBy = ({ productionId, production, stage, holder, dueOn, outlet }: ReturnType<typeof told>) => ({
  columns: { productionId, production, stage, holder, dueOn, outlet },
  groups: [productionId, sql`${stage}`, holder, sql`${dueOn}`, sql`${outlet}`],
});

/** Counts deliverables of which a condition holds; all of them without one. */
export async function countCells(ws: Pick<Workspace, 'db'>, where?: SQL): Promise<Cell[]> {
  const all = told(ws, where);
  const { columns, groups } = countedBy(all);
  return ws.db
    .select({ ...columns, count: sql<number>`count(*)` })
    .from(all)
    .groupBy(...groups);
}

/** A deliverable, and all that a search looks through: a line each, in small letters. */
export interface Spoken {
  versionId: string;
  words: string;
}

/** Deliverables that the ledger counts together, each by itself. */
export interface SpokenCell extends Omit<Cell, 'count'> {
  each: readonly Spoken[];
}

/** As a search compares them: without regard to a letter's case, or to how an accent is written. */
export const inSmall = (text: string): string => text.normalize('NFC').toLowerCase();

async function readSpoken(ws: Ws, productionIds: readonly string[]): Promise<SpokenCell[]> {
  const all = told(ws, inArray(versions.productionId, [...productionIds]));
  const { columns, groups } = countedBy(all);
  // Packed by the database: a row each takes three times as long to come over.
  const packed = sql<string>`json_group_array(json_array(${all.versionId}, ${all.words}))`;
  const rows = await ws.db
    .select({ ...columns, packed })
    .from(all)
    .groupBy(...groups);
  return rows.map(({ packed: list, ...cell }) => ({
    ...cell,
    each: (JSON.parse(list) as [string, string][]).map(([versionId, words]) => ({
      versionId,
      words: inSmall(words),
    })),
  }));
}

const cells = new PerProduction((ws, productionIds) =>
  countCells(ws, inArray(versions.productionId, [...productionIds])),
);
const spokenCells = new PerProduction(readSpoken);

/** All deliverables of the workspace in cells. Standings are to be settled before. */
export const allCells = (ws: Ws): Promise<Cell[]> => cells.all(ws);

/** All deliverables of the workspace, each with what a search looks through. Standings are to be settled before. */
export const allSpoken = (ws: Ws): Promise<SpokenCell[]> => spokenCells.all(ws);
