import { expect, test } from '@jest/globals';
import { noteWhere } from './note-where.ts';

const rate = { num: 25, den: 1 };

test('a note says where it is in the film, and whether the cut still has that frame', () => {
  const kept = [
    { from: 0, to: 50 },
    { from: 100, to: 150 },
  ];
  const at = (masterFrame: number | null, of?: typeof kept) => noteWhere({ masterFrame }, { rate, kept: of });
  expect(at(112)).toEqual({ at: 112, words: 'at 00:00:04:12', after: '' });
  expect(at(112, kept).after).toBe('');
  expect(at(49, kept).after).toBe('');
  expect(at(50, kept)).toEqual({
    at: 50,
    words: 'at 00:00:02:00',
    after: ', which is not in its cut any more',
  });
  expect(at(null, kept)).toEqual({ at: null, words: 'at a frame that the film has no more', after: '' });
});
