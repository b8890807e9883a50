import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { appendFile, mkdtemp, readdir, readFile, rm, stat, utimes } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { FilmCache, type Fetch } from './film-cache.ts';

let dir: string;
beforeEach(async () => void (dir = await mkdtemp(join(tmpdir(), 'mivvy cache '))));
afterEach(() => rm(dir, { recursive: true, force: true }));

const { signal } = new AbortController();
const sumOf = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');
/** A film of so many bytes; each number another one. */
const film = (n: number, bytes = 1000) => Buffer.alloc(bytes, n);
/** Brings a film, behind what of it is there, and counts. */
function bringing(of: Buffer) {
  const counted = { times: 0, bytes: 0 };
  const fetch: Fetch = async (path) => {
    const there = (await stat(path).catch(() => null))?.size ?? 0;
    counted.times++;
    counted.bytes += of.length - there;
    await appendFile(path, of.subarray(there));
  };
  return { counted, fetch };
}

test('a film comes once, whoever asks for it, and at once', async () => {
  const cache = new FilmCache(dir, 10_000);
  const { counted, fetch } = bringing(film(1));
  const got = await Promise.all(Array.from({ length: 4 }, () => cache.get(sumOf(film(1)), fetch, signal)));
  expect(counted.times).toBe(1);
  expect(new Set(got.map(({ path }) => path)).size).toBe(1);
  expect((await readFile(got[0]!.path)).equals(film(1))).toBe(true);
  await cache.get(sumOf(film(1)), fetch, signal);
  expect(counted.times).toBe(1);
});

test('what broke off goes on where it stopped', async () => {
  const cache = new FilmCache(dir, 10_000);
  const sum = sumOf(film(2));
  const broken: Fetch = async (path) => {
    await appendFile(path, film(2, 400));
    throw new Error('the line broke');
  };
  await expect(cache.get(sum, broken, signal)).rejects.toThrow('the line broke');
  const { counted, fetch } = bringing(film(2));
  await cache.get(sum, fetch, signal);
  expect(counted.bytes).toBe(600);
});

test('another film than was asked for is not kept', async () => {
  const cache = new FilmCache(dir, 10_000);
  await expect(cache.get(sumOf(film(3)), bringing(film(4)).fetch, signal)).rejects.toThrow('sum');
  expect(await readdir(dir)).toEqual([]);
  await expect(cache.get('../secret', bringing(film(4)).fetch, signal)).rejects.toThrow('no sum');
});

test('a film that another job uses as well is the same film as before for the one that has it', async () => {
  const cache = new FilmCache(dir, 10_000);
  const { fetch } = bringing(film(5));
  const { path } = await cache.get(sumOf(film(5)), fetch, signal);
  const before = await stat(path);
  for (let i = 0; i < 3; i++) {
    await new Promise((resolve) => setTimeout(resolve, 15));
    await cache.get(sumOf(film(5)), fetch, signal);
    const { size, mtimeMs, ino } = await stat(path);
    expect({ size, mtimeMs, ino }).toEqual({ size: before.size, mtimeMs: before.mtimeMs, ino: before.ino });
  }
  expect((await stat(path)).atimeMs).toBeGreaterThan(before.atimeMs);
});

test('those stay that were used last', async () => {
  const cache = new FilmCache(dir, 3000);
  for (const [i, which] of [0, 1, 2, 0, 3, 4].entries()) {
    const { path, letGo } = await cache.get(sumOf(film(which)), bringing(film(which)).fetch, signal);
    await utimes(path, i, i);
    letGo();
  }
  expect((await readdir(dir)).sort()).toEqual([0, 3, 4].map((which) => sumOf(film(which))).sort());
});

test('it keeps to its limit and never lets go what is in use', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.record({ which: fc.nat(5), keep: fc.boolean() }), { minLength: 1, maxLength: 14 }),
      async (asks) => {
        await rm(dir, { recursive: true, force: true });
        const limit = 3000;
        const cache = new FilmCache(dir, limit);
        const inUse = new Map<number, (() => void)[]>();
        for (const [i, { which, keep }] of asks.entries()) {
          const { path, letGo } = await cache.get(sumOf(film(which)), bringing(film(which)).fetch, signal);
          // So that two uses in one millisecond have an order.
          await utimes(path, i, i);
          if (keep) inUse.set(which, [...(inUse.get(which) ?? []), letGo]);
          else letGo();
        }
        const there = await readdir(dir);
        for (const which of inUse.keys()) expect(there).toContain(sumOf(film(which)));
        const free = there.filter((name) => ![...inUse.keys()].some((which) => sumOf(film(which)) === name));
        expect(there.length * 1000 <= limit || free.length <= 1).toBe(true);
        expect(there).toContain(sumOf(film(asks.at(-1)!.which)));
        expect(await cache.bytes()).toBe(there.length * 1000);
      },
    ),
    { numRuns: 30 },
  );
});
