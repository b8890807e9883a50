import { customType } from 'drizzle-orm/sqlite-core';
import { LRUCache } from 'lru-cache';
import * as z from 'zod';
import { faultLine } from '@mivvy/core';

/** How values of one kind are kept in JSON columns, and read again whichever release wrote them. */
export interface JsonCodec<T> {
  /** What a value is, for the sentence about one that cannot be read. */
  what: string;
  schema: z.ZodType<T>;
  /**
   * How a value of an earlier shape becomes one of the next: the first takes what was written before shapes were
   * numbered (shape 0). Their number is the shape that is written now.
   */
  upgrades: readonly [(old: unknown) => unknown, ...((old: unknown) => unknown)[]];
}

/** A column holds what no schema passes, or what a newer release wrote. */
export class UnreadableColumn extends Error {
  override readonly name = 'UnreadableColumn';
}

/** A value with the number of its shape. Before shapes were numbered, values stood alone. */
const numbered = z.strictObject({ shape: z.number().int().positive(), value: z.unknown() });

/** Reads what a column holds. Throws {@link UnreadableColumn}. */
export function readJson<T>(codec: JsonCodec<T>, text: string): T {
  const raw: unknown = JSON.parse(text);
  const wrapped = numbered.safeParse(raw);
  const shape = wrapped.success ? wrapped.data.shape : 0;
  if (shape > codec.upgrades.length)
    throw new UnreadableColumn(`A newer release has written this ${codec.what}.`);
  const value = codec.upgrades
    .slice(shape)
    .reduce((old, upgrade) => upgrade(old), wrapped.success ? wrapped.data.value : raw);
  const read = codec.schema.safeParse(value);
  if (!read.success)
    throw new UnreadableColumn(`A ${codec.what} is not understood: ${faultLine(read.error)}.`);
  return read.data;
}

/** What is written of a value. */
export function writeJson<T>(codec: JsonCodec<T>, value: T): string {
  return JSON.stringify({ shape: codec.upgrades.length, value });
}

/** Characters of JSON that are remembered with the values that they were read as. */
const mostRemembered = 32_000_000;

/** What was read before is not read again: lists read the same rows over and over. Values are never changed in place. */
let remembered: LRUCache<string, { value: unknown }> | undefined;
const memory = () =>
  (remembered ??= new LRUCache<string, { value: unknown }>({
    maxSize: mostRemembered,
    sizeCalculation: (_read, key) => key.length,
  }));

/** A text column that holds values of a codec. */
export const jsonColumn = <T>(codec: JsonCodec<T>) =>
  customType<{ data: T; driverData: string }>({
    dataType: () => 'text',
    toDriver: (value) => writeJson(codec, value),
    fromDriver(text) {
      const key = `${codec.what}\n${text}`;
      const known = memory().get(key);
      if (known) return known.value as T;
      const value = readJson(codec, text);
      memory().set(key, { value });
      return value;
    },
  });
