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
  or,
  sql,
  type AnyColumn,
  type SQL,
} from 'drizzle-orm';
import { alias } from 'drizzle-orm/sqlite-core';
import type { LedgerPage, LedgerQuery, LedgerRow } from '@mivvy/api';
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
import { isNewest } from '../files/look-at-files.ts';
import { lastOf } from '../happenings.ts';
import { settleStandings } from '../plans.ts';
import type { Workspace } from '../workspace.ts';
import { stageColumn } from './stages.ts';

type Ws = Pick<Workspace, 'db' | 'specs' | 'letters'>;

/** Its own day, or its production's. */
const dueOn = sql<string | null>`coalesce(${versions.dueOn}, ${productions.dueOn})`;
const madeFor = alias(placementRevisions, 'made_for');
const placementName = sql<string | null>`json_extract(${madeFor.placement}, '$.value.name')`;
const openNotes = sql<number>`(select count(*) from ${notes} where ${notes.versionId} = ${versions.id} and ${isNull(notes.answers)} and ${isNull(notes.doneAt)})`;
/** By the number of what happened last: a clock that was set back does not change the order. */
const lastNumber = sql<
  number | null
>`(select max(h.id) from happenings h where h.version_id = ${versions.id})`;

/** What each order sorts by; days that are not said come last. */
const sortedBy: Readonly<Record<LedgerQuery['order'], SQL | typeof versions.holder>> = {
  due: sql`coalesce(${versions.dueOn}, ${productions.dueOn}, '9999')`,
  name: sql`lower(coalesce(${outlets.name}, '') || ' ' || coalesce(${placementName}, ${versions.placementId}))`,
  production: sql`lower(${productions.name})`,
  stage: stageColumn,
  holder: versions.holder,
  last: sql`coalesce(${lastNumber}, 0)`,
};

type Group = NonNullable<LedgerQuery['group']>;

type Column = SQL | SQL.Aliased | AnyColumn;
/** The key of those that have none of what makes a group: no name is a space, and an address carries it. */
const none = ' ';
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

/** A text as a pattern of LIKE that finds it anywhere. */
const anywhere = (words: string) => `%${words.replace(/[\\%_]/g, (sign) => `\\${sign}`)}%`;

function wanted(query: LedgerQuery): SQL[] {
  const found: SQL[] = [];
  if (query.productionId) found.push(eq(versions.productionId, query.productionId));
  for (const word of query.search.split(/\s+/).filter(Boolean)) {
    const like = (column: SQL | unknown) => sql`${column} like ${anywhere(word)} escape '\\'`;
    found.push(
      or(
        like(productions.name),
        like(productions.client),
        like(masters.name),
        like(outlets.name),
        like(placementName),
        like(versions.placementId),
        like(versions.holder),
        like(deliverables.fileName),
        like(cuts.name),
      )!,
    );
  }
  if (query.holder !== undefined) found.push(eq(versions.holder, query.holder));
  if (query.dueFrom !== undefined) found.push(gte(dueOn, query.dueFrom));
  if (query.dueBy !== undefined) found.push(lte(dueOn, query.dueBy));
  return found;
}

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
    .leftJoin(
      madeFor,
      and(eq(madeFor.placementId, versions.placementId), eq(madeFor.number, versions.placementRevision)),
    )
    .leftJoin(deliverables, and(eq(deliverables.versionId, versions.id), isNewest));

