import { existsSync } from 'node:fs';
import { writeFile } from 'node:fs/promises';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { productionSchema } from '@mivvy/api';
import { heldFraming, type Framing } from '@mivvy/core';
import { changes, jobs } from '../db/schema.ts';
import { recall, remember } from '../history.ts';
import { logPath } from '../storage.ts';
import { testServer, type TestServer } from '../testing/server.ts';
import { mostJobs } from '../views/jobs.ts';
import { forgetOldJobs } from './bounds.ts';

let s: TestServer;
let productionId: string;
beforeAll(async () => {
  s = await testServer();
  ({ id: productionId } = await s.get(productionSchema, 'POST', '/productions', { name: 'Long kept' }));
});
afterAll(() => s.stop());

test('a production keeps its newest jobs and their logs; those that wait are never counted', async () => {
  const job = (n: number, state: 'done' | 'failed' | 'queued') => ({
    id: `job-${String(n).padStart(5, '0')}`,
    kind: 'look' as const,
    productionId,
    // Nothing: such a job ends at once.
    subjectId: 'nothing',
    label: 'Film',
    state,
    createdAt: new Date(1_700_000_000_000 + n * 1000).toISOString(),
  });
  const ended = Array.from({ length: mostJobs + 20 }, (_, n) => job(n + 1, n % 2 ? 'done' : 'failed'));
  await s.ws.db.insert(jobs).values(ended);
  for (const { id } of ended) await writeFile(logPath(s.ws.storage, id), 'words');
  await forgetOldJobs(s.ws);
  const left = (await s.ws.db.select({ id: jobs.id }).from(jobs)).map((row) => row.id).sort();
  expect(left).toEqual(ended.slice(20).map((row) => row.id));
  expect(ended.map(({ id }) => existsSync(logPath(s.ws.storage, id)))).toEqual(ended.map((_, n) => n >= 20));
});

test('what can be taken back is bounded by number and by length, and the newest always can', async () => {
  const long = (shots: number): Framing => ({
    version: 1,
    stretches: Array.from({ length: shots }, (_, n) => ({
      ...heldFraming({ x: 0.123456789, y: 0.5, zoom: 1 }).stretches[0]!,
      from: n,
    })),
  });
  const change = async (subject: string, framing: Framing) =>
    remember(s.ws.db, subject, { framing }, { framing }, new Date().toISOString());
  const countOf = async (subject: string) =>
    (await s.ws.db.select({ of: changes.subjectId }).from(changes)).filter((row) => row.of === subject)
      .length;

  for (let n = 0; n < 210; n++) await change('short', heldFraming());
  expect(await countOf('short')).toBe(200);
  for (let n = 0; n < 6; n++) await change('long', long(8000));
  expect(await countOf('long')).toBeGreaterThan(0);
  expect(await countOf('long')).toBeLessThan(6);
  expect((await recall(s.ws.db, 'long', 'undo'))?.state).toEqual({ framing: long(8000) });
});
