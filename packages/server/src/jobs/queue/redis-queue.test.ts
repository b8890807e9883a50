import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pino } from 'pino';
import { openDatabase } from '../../db/database.ts';
import { jobs, productions } from '../../db/schema.ts';
import { OwnRedis, redisThere } from '../../testing/redis.ts';
import { until } from '../../testing/server.ts';
import { conforms } from './conformance.ts';
import { RedisQueue } from './redis-queue.ts';
import { leaseMs, RowsQueue } from './rows-queue.ts';

(redisThere ? describe : describe.skip)('a queue that other machines draw from', () => {
  let dir: string;
  let opened: Awaited<ReturnType<typeof openDatabase>>;
  let redis: OwnRedis;
  const open: RedisQueue[] = [];
  beforeAll(async () => {
    dir = await mkdtemp(join(tmpdir(), 'mivvy queue '));
    opened = await openDatabase(join(dir, 'queue.sqlite'));
    redis = await OwnRedis.start();
    const at = new Date(0).toISOString();
    await opened.db
      .insert(productions)
      .values({ id: 'production', name: 'Kites', client: '', createdAt: at, updatedAt: at });
  });
  // Each queue looks at what is free once a second: one that is left open hands the next test's jobs over as well.
  afterEach(async () => {
    await Promise.all(open.splice(0).map((queue) => queue.close()));
  });
  afterAll(async () => {
    await redis.end();
    opened.close();
    await rm(dir, { recursive: true, force: true });
  });

  const queueOn = (prefix: string, clock?: () => number) => {
    const queue = new RedisQueue(new RowsQueue(opened.db, clock), {
      url: redis.url,
      prefix,
      log: pino({ level: 'silent' }),
    });
    open.push(queue);
    return queue;
  };
  const ready = (queue: RedisQueue) => until(() => Promise.resolve(queue.state().trouble === null));
  const add = (queue: RedisQueue, subjectId: string) =>
    queue.add(opened.db, { kind: 'export', productionId: 'production', subjectId, label: '' });

  test('hands out jobs as the model of a queue says', async () => {
    let time = 1_000_000;
    const queue = queueOn('model', () => time);
    await queue.take('export', 'nobody');
    await ready(queue);
    await conforms(async () => {
      await opened.db.delete(jobs);
      for (const kind of ['export', 'look'] as const) queue.hold(kind, false);
      return { queue, db: opened.db, leaseMs, pass: (ms) => void (time += ms) };
    }, 25);
  }, 300_000);

  test('of two servers’ worth of takers each job has one', async () => {
    await opened.db.delete(jobs);
    const queues = [queueOn('two'), queueOn('two')];
    for (const queue of queues) {
      await queue.take('export', 'nobody');
      await ready(queue);
    }
    for (let n = 0; n < 12; n++) await add(queues[0]!, `${n}`);
    const taken: string[] = [];
    await until(async () => {
      const rows = await Promise.all(
        [...queues, ...queues].map((queue, n) => queue.take('export', `taker ${n}`)),
      );
      taken.push(...rows.flatMap((row) => (row ? [row.id] : [])));
      return taken.length >= 12;
    });
    expect([taken.length, new Set(taken).size]).toEqual([12, 12]);
  });

  test('emptied, ended and started anew it loses nothing and gives nothing twice', async () => {
    await opened.db.delete(jobs);
    const queue = queueOn('faults');
    await queue.take('export', 'nobody');
    await ready(queue);
    const asked = await Promise.all(['a', 'b', 'c'].map((subject) => add(queue, subject)));
    expect((await queue.take('export', 'one'))?.id).toBe(asked[0]!.id);
    await redis.ask((client) => client.flushall());
    expect((await queue.take('export', 'one'))?.id).toBe(asked[1]!.id);
    await redis.kill();
    await until(async () => {
      expect(await queue.take('export', 'one')).toBeUndefined();
      return queue.state().trouble !== null;
    });
    expect(queue.state().trouble?.problem).toMatchObject({
      code: 'no-queue',
      sentence: expect.stringContaining(redis.url),
    });
    // What is held goes on without it.
    expect(
      await queue.renew(asked[0]!.id, 'one', { stage: '', fraction: 0.5, etaSeconds: null, speed: 1 }),
    ).toBe(true);
    await redis.up();
    const last = await until(() => queue.take('export', 'one'));
    expect(last.id).toBe(asked[2]!.id);
    expect(queue.state().trouble).toBeNull();
    expect(await queue.take('export', 'one')).toBeUndefined();
  });

  test('a full one says what it says, and nothing is lost', async () => {
    await opened.db.delete(jobs);
    const full = await OwnRedis.start('--maxmemory', '1', '--maxmemory-policy', 'noeviction');
    const queue = new RedisQueue(new RowsQueue(opened.db), {
      url: full.url,
      prefix: 'refusing',
      log: pino({ level: 'silent' }),
    });
    open.push(queue);
    const asked = await add(queue, 'a');
    await until(async () => {
      expect(await queue.take('export', 'one')).toBeUndefined();
      return queue.state().trouble?.problem.code === 'queue-refuses';
    });
    expect(queue.state().trouble?.problem.sentence).toContain('OOM');
    const [row] = await opened.db.select().from(jobs);
    expect(row).toMatchObject({ id: asked.id, state: 'queued' });
    await queue.close();
    await full.end();
  });
});
