import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { eq, sql } from 'drizzle-orm';
import { openDatabase } from './database.ts';
import { productions } from './schema.ts';

let dir: string;
let open: Awaited<ReturnType<typeof openDatabase>>;
beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy database '));
  open = await openDatabase(join(dir, 'x.sqlite'));
});
afterAll(async () => {
  open.close();
  await rm(dir, { recursive: true, force: true });
});
const row = (id: string) => ({ id, name: id, client: '', createdAt: '', updatedAt: '' });

test('a hundred transactions and writes at once all come through, one after the other', async () => {
  await open.db.insert(productions).values(row('count'));
  const add = async (n: number) => {
    if (n % 3 === 0)
      return void (await open.db
        .update(productions)
        .set({ client: sql`${productions.client} || 'x'` })
        .where(eq(productions.id, 'count')));
    await open.db.transaction(async (tx) => {
      const [was] = await tx.select().from(productions).where(eq(productions.id, 'count'));
      await pause(n % 5);
      await tx
        .update(productions)
        .set({ client: `${was!.client}x` })
        .where(eq(productions.id, 'count'));
    });
  };
  await Promise.all(Array.from({ length: 100 }, (_, n) => add(n)));
  const [now] = await open.db.select().from(productions).where(eq(productions.id, 'count'));
  expect(now!.client).toHaveLength(100);
});

test('one that fails leaves nothing and holds up nobody', async () => {
  await expect(
    open.db.transaction(async (tx) => {
      await tx.insert(productions).values(row('half'));
      throw new Error('no');
    }),
  ).rejects.toThrow('no');
  await open.db.insert(productions).values(row('whole'));
  expect((await open.db.select().from(productions)).map((r) => r.id).sort()).toEqual(['count', 'whole']);
});

test('what SQLite is told holds on every connection', async () => {
  const asked = await Promise.all(
    Array.from({ length: 6 }, () =>
      open.db.transaction(async (tx) => {
        const of = async (pragma: string) =>
          Object.values((await tx.all(sql.raw(`PRAGMA ${pragma}`)))[0] as object)[0] as unknown;
        const answers = [await of('foreign_keys'), await of('busy_timeout'), await of('synchronous')];
        await pause(5);
        return answers;
      }),
    ),
  );
  expect(new Set(asked.map(String))).toEqual(new Set(['1,5000,2']));
});
