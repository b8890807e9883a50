import type { LedgerPage, LedgerQuery } from '@mivvy/api';
import type { Cell } from './ledger-cells.ts';

type Group = NonNullable<LedgerQuery['group']>;

/** The key of those that have none of what makes a group: no name is a space, and an address carries it. */
export const none = ' ';

/** What makes a group, and what it is called; its name is empty where deliverables have none of that. */
const groupedBy: Readonly<Record<Group, (cell: Cell) => { key: string; name: string }>> = {
  production: ({ productionId, production }) => ({ key: productionId, name: production }),
  outlet: ({ outlet }) => ({ key: outlet || none, name: outlet ?? '' }),
  holder: ({ holder }) => ({ key: holder || none, name: holder }),
  day: ({ dueOn }) => ({ key: dueOn || none, name: dueOn ?? '' }),
};

/** A query's own conditions, but for its words, its stages and its group. */
const isWanted =
  ({ productionId, holder, dueFrom, dueBy }: LedgerQuery) =>
  (cell: Cell): boolean =>
    (!productionId || cell.productionId === productionId) &&
    (holder === undefined || cell.holder === holder) &&
    (dueFrom === undefined || (cell.dueOn !== null && cell.dueOn >= dueFrom)) &&
    (dueBy === undefined || (cell.dueOn !== null && cell.dueOn <= dueBy));

/** What a query comes to, from cells that its words were found in: how many at each stage, and of each group. */
export function tally(cells: readonly Cell[], query: LedgerQuery): Pick<LedgerPage, 'counts' | 'groups'> {
  const { group, within, stages } = query;
  const wanted = cells.filter(isWanted(query));
  const inside =
    group && within !== undefined ? wanted.filter((cell) => groupedBy[group](cell).key === within) : wanted;
  const counts: LedgerPage['counts'] = {};
  for (const { stage, count } of inside) counts[stage] = (counts[stage] ?? 0) + count;
  if (!group) return { counts, groups: [] };
  const shown = stages.length ? wanted.filter(({ stage }) => stages.includes(stage)) : wanted;
  return { counts, groups: groupsOf(shown, group) };
}

function groupsOf(cells: readonly Cell[], group: Group): LedgerPage['groups'] {
  const groups = new Map<string, LedgerPage['groups'][number]>();
  for (const cell of cells) {
    const { key, name } = groupedBy[group](cell);
    const known = groups.get(key);
    if (known) known.count += cell.count;
    else groups.set(key, { key, name, count: cell.count });
  }
  return [...groups.values()].sort(inOrder);
}

/** As the rows are sorted in SQL: by their names without regard to a Latin letter's case; what has none comes last. */
function inOrder(a: { key: string; name: string }, b: { key: string; name: string }): number {
  const lower = (name: string) => Buffer.from(name.replace(/[A-Z]/g, (letter) => letter.toLowerCase()));
  return (
    Number(a.name === '') - Number(b.name === '') ||
    Buffer.compare(lower(a.name), lower(b.name)) ||
    Buffer.compare(Buffer.from(a.key), Buffer.from(b.key))
  );
}
