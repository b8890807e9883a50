import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openDatabase } from '../../db/database.ts';
import { jobs, productions } from '../../db/schema.ts';
import { conforms } from './conformance.ts';
import { leaseMs, RowsQueue } from './rows-queue.ts';

let dir: string;
let opened: Awaited<ReturnType<typeof openDatabase>>;
beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy queue '));
  opened = await openDatabase(join(dir, 'queue.sqlite'));
  const at = new Date(0).toISOString();
  await opened.db
    .insert(productions)
    .values({ id: 'production', name: 'Kites', client: '', createdAt: at, updatedAt: at });
});
afterAll(async () => {
  opened.close();
  await rm(dir, { recursive: true, force: true });
});

test('rows hand out jobs as the model of a queue says', async () => {
  await conforms(async () => {
    await opened.db.delete(jobs);
    // Any time after the one at which leases are ended.
    let time = 1_000_000;
    return {
      queue: new RowsQueue(opened.db, () => time),
      db: opened.db,
      leaseMs,
      pass: (ms) => void (time += ms),
    };
  }, 60);
}, 300_000);

test('of twenty takers at once each job has one', async () => {
  const { db } = opened;
  await db.delete(jobs);
  const queue = new RowsQueue(db);
  for (let n = 0; n < 12; n++)
    await queue.add(db, { kind: 'export', productionId: 'production', subjectId: `${n}`, label: '' });
  const taken = await Promise.all(Array.from({ length: 20 }, (_, n) => queue.take('export', `taker ${n}`)));
  const ids = taken.flatMap((row) => (row ? [row.id] : []));
  expect([ids.length, new Set(ids).size]).toEqual([12, 12]);
});
