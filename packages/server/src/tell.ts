import { eq } from 'drizzle-orm';
import type { Database } from './db/database.ts';
import { masters, productions, versions } from './db/schema.ts';
import type { Events } from './events.ts';

interface Ws {
  db: Database;
  events: Events;
}

/**
 * Events about things that changed, each after the transaction that changed them. `by` is the window whose answer holds
 * everything that changed, so that it need not ask again; null where there is none such.
 */

/** Several things of a production changed, or its lists. */
export async function tellProduction(ws: Ws, id: string, by: string | null = null): Promise<void> {
  const [row] = await ws.db
    .select({ revision: productions.revision })
    .from(productions)
    .where(eq(productions.id, id));
  if (row) ws.events.tell({ kind: 'production', id, revision: row.revision, by });
}

/** One version changed, or what it stands at. */
export async function tellVersion(ws: Ws, id: string, by: string | null = null): Promise<void> {
  const [row] = await ws.db
    .select({ revision: versions.revision, productionId: versions.productionId })
    .from(versions)
    .where(eq(versions.id, id));
  if (row) ws.events.tell({ kind: 'version', id, ...row, by });
}

/** One master changed, its cuts among it. */
export async function tellMaster(ws: Ws, id: string, by: string | null = null): Promise<void> {
  const [row] = await ws.db
    .select({ revision: masters.revision, productionId: masters.productionId })
    .from(masters)
    .where(eq(masters.id, id));
  if (row) ws.events.tell({ kind: 'master', id, ...row, by });
}

/** More of a master has been seen. */
export async function tellLook(ws: Ws, masterId: string, by: string | null = null): Promise<void> {
  const [row] = await ws.db
    .select({ revision: masters.revision })
    .from(masters)
    .where(eq(masters.id, masterId));
  if (row) ws.events.tell({ kind: 'look', id: masterId, revision: row.revision, by });
}