/** One page of the ledger: rows from SQL, nothing planned or parsed. */
export async function ledgerPage(
  ws: Ws,
  query: LedgerQuery,
  { from, count, folded = [] }: { from: number; count: number; folded?: readonly string[] },
): Promise<LedgerPage> {
  await settleStandings(ws);
  const conditions = wanted(query);
  const staged = query.stages.length ? inArray(stageColumn, query.stages) : undefined;
  const groups = query.group ? await groupsOf(ws, query.group, [...conditions, staged]) : [];
  if (query.group && query.within !== undefined)
    conditions.push(sql`${groupedBy[query.group].key} = ${query.within}`);
  const counts = await countStages(ws, conditions);
  const direction = query.descending ? desc : asc;
  const unfolded =
    query.group && folded.length > 0 ? notInArray(groupedBy[query.group].key, [...folded]) : undefined;
  const rows = await entries(ws)
    .where(and(...conditions, staged, unfolded))
    .orderBy(
      ...(query.group ? groupOrder(groupedBy[query.group]) : []),
      direction(sortedBy[query.order]),
      asc(productions.name),
      asc(versions.createdAt),
      asc(versions.id),
    )
    .limit(count)
    .offset(from);
  const last = await lastOf(
    ws.db,
    rows.map((row) => row.versionId),
  );
  const total = Object.entries(counts).reduce(
    (sum, [stage, n]) => (query.stages.length && !query.stages.includes(stage as never) ? sum : sum + n),
    0,
  );
  const away = groups
    .filter(({ key }) => folded.includes(key) && (query.within ?? key) === key)
    .reduce((sum, group) => sum + group.count, 0);
  const holders = await ws.db
    .selectDistinct({ holder: versions.holder })
    .from(versions)
    .orderBy(asc(versions.holder));
  return {
    rows: rows.map(({ placementId, ...row }): LedgerRow => {
      const event = last.get(row.versionId);
      return {
        ...row,
        outlet: row.outlet ?? 'An outlet that is gone',
        placement: row.placement ?? placementId,
        last: event ? { at: event.at, by: event.by, what: event.what } : null,
      };
    }),
    total: total - away,
    counts,
    groups,
    holders: holders.map((row) => row.holder).filter(Boolean),
  };
}

async function groupsOf(ws: Ws, group: Group, conditions: readonly (SQL | undefined)[]) {
  const found = entries(ws)
    .where(and(...conditions))
    .as('found');
  const columnsOf: Record<Group, { key: SQL<string>; name: SQL<string> }> = {
    production: { key: sql`${found.productionId}`, name: sql`${found.production}` },
    outlet: { key: keyOf(found.outlet), name: nameOf(found.outlet) },
    holder: { key: keyOf(found.holder), name: nameOf(found.holder) },
    day: { key: keyOf(found.dueOn), name: nameOf(found.dueOn) },
  };
  const { key, name } = columnsOf[group];
  return ws.db
    .select({ key, name: sql<string>`max(${name})`, count: sql<number>`count(*)` })
    .from(found)
    .groupBy(key)
    .orderBy(...groupOrder({ key, name: sql`max(${name})` }));
}

async function countStages(ws: Ws, conditions: readonly SQL[]): Promise<LedgerPage['counts']> {
  const found = entries(ws)
    .where(and(...conditions))
    .as('found');
  const rows = await ws.db
    .select({ stage: found.stage, count: sql<number>`count(*)` })
    .from(found)
    .groupBy(sql`${found.stage}`);
  return Object.fromEntries(rows.map((row) => [row.stage, row.count]));
}

/** Stages that no day weighs on any more. */
const handedOver = ['dispatched', 'live'] as const;

/** What needs somebody first. `today` is the day where the workspace is, such as 2026-11-02. */
export async function attention(ws: Ws, today: string, tomorrow: string) {
  await settleStandings(ws);
  const [row] = await ws.db
    .select({
      late: sql<number>`coalesce(sum(${dueOn} < ${today} and ${stageColumn} not in ${handedOver}), 0)`,
      soon: sql<number>`coalesce(sum(${dueOn} >= ${today} and ${dueOn} <= ${tomorrow} and ${stageColumn} not in ${handedOver}), 0)`,
      behind: sql<number>`coalesce(sum(${stageColumn} = 'behind'), 0)`,
      atFault: sql<number>`coalesce(sum(${stageColumn} in ('at-fault', 'failed', 'not-made')), 0)`,
      changesAsked: sql<number>`coalesce(sum(${stageColumn} = 'changes-asked'), 0)`,
    })
    .from(versions)
    .innerJoin(productions, eq(productions.id, versions.productionId))
    .leftJoin(deliverables, and(eq(deliverables.versionId, versions.id), isNewest));
  const [open] = await ws.db
    .select({ count: sql<number>`count(*)` })
    .from(notes)
    .where(and(isNull(notes.answers), isNull(notes.doneAt)));
  return { ...row!, openNotes: open!.count };
}
