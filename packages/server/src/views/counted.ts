import { sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import { productions } from '../db/schema.ts';
import { timesSettled } from '../plans.ts';
import type { Workspace } from '../workspace.ts';
import { ShareNext } from './share-next.ts';

type Ws = Pick<Workspace, 'db' | 'specs' | 'storage'>;

/**
 * What lists over all productions are counted from: as long as it stays the same, so does what was counted. Every change
 * of what a production shows raises its revision, standings that are worked out are told, and so is the spec book.
 */
async function countedFrom(ws: Ws): Promise<string> {
  const [now] = await ws.db
    .select({
      revisions: sql<number>`sum(${productions.revision})`,
      count: sql<number>`count(*)`,
      newest: sql<string>`max(${productions.createdAt})`,
      touched: sql<string>`max(${productions.updatedAt})`,
    })
    .from(productions);
  return JSON.stringify([now, ws.specs.edition, timesSettled(ws)]);
}

/**
 * Answers that were counted last: counted again only when something has changed, and once for all who ask together.
 * Standings are to be settled before.
 */
export class Counted<T extends object> {
  private readonly known: LRUCache<string, { from: string; told: T }>;
  private readonly shared = new ShareNext<T>();

  /** @param max so many different questions at most */
  constructor(max: number) {
    this.known = new LRUCache({ max });
  }

  async ask(ws: Ws, question: unknown, count: () => Promise<T>): Promise<T> {
    const key = JSON.stringify([ws.storage.root, question]);
    return this.shared.ask(key, async () => {
      const from = await countedFrom(ws);
      const known = this.known.get(key);
      if (known?.from === from) return known.told;
      const told = await count();
      this.known.set(key, { from, told });
      return told;
    });
  }
}
