import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { ledgerQuerySchema } from '@mivvy/api';
import type { Stage } from '@mivvy/core';
import type { Cell } from './ledger-cells.ts';
import { tally } from './ledger-tally.ts';

const stages: Stage[] = ['planned', 'passed', 'dispatched'];
const holders = ['', 'Ida', 'ida', 'Öl'];
const days = [null, '2026-11-02', '2026-11-30'];
const productions = ['prod-1', 'prod-2', 'prod-3'];
const names: Record<string, string> = { 'prod-1': 'Zoo', 'prod-2': 'anchor', 'prod-3': 'Ähre' };

/** One deliverable is a cell of one. */
const deliverable: fc.Arbitrary<Cell> = fc
  .record({
    productionId: fc.constantFrom(...productions),
    stage: fc.constantFrom(...stages),
    holder: fc.constantFrom(...holders),
    dueOn: fc.constantFrom(...days),
    outlet: fc.constantFrom(null, 'Tern', 'gull'),
    count: fc.constant(1),
  })
  .map((cell) => ({ ...cell, production: names[cell.productionId]! }));

const query = fc.record(
  {
    productionId: fc.constantFrom(...productions),
    holder: fc.constantFrom(...holders),
    dueFrom: fc.constantFrom('2026-11-02', '2026-11-03'),
    dueBy: fc.constantFrom('2026-11-02', '2026-11-30'),
    stages: fc.subarray(stages),
    group: fc.constantFrom('production' as const, 'outlet' as const, 'holder' as const, 'day' as const),
  },
  { requiredKeys: ['stages'] },
);

/** Cells that are alike, counted together. */
const together = (all: readonly Cell[]): Cell[] => {
  const cells = new Map<string, Cell>();
  for (const cell of all) {
    const key = JSON.stringify(cell);
    cells.set(key, { ...cell, count: (cells.get(key)?.count ?? 0) + 1 });
  }
  return [...cells.values()];
};

test('whatever is asked, each deliverable that answers it is counted once, at its stage and in its group', () => {
  fc.assert(
    fc.property(fc.array(deliverable, { maxLength: 40 }), query, (all, asked) => {
      const whole = ledgerQuerySchema.parse(asked);
      const { counts, groups } = tally(together(all), whole);
      // What is due on no day is neither before nor after one.
      const dated = (asked.dueFrom ?? asked.dueBy) ? all.filter(({ dueOn }) => dueOn !== null) : all;
      const answers = dated
        .filter((one) => (asked.productionId ?? one.productionId) === one.productionId)
        .filter((one) => (asked.holder ?? one.holder) === one.holder)
        .filter(({ dueOn }) => Date.parse(dueOn ?? '0') >= Date.parse(asked.dueFrom ?? '0'))
        .filter(({ dueOn }) => Date.parse(dueOn ?? '0') <= Date.parse(asked.dueBy ?? '2100-01-01'));
      for (const stage of stages)
        expect(counts[stage] ?? 0).toBe(answers.filter((one) => one.stage === stage).length);
      const shown = answers.filter((one) => !asked.stages.length || asked.stages.includes(one.stage));
      expect(groups.reduce((sum, { count }) => sum + count, 0)).toBe(asked.group ? shown.length : 0);
      expect(new Set(groups.map(({ key }) => key)).size).toBe(groups.length);
      // One looked at alone holds what it was said to hold.
      for (const { key, count } of groups) {
        const alone = tally(together(all), { ...whole, within: key });
        const inside = Object.entries(alone.counts)
          .filter(([stage]) => !asked.stages.length || asked.stages.includes(stage as Stage))
          .reduce((sum, [, n]) => sum + n, 0);
        expect(inside).toBe(count);
      }
    }),
  );
});

test('groups stand by their names without regard to case, and what has none stands last', () => {
  const cells = ['Zoo', 'anchor', '', 'Bay'].map((holder): Cell => ({
    productionId: 'prod-1',
    production: 'Zoo',
    stage: 'passed',
    holder,
    dueOn: null,
    outlet: null,
    count: 2,
  }));
  const { groups } = tally(cells, ledgerQuerySchema.parse({ group: 'holder' }));
  expect(groups).toEqual([
    { key: 'anchor', name: 'anchor', count: 2 },
    { key: 'Bay', name: 'Bay', count: 2 },
    { key: 'Zoo', name: 'Zoo', count: 2 },
    { key: ' ', name: '', count: 2 },
  ]);
});
