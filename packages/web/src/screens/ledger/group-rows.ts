import type { LedgerPage, LedgerRow } from '@mivvy/api';

/** What stands above the rows of a group. */
export interface HeadEntry {
  group: LedgerPage['groups'][number];
  /** Its rows are put away. */
  folded: boolean;
}
/** A line of the list: a deliverable, or the head of a group. */
export type ListEntry = LedgerRow | HeadEntry;
export const isHead = (entry: ListEntry): entry is HeadEntry => 'group' in entry;

/**
 * A page's rows with the heads of their groups. A group that goes on from the page before has its head here too; a
 * folded one stands between those that it lies between, on the page on which the next begins or, after all of them,
 * on the last.
 */
export function withHeads(
  page: Pick<LedgerPage, 'rows' | 'groups' | 'total'> & { from: number; folded: readonly string[] },
  within?: string,
): ListEntry[] {
  const { rows, from, total } = page;
  const to = from + rows.length;
  const entries: ListEntry[] = [];
  let start = 0;
  for (const group of page.groups) {
    if (within !== undefined && group.key !== within) continue;
    if (page.folded.includes(group.key)) {
      const isHere = (start >= from && start < to) || (start >= total && to >= total);
      if (isHere) entries.push({ group, folded: true });
      continue;
    }
    const end = start + group.count;
    if (end > from && start < to)
      entries.push({ group, folded: false }, ...rows.slice(Math.max(0, start - from), end - from));
    start = end;
  }
  // Without groups, or where they were counted a moment before: no row is lost.
  return page.groups.length === 0 ? [...rows] : entries;
}
