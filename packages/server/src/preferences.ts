import { eq } from 'drizzle-orm';
import type { Preferences } from '@mivvy/api';
import type { Writer } from './db/database.ts';
import { preferences } from './db/schema.ts';

/** There is one row at most. */
const theOnly = 1;

/** What is preferred while nobody has said otherwise. */
const usual: Preferences = {
  frameOnArrival: true,
  exportsPaused: false,
  effort: 'usual',
  effortMeasured: null,
};

/** What is preferred in this workspace. */
export async function readPreferences(db: Writer): Promise<Preferences> {
  const [row] = await db.select().from(preferences).where(eq(preferences.id, theOnly));
  if (!row) return usual;
  const { id: _id, ...preferred } = row;
  return preferred;
}

/** Changes some of what is preferred; all of it as it is then. */
export async function writePreferences(db: Writer, change: Partial<Preferences>): Promise<Preferences> {
  const next = { ...(await readPreferences(db)), ...change };
  await db
    .insert(preferences)
    .values({ id: theOnly, ...next })
    .onConflictDoUpdate({ target: preferences.id, set: next });
  return next;
}
