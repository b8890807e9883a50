import { and, eq, sql } from 'drizzle-orm';
import { deliverables, masters } from '../db/schema.ts';
import type { Workspace } from '../workspace.ts';
import { deliverableFileColumns, lookAtDeliverable } from './deliverable-file.ts';
import { lookAtMaster, masterFileColumns } from './master-file.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'events'>;

/** The newest file of each version. */
export const isNewest = sql`${deliverables.exportNumber} = (select max(d.export_number) from deliverables d where d.version_id = ${deliverables.versionId})`;

/** Lookings that are under way: those who ask meanwhile share them. */
const looking = new Map<string, Promise<void>>();

/**
 * Looks at the films of a production and at the files made for it, by their size and times, and keeps what was found in
 * their rows: `newest` of each version, or all of them.
 */
export function lookAtFiles(ws: Ws, productionId: string, which: 'newest' | 'all'): Promise<void> {
  const key = `${ws.storage.root} ${productionId} ${which}`;
  const running = looking.get(key);
  if (running) return running;
  const work = lookOnce(ws, productionId, which).finally(() => looking.delete(key));
  looking.set(key, work);
  return work;
}

async function lookOnce(ws: Ws, productionId: string, which: 'newest' | 'all'): Promise<void> {
  const films = await ws.db
    .select(masterFileColumns)
    .from(masters)
    .where(eq(masters.productionId, productionId));
  const files = await ws.db
    .select(deliverableFileColumns)
    .from(deliverables)
    .where(and(eq(deliverables.productionId, productionId), which === 'newest' ? isNewest : undefined));
  await Promise.all([
    ...films.map((film) => lookAtMaster(ws, film, { wait: false })),
    ...files.map((file) => lookAtDeliverable(ws, file, { wait: false })),
  ]);
}
