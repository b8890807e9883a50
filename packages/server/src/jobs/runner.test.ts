import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { pino } from 'pino';
import { ok } from '@mivvy/core';
import { Cancelled } from '@mivvy/media';
import type { ServerEvent } from '@mivvy/api';
import { openDatabase } from '../db/database.ts';
import { productions } from '../db/schema.ts';
import { until } from '../testing/server.ts';
import { RowsQueue } from './queue/rows-queue.ts';
import { Runner, type JobKindWork } from './runner.ts';

let dir: string;
let opened: Awaited<ReturnType<typeof openDatabase>>;
beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy runner '));
  opened = await openDatabase(join(dir, 'runner.sqlite'));
  const at = new Date(0).toISOString();
  await opened.db
    .insert(productions)
    .values({ id: 'production', name: 'Kites', client: '', createdAt: at, updatedAt: at });
});
afterAll(async () => {
  opened.close();
  await rm(dir, { recursive: true, force: true });
});

test('what a job says while it is being stopped does not show it as running again', async () => {
  const told: string[] = [];
  const events = {
    tell: (event: ServerEvent) => {
      if (event.kind === 'job') told.push(event.job.state);
    },
    join: () => Promise.resolve(),
  };
  const options = { onDiskFull: () => undefined, exportsAtOnce: 1 };
  const runner = new Runner(opened.db, new RowsQueue(opened.db), events, pino({ level: 'silent' }), options);
  const nothing: JobKindWork = { run: () => Promise.resolve(ok(undefined)) };
  let begun = false;
  let ended = false;
  const stubborn: JobKindWork = {
    run: async ({ signal, progress }) => {
      begun = true;
      while (!signal.aborted) await setTimeout(10);
      // A tool that is told to end still says how far it came, and takes its time.
      progress({ stage: 'encoding', fraction: 0.5 });
      await setTimeout(700);
      ended = true;
      throw new Cancelled();
    },
  };
  await runner.start({
    ingest: nothing,
    prepare: nothing,
    export: nothing,
    look: stubborn,
    match: nothing,
    check: nothing,
    dispatch: nothing,
  });
  const job = await runner.add(opened.db, {
    kind: 'look',
    productionId: 'production',
    subjectId: 'film',
    label: '',
  });
  runner.announce([job]);
  await until(() => Promise.resolve(begun));
  await runner.cancel(job.id);
  await until(() => Promise.resolve(ended));
  await runner.stop();
  expect(told).toContain('running');
  expect(told.at(-1)).toBe('cancelled');
  expect(told.slice(told.indexOf('cancelled'))).not.toContain('running');
});
