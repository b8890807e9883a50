import {
  and,
  asc,
  desc,
  eq,
  gte,
  inArray,
  isNull,
  lte,
  notInArray,
  sql,
  type AnyColumn,
  type SQL,
} from 'drizzle-orm';
import { alias, type SQLiteSelect } from 'drizzle-orm/sqlite-core';
import type { Stage } from '@mivvy/core';
import type { Attention, LedgerPage, LedgerQuery, LedgerRow } from '@mivvy/api';
import {
  cuts,
  deliverables,
  masters,
  notes,
  outlets,
  placementRevisions,
  placements,
  productions,
  versions,
} from '../db/schema.ts';
import { lastOf } from '../happenings.ts';
import { settleStandings } from '../plans.ts';
import type { Workspace } from '../workspace.ts';
import { allCells, dueOn, isItsNewest, type Cell } from './ledger-cells.ts';
import { search } from './ledger-search.ts';
import { none, tally } from './ledger-tally.ts';
import { stageColumn } from './stages.ts';

type Ws = Pick<Workspace, 'db' | 'specs' | 'letters' | 'storage'>;

const madeFor = alias(placementRevisions, 'made_for');
const isMadeFor = and(
  eq(madeFor.placementId, versions.placementId),
  eq(madeFor.number, versions.placementRevision),
);
const placementName = sql<string | null>`json_extract(${madeFor.placement}, '$.value.name')`;
const openNotes = sql<number>`(select count(*) from ${notes} where ${notes.versionId} = ${versions.id} and ${isNull(notes.answers)} and ${isNull(notes.doneAt)})`;
/** By the number of what happened last: a clock that was set back does not change the order. */
const lastNumber = sql<
  number | null
>`(select max(h.id) from happenings h where h.version_id = ${versions.id})`;

/** What each order sorts by; days that are not said come last. */
const sortedBy: Readonly<Record<LedgerQuery['order'], SQL | typeof versions.holder>> = {
  due: sql`coalesce(${versions.dueOn}, ${productions.dueOn}, '9999')`,
  name: sql`coalesce(places.place, lower(' ' || ${versions.placementId}))`,
  production: sql`lower(${productions.name})`,
  stage: stageColumn,
  holder: versions.holder,
  last: sql`coalesce(${lastNumber}, 0)`,
};

type Group = NonNullable<LedgerQuery['group']>;

type Column = SQL | SQL.Aliased | AnyColumn;
const keyOf = (column: Column) => sql<string>`coalesce(nullif(${column}, ''), ${none})`;
const nameOf = (column: Column) => sql<string>`coalesce(${column}, '')`;

/** What makes a group, and what it is called; its name is empty where a deliverable has none of that. */
const groupedBy: Readonly<Record<Group, { key: SQL<string>; name: SQL<string> }>> = {
  production: { key: sql`${versions.productionId}`, name: sql`${productions.name}` },
  outlet: { key: keyOf(outlets.name), name: nameOf(outlets.name) },
  holder: { key: keyOf(versions.holder), name: nameOf(versions.holder) },
  day: { key: keyOf(dueOn), name: nameOf(dueOn) },
};

/** Groups by their names; what has none comes last. */
const groupOrder = ({ key, name }: { key: SQL; name: SQL }): SQL[] => [
  sql`${name} = ''`,
  sql`lower(${name})`,
  key,
];

const columns = {
  versionId: versions.id,
  productionId: versions.productionId,
  production: sql<string>`${productions.name}`.as('production'),
  client: productions.client,
  master: sql<string>`${masters.name}`.as('master'),
  tag: versions.tag,
  outlet: sql<string | null>`${outlets.name}`.as('outlet'),
  placement: placementName.as('placement'),
  placementId: versions.placementId,
  cut: sql<string | null>`${cuts.name}`.as('cut'),
  stage: stageColumn.as('stage'),
  dueOn: dueOn.as('due_on'),
  holder: versions.holder,
  fileName: deliverables.fileName,
  openNotes: openNotes.as('open_notes'),
};

/** Every deliverable with all that the ledger asks of it. */
const entries = (ws: Ws) =>
  ws.db
    .select(columns)
    .from(versions)
    .innerJoin(productions, eq(productions.id, versions.productionId))
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .leftJoin(cuts, eq(cuts.id, versions.cutId))
    .leftJoin(placements, eq(placements.id, versions.placementId))
    .leftJoin(outlets, eq(outlets.id, placements.outletId))
    .leftJoin(madeFor, isMadeFor)
    .leftJoin(deliverables, isItsNewest);

/** Deliverables with the names of their places, by which they are sorted: each name is worked out once, not for each of them. */
const namedEntries = (ws: Ws) => {
  const { placementId, number, placement } = placementRevisions;
  const called = sql`coalesce(json_extract(${placement}, '$.value.name'), ${placementId})`;
  const places = ws.db
    .select({
      placementId,
      number,
      place: sql<string>`lower(coalesce(${outlets.name}, '') || ' ' || ${called})`.as('place'),
    })
    .from(placementRevisions)
    .leftJoin(placements, eq(placements.id, placementId))
    .leftJoin(outlets, eq(outlets.id, placements.outletId))
    .as('places');
  return ws.db
    .select({ versionId: versions.id })
    .from(versions)
    .innerJoin(productions, eq(productions.id, versions.productionId))
    .leftJoin(placements, eq(placements.id, versions.placementId))
    .leftJoin(outlets, eq(outlets.id, placements.outletId))
    .leftJoin(
      places,
      and(eq(places.placementId, versions.placementId), eq(places.number, versions.placementRevision)),
    );
};

