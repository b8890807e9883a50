import { describe, expect, test } from '@jest/globals';
import * as z from 'zod';
import { readJson, UnreadableColumn, writeJson, type JsonCodec } from './json-column.ts';

/** A thing that was a bare number first, then had a unit, and has a list of them now. */
const codec: JsonCodec<{ sizes: { value: number; unit: string }[] }> = {
  what: 'size',
  schema: z.strictObject({ sizes: z.array(z.object({ value: z.number(), unit: z.string() })) }),
  upgrades: [(old) => ({ value: old, unit: 'px' }), (old) => ({ sizes: [old] })],
};
const now = { sizes: [{ value: 4, unit: 'px' }] };

describe('a JSON column', () => {
  test('reads what it wrote', () => {
    expect(JSON.parse(writeJson(codec, now))).toEqual({ shape: 2, value: now });
    expect(readJson(codec, writeJson(codec, now))).toEqual(now);
  });

  test.each([
    ['before shapes were numbered', '4'],
    ['of the first numbered shape', '{"shape":1,"value":{"value":4,"unit":"px"}}'],
  ])('reads what was written %s', (_when, text) => {
    expect(readJson(codec, text)).toEqual(now);
  });

  test('refuses what a newer release wrote, and what is not understood, in a sentence', () => {
    expect(() => readJson(codec, '{"shape":3,"value":{}}')).toThrow(UnreadableColumn);
    expect(() => readJson(codec, '{"shape":3,"value":{}}')).toThrow('A newer release has written this size.');
    expect(() => readJson(codec, '{"shape":2,"value":{"sizes":[{"unit":"px"}]}}')).toThrow(
      'A size is not understood: sizes.0.value: it is missing.',
    );
  });
});
