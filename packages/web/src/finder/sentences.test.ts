import { expect, test } from '@jest/globals';
import { offers } from './sentences.ts';

const card = (id: string, name: string) =>
  ({ id, name, client: 'Harbour Trust', masters: [], standings: {}, stages: {} }) as never;

test('what is here comes first, every offer is a sentence, and each leads somewhere else', () => {
  const here = { id: 'one1', name: 'Kite', client: '', masters: [], versions: [] } as never;
  const groups = offers([card('one1', 'Kite'), card('two2', 'Regatta')], here);
  expect(groups.map((group) => group.group)).toEqual(['Here', 'Everywhere', 'Other productions']);
  const all = groups.flatMap((group) => group.offers);
  for (const { sentence } of all) expect(sentence).toMatch(/^[A-Z].*\.$/);
  expect(new Set(all.map((offer) => offer.to)).size).toBe(all.length);
  expect(new Set(all.map((offer) => offer.id)).size).toBe(all.length);
  expect(all.filter((offer) => offer.to.startsWith('/productions/two2')).length).toBeGreaterThan(5);
  expect(offers([], undefined).map((group) => group.group)).toEqual(['Everywhere']);
});
