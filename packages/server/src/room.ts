import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { subDays } from 'date-fns';
import { and, eq, inArray, lt, ne, sql } from 'drizzle-orm';
import { browserPlays } from '@mivvy/core';
import type { Room, RoomRule } from '@mivvy/api';
import type { Writer } from './db/database.ts';
import { deliverables, masters, productions } from './db/schema.ts';
import { clearFiles, olderFiles } from './files/clear.ts';
import { doom, sweepDoomed } from './files/doomed.ts';
import { wantPreparing } from './preparing.ts';
import { proxyPath } from './storage.ts';
import { tellProduction } from './tell.ts';
import type { Workspace } from './workspace.ts';

// Room on the disk: what lies there, and what may go of productions that nobody works on any more. Proof copies and stills
// are made again when somebody opens the production; files are not, but their evidence stays.

/** Productions in which nothing has happened for so many days, the one that rests longest first. */
const resting = (tx: Writer, { idleDays }: RoomRule) =>
  tx
    .select({
      id: productions.id,
      name: productions.name,
      client: productions.client,
      last: productions.updatedAt,
    })
    .from(productions)
    .where(lt(productions.updatedAt, subDays(new Date(), idleDays).toISOString()))
    .orderBy(productions.updatedAt);

const copiesOf = (tx: Writer, productionId: string) =>
  tx
    .select()
    .from(masters)
    .where(and(eq(masters.productionId, productionId), eq(masters.proxy, 'made')));

/** Bytes of a file, or of the files right in a folder; none where it is not there. */
async function bytesAt(path: string): Promise<number> {
  const names = await readdir(path).catch(() => null);
  const paths = names ? names.map((name) => join(path, name)) : [path];
  const sizes = await Promise.all(paths.map(async (each) => (await stat(each).catch(() => null))?.size ?? 0));
  return sizes.reduce((sum, size) => sum + size, 0);
}

const sumOf = (all: readonly { bytes: number }[]): number => all.reduce((sum, { bytes }) => sum + bytes, 0);

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
  const goes: Room['goes'] = [];
  for (const production of await resting(ws.db, rule)) {
    const copies = await copiesOf(ws.db, production.id);
    const sizes = await Promise.all(
      copies.map(
        async ({ id }) =>
          (await bytesAt(proxyPath(ws.storage, id))) + (await bytesAt(join(ws.storage.stills, id))),
      ),
    );
    const older = await olderFiles(ws.db, production.id, rule.keepFiles);
    const one = {
      ...production,
      copies: { count: copies.length, bytes: sizes.reduce((sum, size) => sum + size, 0) },
      files: { count: older.length, bytes: sumOf(older) },
    };
    if (one.copies.count || one.files.count) goes.push(one);
  }
  return {
    freeBytes: await ws.freeBytes(),
    filmBytes: films!.bytes,
    fileBytes: files!.bytes,
    copyBytes: await bytesAt(ws.storage.proxies),
    goes,
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
  const chosen = new Set(productionIds);
  const cleared = await ws.db.transaction(async (tx) => {
    const done: { id: string; paths: string[] }[] = [];
    for (const { id, last } of await resting(tx, rule)) {
      if (!chosen.has(id)) continue;
      const paths =
        what === 'copies'
          ? await clearCopies(tx, ws, id)
          : await clearFiles(tx, ws, await olderFiles(tx, id, rule.keepFiles), by);
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

async function clearCopies(
  tx: Writer,
  ws: Pick<Workspace, 'storage'>,
  productionId: string,
): Promise<string[]> {
  const copies = await copiesOf(tx, productionId);
  if (!copies.length) return [];
  const ids = copies.map(({ id }) => id);
  await tx.update(masters).set({ proxy: 'cleared' }).where(inArray(masters.id, ids));
  const paths = ids.flatMap((id) => [proxyPath(ws.storage, id), join(ws.storage.stills, id)]);
  await doom(tx, ws, paths);
  return paths;
}

/** Has proof copies made again that were cleared: somebody opens their production. */
export async function wantClearedCopies(ws: Workspace, productionId: string): Promise<void> {
  const cleared = await ws.db
    .select()
    .from(masters)
    .where(and(eq(masters.productionId, productionId), eq(masters.proxy, 'cleared')));
  for (const { id, facts, sha256 } of cleared) {
    if (!facts || sha256 === null) continue;
    const [taken] = await ws.db
      .update(masters)
      .set({ proxy: browserPlays(facts) ? 'helpful' : 'wanted' })
      .where(and(eq(masters.id, id), eq(masters.proxy, 'cleared')))
      .returning({ id: masters.id });
    if (taken) await wantPreparing(ws, id);
  }
}
