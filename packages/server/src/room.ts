import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { subDays } from 'date-fns';
import { and, eq, inArray, lt, ne, sql, type SQL } from 'drizzle-orm';
import { browserPlays } from '@mivvy/core';
import type { Room, RoomRule } from '@mivvy/api';
import type { Writer } from './db/database.ts';
import { deliverables, masters, productions } from './db/schema.ts';
import { clearFiles, olderFiles } from './files/clear.ts';
import { doom, spare, sweepDoomed } from './files/doomed.ts';
import type { JobRow } from './jobs/queue/job-queue.ts';
import { addPreparing } from './preparing.ts';
import { proxyPath } from './storage.ts';
import { tellProduction } from './tell.ts';
import { byProduction } from './views/productions.ts';
import type { Workspace } from './workspace.ts';

// Room on the disk: what lies there, and what may go of productions that nobody works on any more. Proof copies and stills
// are made again when somebody opens the production; files are not, but their evidence stays.

/** Whether nothing has happened in a production for so many days. */
const isResting = ({ idleDays }: RoomRule): SQL =>
  lt(productions.updatedAt, subDays(new Date(), idleDays).toISOString());

/** Productions that rest, the one that does so longest first. */
const resting = (tx: Writer, rule: RoomRule) =>
  tx
    .select({
      id: productions.id,
      name: productions.name,
      client: productions.client,
      last: productions.updatedAt,
    })
    .from(productions)
    .where(isResting(rule))
    .orderBy(productions.updatedAt);

const idsOfResting = (tx: Writer, rule: RoomRule) =>
  tx.select({ id: productions.id }).from(productions).where(isResting(rule));

/** The proof copies of some productions, by their masters. */
const copiesOf = (tx: Writer, ofProductions: SQL) =>
  tx
    .select({ id: masters.id, productionId: masters.productionId })
    .from(masters)
    .where(and(ofProductions, eq(masters.proxy, 'made')));

/** Bytes of every proof copy that lies there, by its path. */
async function copySizes({ storage }: Pick<Workspace, 'storage'>): Promise<Map<string, number>> {
  const paths = (await readdir(storage.proxies)).map((name) => join(storage.proxies, name));
  const sizes = await Promise.all(paths.map(async (path) => (await stat(path).catch(() => null))?.size ?? 0));
  return new Map(paths.map((path, i) => [path, sizes[i]!]));
}

const inProduction = (id: string): SQL => eq(deliverables.productionId, id);

const sum = (all: readonly number[]): number => all.reduce((total, each) => total + each, 0);

/** What lies on the disk, and what would go by a rule. */
export async function roomView(ws: Workspace, rule: RoomRule): Promise<Room> {
  const [films] = await ws.db
    .select({ bytes: sql<number>`coalesce(sum(${masters.bytes}), 0)` })
    .from(masters)
    .where(eq(masters.origin, 'upload'));
  const [files] = await ws.db
    .select({ bytes: sql<number>`coalesce(sum(${deliverables.bytes}), 0)` })
    .from(deliverables)
    .where(ne(deliverables.onDisk, 'cleared'));
  const sizes = await copySizes(ws);
  const ids = idsOfResting(ws.db, rule);
  const copies = await copiesOf(ws.db, inArray(masters.productionId, ids));
  const older = await olderFiles(ws.db, inArray(deliverables.productionId, ids), rule.keepFiles);
  const [copiesIn, olderIn] = [byProduction(copies), byProduction(older)];
  const goes = (await resting(ws.db, rule)).map((production) => {
    const [its, old] = [copiesIn.get(production.id) ?? [], olderIn.get(production.id) ?? []];
    const bytes = sum(its.map(({ id }) => sizes.get(proxyPath(ws.storage, id)) ?? 0));
    return {
      ...production,
      copies: { count: its.length, bytes },
      files: { count: old.length, bytes: sum(old.map((file) => file.bytes)) },
    };
  });
  return {
    freeBytes: await ws.freeBytes(),
    filmBytes: films!.bytes,
    fileBytes: files!.bytes,
    copyBytes: sum([...sizes.values()]),
    goes: goes.filter((one) => one.copies.count > 0 || one.files.count > 0),
  };
}

/**
 * Lets go of what a rule names in some productions: those of them in which something has happened meanwhile are left.
 *
 * @returns in how many something went
 */
export async function clearByRule(
  ws: Workspace,
  rule: RoomRule,
  { what, productionIds }: { what: 'copies' | 'files'; productionIds: readonly string[] },
  by: string,
): Promise<number> {
  const cleared = await ws.db.transaction(async (tx) => {
    const done: { id: string; paths: string[] }[] = [];
    const still = await resting(tx, rule);
    for (const { id, last } of still.filter((production) => productionIds.includes(production.id))) {
      const paths =
        what === 'copies'
          ? await clearCopies(tx, ws, id)
          : await clearFiles(tx, ws, await olderFiles(tx, inProduction(id), rule.keepFiles), by);
      if (paths.length) done.push({ id, paths });
      // That room was made is no work on it: what else may go can still go.
      await tx.update(productions).set({ updatedAt: last }).where(eq(productions.id, id));
    }
    return done;
  });
  await sweepDoomed(
    ws,
    cleared.flatMap(({ paths }) => paths),
  );
  for (const { id } of cleared) await tellProduction(ws, id);
  return cleared.length;
}

/** What is made again when a production is opened: a master's proof copy, and its stills. */
const copyFiles = ({ storage }: Pick<Workspace, 'storage'>, masterId: string): string[] => [
  proxyPath(storage, masterId),
  join(storage.stills, masterId),
];

async function clearCopies(
  tx: Writer,
  ws: Pick<Workspace, 'storage'>,
  productionId: string,
): Promise<string[]> {
  const ids = (await copiesOf(tx, eq(masters.productionId, productionId))).map(({ id }) => id);
  await tx.update(masters).set({ proxy: 'cleared' }).where(inArray(masters.id, ids));
  const paths = ids.flatMap((id) => copyFiles(ws, id));
  await doom(tx, ws, paths);
  return paths;
}

/** Has proof copies made again that were cleared: somebody opens their production. */
export async function wantClearedCopies(ws: Workspace, productionId: string): Promise<void> {
  const isCleared = and(eq(masters.productionId, productionId), eq(masters.proxy, 'cleared'));
  // Nearly always there are none, and nothing is written for whoever looks.
  if ((await ws.db.select({ id: masters.id }).from(masters).where(isCleared)).length === 0) return;
  const wanted = await ws.db.transaction(async (tx) => {
    const changed: JobRow[] = [];
    for (const { id, facts } of await tx.select().from(masters).where(isCleared)) {
      const proxy = facts && !browserPlays(facts) ? 'wanted' : 'helpful';
      await tx.update(masters).set({ proxy }).where(eq(masters.id, id));
      await spare(tx, ws, copyFiles(ws, id));
      changed.push(...(await addPreparing(tx, ws, id)));
    }
    return changed;
  });
  ws.runner.announce(wanted);
}
