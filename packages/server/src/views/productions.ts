import { and, desc, eq, isNull, sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import type { Production, ProductionCard, ProductionDetail } from '@mivvy/api';
import { deliverables, masters, notes, productions, versions } from '../db/schema.ts';
import { isNewest, lookAtFiles } from '../files/look-at-files.ts';
import { settleStandings } from '../plans.ts';
import type { Workspace } from '../workspace.ts';
import { Counted } from './counted.ts';
import { mastersOf } from './masters.ts';
import { ShareNext } from './share-next.ts';
import { stageColumn } from './stages.ts';
import { versionsOf } from './versions.ts';

type Ws = Pick<Workspace, 'db' | 'specs' | 'letters' | 'storage' | 'events'>;

/** A production as the API names it. */
export function toProduction(row: typeof productions.$inferSelect): Production {
  const { revision: _revision, expects: _expects, ...production } = row;
  return production;
}

/** Every production as the home screen shows it, newest change first. Nothing is planned or parsed for it. */
export async function productionCards(ws: Ws): Promise<ProductionCard[]> {
  await settleStandings(ws);
  return (await cards.ask(ws, null, async () => ({ all: await countCards(ws) }))).all;
}
const cards = new Counted<{ all: ProductionCard[] }>(4);

async function countCards(ws: Ws): Promise<ProductionCard[]> {
  const rows = await ws.db.select().from(productions).orderBy(desc(productions.updatedAt));
  const films = await ws.db
    .select({
      id: masters.id,
      name: masters.name,
      fileGeneration: masters.fileGeneration,
      hasPoster: masters.hasPoster,
      productionId: masters.productionId,
    })
    .from(masters)
    .where(isNull(masters.textlessOf))
    .orderBy(masters.createdAt);
  const counts = await ws.db
    .select({
      productionId: versions.productionId,
      standing: versions.standing,
      stage: stageColumn,
      count: sql<number>`count(*)`,
    })
    .from(versions)
    .leftJoin(deliverables, and(eq(deliverables.versionId, versions.id), isNewest))
    .groupBy(versions.productionId, versions.standing, stageColumn);
  const open = await ws.db
    .select({ productionId: notes.productionId, count: sql<number>`count(*)` })
    .from(notes)
    .where(and(isNull(notes.answers), isNull(notes.doneAt)))
    .groupBy(notes.productionId);
  const openOf = new Map(open.map((row) => [row.productionId, row.count]));
  const filmsOf = byProduction(films);
  const countsOf = byProduction(counts);
  return rows.map((row) => ({
    ...toProduction(row),
    masters: (filmsOf.get(row.id) ?? []).map(({ productionId: _of, ...film }) => film),
    standings: summed(countsOf.get(row.id) ?? [], (count) => count.standing),
    stages: summed(countsOf.get(row.id) ?? [], (count) => count.stage),
    openNotes: openOf.get(row.id) ?? 0,
  }));
}

/** Counts by what they count; what is not known is left out. */
function summed<Row extends { count: number }, Name extends string>(
  rows: readonly Row[],
  nameOf: (row: Row) => Name | null,
): Partial<Record<Name, number>> {
  const sums: Partial<Record<Name, number>> = {};
  for (const row of rows) {
    const name = nameOf(row);
    if (name !== null) sums[name] = (sums[name] ?? 0) + row.count;
  }
  return sums;
}

/** Rows by the production that they belong to, in their order. */
export function byProduction<Row extends { productionId: string }>(rows: readonly Row[]): Map<string, Row[]> {
  const groups = new Map<string, Row[]>();
  for (const row of rows) {
    const group = groups.get(row.productionId);
    if (group) group.push(row);
    else groups.set(row.productionId, [row]);
  }
  return groups;
}

/** Answers that were given last, with what they were made from; bytes. */
const answers = new LRUCache<string, { madeFrom: string; json: Buffer }>({
  maxSize: 64_000_000,
  sizeCalculation: (answer) => answer.json.length,
});

const shared = new ShareNext<Buffer | undefined>();

/**
 * Everything that a production's screens show, as JSON: made again only when its revision or the spec book has changed,
 * and once for all who ask together. Undefined where it is not there.
 */
export const productionAnswer = (ws: Ws, id: string): Promise<Buffer | undefined> => {
  const key = `${ws.storage.root} ${id}`;
  return shared.ask(key, () => answerNow(ws, id, key));
};

async function answerNow(ws: Ws, id: string, key: string): Promise<Buffer | undefined> {
  await lookAtFiles(ws, id, 'newest');
  const [row] = await ws.db
    .select({ revision: productions.revision })
    .from(productions)
    .where(eq(productions.id, id));
  if (!row) return undefined;
  const madeFrom = `${row.revision} ${ws.specs.edition}`;
  const known = answers.get(key);
  if (known?.madeFrom === madeFrom) return known.json;
  const detail = await productionDetail(ws, id);
  if (!detail) return undefined;
  const json = Buffer.from(JSON.stringify(detail));
  // What was changed while it was made is in a revision of its own, which is asked for next.
  if (detail.revision === row.revision) answers.set(key, { madeFrom, json });
  return json;
}

/** Everything that a production's screens show. */
export async function productionDetail(ws: Ws, id: string): Promise<ProductionDetail | undefined> {
  const [row] = await ws.db.select().from(productions).where(eq(productions.id, id));
  if (!row) return undefined;
  return {
    ...toProduction(row),
    revision: row.revision,
    ...(await mastersOf(ws, id)),
    versions: await versionsOf(ws, id),
  };
}
