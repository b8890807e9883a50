import { expect, test } from '@jest/globals';
import { countWords, listWords, nounFor } from './words.ts';

test('lists are read as they are spoken', () => {
  expect([[], ['a'], ['a', 'b'], ['a', 'b', 'c']].map(listWords)).toEqual(['', 'a', 'a and b', 'a, b and c']);
});

test('one is one, and everything else is many', () => {
  expect([0, 1, 2, 21].map((n) => countWords(n, 'shot'))).toEqual([
    '0 shots',
    '1 shot',
    '2 shots',
    '21 shots',
  ]);
  expect([1, 2].map((n) => nounFor(n, 'body', 'bodies'))).toEqual(['body', 'bodies']);
});
