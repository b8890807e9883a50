import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { LedgerRow } from '@mivvy/api';
import { isHead, withHeads } from './group-rows.ts';

/** Groups of some sizes, some of them folded, and the pages that the server would give of them. */
const ledgers = fc.record({
  sizes: fc.array(fc.record({ count: fc.integer({ min: 1, max: 9 }), folded: fc.boolean() }), {
    minLength: 1,
    maxLength: 8,
  }),
  pageRows: fc.integer({ min: 1, max: 7 }),
});

function pagesOf(sizes: { count: number; folded: boolean }[], pageRows: number) {
  const groups = sizes.map(({ count }, i) => ({ key: `g${i}`, name: `Group ${i}`, count }));
  const folded = groups.filter((_, i) => sizes[i]!.folded).map(({ key }) => key);
  const rows = groups
    .filter(({ key }) => !folded.includes(key))
    .flatMap(({ key, count }) =>
      Array.from({ length: count }, (_, i) => ({ versionId: `${key}-${i}`, productionId: key }) as LedgerRow),
    );
  const pages = Math.max(1, Math.ceil(rows.length / pageRows));
  return {
    groups,
    rows,
    pages: Array.from({ length: pages }, (_, i) => ({
      rows: rows.slice(i * pageRows, (i + 1) * pageRows),
      groups,
      total: rows.length,
      from: i * pageRows,
      folded,
    })),
  };
}

test('over all pages each row comes once, below the head of its group; each group has a head, a folded one exactly one', () => {
  fc.assert(
    fc.property(ledgers, ({ sizes, pageRows }) => {
      const { groups, rows, pages } = pagesOf(sizes, pageRows);
      const listed = pages.map((page) => withHeads(page));
      expect(listed.flat().filter((entry) => !isHead(entry))).toEqual(rows);
      for (const page of listed) {
        let above: string | undefined;
        for (const entry of page) {
          if (isHead(entry)) above = entry.group.key;
          else expect(entry.productionId).toBe(above);
        }
      }
      const heads = listed.flat().filter(isHead);
      const keys = heads.map(({ group }) => group.key);
      // In their order, and none is missing; one that goes on over several pages has its head on each.
      expect(keys.filter((key, i) => key !== keys[i - 1])).toEqual(groups.map(({ key }) => key));
      for (const [i, { key }] of groups.entries())
        if (sizes[i]!.folded) expect(keys.filter((other) => other === key)).toHaveLength(1);
    }),
  );
});

test('one group alone has its own head and no other', () => {
  const { pages } = pagesOf([{ count: 3, folded: false }], 5);
  const page = { ...pages[0]!, groups: [{ key: 'x', name: 'X', count: 8 }, ...pages[0]!.groups] };
  expect(withHeads(page, 'g0').map((entry) => (isHead(entry) ? entry.group.key : 'row'))).toEqual([
    'g0',
    'row',
    'row',
    'row',
  ]);
});

test('without groups there are rows alone', () => {
  const { pages } = pagesOf([{ count: 3, folded: false }], 5);
  expect(withHeads({ ...pages[0]!, groups: [] })).toEqual(pages[0]!.rows);
});
