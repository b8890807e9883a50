import { desc, eq } from 'drizzle-orm';
import type { PlaceSet } from '@mivvy/api';
import type { Writer } from './db/database.ts';
import { placeSets } from './db/schema.ts';
import { now } from './workspace.ts';

/** The set that is whatever was taken last has an id of its own. */
const lastId = 'last';

/** All sets, the one that was taken last first, then the newest used. */
export async function allPlaceSets(db: Writer): Promise<PlaceSet[]> {
  const rows = await db.select().from(placeSets).orderBy(desc(placeSets.usedAt));
  const sets = rows.map(({ id, name, placementIds }) => ({ id, name, placementIds, last: id === lastId }));
  return [...sets.filter((set) => set.last), ...sets.filter((set) => !set.last)];
}

/** Remembers what was taken: it is offered first the next time, and a named set that it equals counts as used. */
export async function rememberPlaces(tx: Writer, placementIds: readonly string[]): Promise<void> {
  const taken = [...new Set(placementIds)];
  const row = { name: 'What was taken last', placementIds: taken, usedAt: now() };
  await tx
    .insert(placeSets)
    .values({ id: lastId, ...row })
    .onConflictDoUpdate({ target: placeSets.id, set: row });
  const sorted = (ids: readonly string[]) => [...ids].sort().join('\n');
  for (const set of await tx.select().from(placeSets))
    if (set.id !== lastId && sorted(set.placementIds) === sorted(taken))
      await tx.update(placeSets).set({ usedAt: now() }).where(eq(placeSets.id, set.id));
}