/** One page of the ledger: rows from SQL, nothing planned or parsed. */
export async function ledgerPage(
  ws: Ws,
  query: LedgerQuery,
  { from, count, folded = [] }: { from: number; count: number; folded?: readonly string[] },
): Promise<LedgerPage> {
  await settleStandings(ws);
  const cells = await allCells(ws);
  const found = await search(ws, query.search);
  const { counts, groups } = tally(found?.cells ?? cells, query);
  const ids = await idsOf(ws, query, found?.rows, { from, count, folded });
  const rows = new Map((await rowsOf(ws, ids)).map((row) => [row.versionId, row]));
  const last = new Map(await inPieces(ids, async (some) => [...(await lastOf(ws.db, some))]));
  const total = Object.entries(counts).reduce(
    (sum, [stage, n]) => (query.stages.length && !query.stages.includes(stage as never) ? sum : sum + n),
    0,
  );
  const away = groups
    .filter(({ key }) => folded.includes(key) && (query.within ?? key) === key)
    .reduce((sum, group) => sum + group.count, 0);
  return {
    rows: ids.flatMap((id): LedgerRow[] => {
      const row = rows.get(id);
      if (!row) return [];
      const { placementId, ...shown } = row;
      const event = last.get(id);
      return [
        {
          ...shown,
          outlet: row.outlet ?? 'An outlet that is gone',
          placement: row.placement ?? placementId,
          last: event ? { at: event.at, by: event.by, what: event.what } : null,
        },
      ];
    }),
    total: total - away,
    counts,
    groups,
    holders: [...new Set(cells.map(({ holder }) => holder).filter(Boolean))].sort(),
  };
}

const stagesOf = ({ stages }: LedgerQuery) => (stages.length ? inArray(stageColumn, stages) : undefined);

/** What a query's rows have to be, beyond its words and its stages. */
function conditionsOf({ productionId, holder, dueFrom, dueBy, group, within }: LedgerQuery): SQL[] {
  const conditions: SQL[] = [];
  if (productionId) conditions.push(eq(versions.productionId, productionId));
  if (holder !== undefined) conditions.push(eq(versions.holder, holder));
  if (dueFrom !== undefined) conditions.push(gte(dueOn, dueFrom));
  if (dueBy !== undefined) conditions.push(lte(dueOn, dueBy));
  if (group && within !== undefined) conditions.push(sql`${groupedBy[group].key} = ${within}`);
  return conditions;
}

/** The versions of a page, in order: sorted by what that needs, before anything else of them is read. */
async function idsOf(
  ws: Ws,
  query: LedgerQuery,
  found: SQL | undefined,
  { from, count, folded }: { from: number; count: number; folded: readonly string[] },
): Promise<string[]> {
  const unfolded =
    query.group && folded.length > 0 ? notInArray(groupedBy[query.group].key, [...folded]) : undefined;
  const direction = query.descending ? desc : asc;
  const page = <Q extends SQLiteSelect>(all: Q) =>
    all
      .where(and(...conditionsOf(query), found, stagesOf(query), unfolded))
      .orderBy(
        ...(query.group ? groupOrder(groupedBy[query.group]) : []),
        direction(sortedBy[query.order]),
        asc(productions.name),
        asc(versions.createdAt),
        asc(versions.id),
      )
      .limit(count)
      .offset(from);
  const id = { versionId: versions.id };
  const own = ws.db
    .select(id)
    .from(versions)
    .innerJoin(productions, eq(productions.id, versions.productionId));
  const named = query.order === 'name' || query.group === 'outlet';
  const staged = query.stages.length > 0 || query.order === 'stage';
  const rows = named
    ? await page(
        (staged ? namedEntries(ws).leftJoin(deliverables, isItsNewest) : namedEntries(ws)).$dynamic(),
      )
    : await page((staged ? own.leftJoin(deliverables, isItsNewest) : own).$dynamic());
  return rows.map((row) => row.versionId as string);
}

const rowsOf = (ws: Ws, ids: readonly string[]) =>
  inPieces(ids, (some) => entries(ws).where(inArray(versions.id, [...some])));

/** Asks for many ids: a statement holds only so many values. */
async function inPieces<Found>(
  ids: readonly string[],
  ask: (some: readonly string[]) => Promise<Found[]>,
): Promise<Found[]> {
  const found: Found[] = [];
  for (let at = 0; at < ids.length; at += 5000) found.push(...(await ask(ids.slice(at, at + 5000))));
  return found;
}

/** Stages that no day weighs on any more. */
const handedOver: ReadonlySet<Stage> = new Set(['dispatched', 'live']);

/** What needs somebody first. `today` is the day where the workspace is, such as 2026-11-02. */
export async function attention(ws: Ws, today: string, tomorrow: string): Promise<Attention> {
  await settleStandings(ws);
  const [open] = await ws.db
    .select({ count: sql<number>`count(*)` })
    .from(notes)
    .where(and(isNull(notes.answers), isNull(notes.doneAt)));
  const cells = await allCells(ws);
  const sum = (are: (cell: Cell) => boolean) => cells.filter(are).reduce((n, { count }) => n + count, 0);
  const isOpen = ({ stage }: Cell) => !handedOver.has(stage);
  return {
    late: sum((cell) => cell.dueOn !== null && cell.dueOn < today && isOpen(cell)),
    soon: sum((cell) => cell.dueOn !== null && cell.dueOn >= today && cell.dueOn <= tomorrow && isOpen(cell)),
    behind: sum(({ stage }) => stage === 'behind'),
    atFault: sum(({ stage }) => stage === 'at-fault' || stage === 'failed' || stage === 'not-made'),
    changesAsked: sum(({ stage }) => stage === 'changes-asked'),
    openNotes: open!.count,
  };
}
