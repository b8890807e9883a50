import { inArray, notInArray, sql, type SQL } from 'drizzle-orm';
import { versions } from '../db/schema.ts';
import { allSpoken, inSmall, type Cell } from './ledger-cells.ts';

/** What a search has found. */
export interface Found {
  /** How many it found of those that the ledger counts together. */
  cells: Cell[];
  /** Which rows it found; undefined where that is all of them. */
  rows: SQL | undefined;
}

/** Finds the deliverables of which every word of a search stands somewhere in what is told of them; undefined for no word. */
export async function search(ws: Parameters<typeof allSpoken>[0], typed: string): Promise<Found | undefined> {
  const words = inSmall(typed).split(/\s+/).filter(Boolean);
  if (words.length === 0) return undefined;
  const [found, missed]: [string[], string[]] = [[], []];
  const cells: Cell[] = [];
  for (const { each, ...cell } of await allSpoken(ws)) {
    const before = found.length;
    for (const { versionId, words: spoken } of each)
      (words.every((word) => spoken.includes(word)) ? found : missed).push(versionId);
    if (found.length > before) cells.push({ ...cell, count: found.length - before });
  }
  return { cells, rows: rowsOf(found, missed) };
}

/** A condition that holds of what was found: said by the shorter list, for a long one takes its time. */
function rowsOf(found: readonly string[], missed: readonly string[]): SQL | undefined {
  if (missed.length === 0) return undefined;
  // One value, however many: a statement holds only so many.
  const listed = (ids: readonly string[]) => sql`(select value from json_each(${JSON.stringify(ids)}))`;
  return found.length <= missed.length
    ? inArray(versions.id, listed(found))
    : notInArray(versions.id, listed(missed));
}
