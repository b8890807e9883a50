import { productions } from '../db/schema.ts';
import { timesSettled } from '../plans.ts';
import type { Workspace } from '../workspace.ts';
import { ShareNext } from './share-next.ts';

type Ws = Pick<Workspace, 'db' | 'specs' | 'storage'>;

/** What was read of a production, and what it was read from. */
interface Known<Row> {
  from: string;
  rows: Row[];
}

/** So many productions are read in one statement. */
const mostAtOnce = 1000;

/**
 * Rows about every production, kept in memory. A production's are read again only when it has changed: every change of
 * what a production shows raises its revision, standings that are worked out are told, and so is the spec book, which has
 * the outlets' names. Standings are to be settled before.
 */
export class PerProduction<Row extends { productionId: string }> {
  private readonly known = new WeakMap<Workspace['db'], ReadonlyMap<string, Known<Row>>>();
  private readonly shared = new ShareNext<Row[]>();

  /** @param read the rows of some productions */
  constructor(private readonly read: (ws: Ws, productionIds: readonly string[]) => Promise<Row[]>) {}

  /** The rows of all productions, as they are now. */
  all(ws: Ws): Promise<Row[]> {
    return this.shared.ask(ws.storage.root, () => this.readChanged(ws));
  }

  private async readChanged(ws: Ws): Promise<Row[]> {
    const { id, revision, updatedAt } = productions;
    const found = await ws.db.select({ id, revision, updatedAt }).from(productions);
    const was = this.known.get(ws.db);
    const now = new Map<string, Known<Row>>();
    const changed: string[] = [];
    for (const row of found) {
      // Taken before its rows are read: what changes meanwhile is read once more by who asks next.
      const from = `${row.revision} ${row.updatedAt} ${timesSettled(ws, row.id)} ${ws.specs.edition}`;
      const same = was?.get(row.id);
      now.set(row.id, same?.from === from ? same : { from, rows: [] });
      if (same?.from !== from) changed.push(row.id);
    }
    for (let at = 0; at < changed.length; at += mostAtOnce)
      for (const row of await this.read(ws, changed.slice(at, at + mostAtOnce)))
        now.get(row.productionId)?.rows.push(row);
    this.known.set(ws.db, now);
    return [...now.values()].flatMap(({ rows }) => rows);
  }
}
