import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as z from 'zod';
import { deliverableSchema, jobSchema, machinesSchema, madeTokenSchema } from '@mivvy/api';
import { addPerson } from '../people/people.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { startWorker, type WorkerProcess } from '../testing/process.ts';
import { OwnRedis, redisThere } from '../testing/redis.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';
import { onThisMachine } from '../people/access.ts';

// Where people sign in, a machine comes in by a token of its own, and is out when that is revoked.

const access = { ...onThisMachine, signIn: true, address: 'http://mivvy.test' };

(redisThere ? describe : describe.skip)('a machine where people sign in', () => {
  let redis: OwnRedis;
  let server: TestServer;
  /** The server as the person who runs it asks. */
  let s: TestServer;
  let of: MadeProduction;
  let folder: string;
  const workers: WorkerProcess[] = [];
  beforeAll(async () => {
    redis = await OwnRedis.start();
    folder = await mkdtemp(join(tmpdir(), 'mivvy machine '));
    server = await testServer({ queueUrl: redis.url, exportsAtOnce: 0, access });
    const added = await addPerson(server.ws.db, { name: 'Ada', role: 'runs' });
    if (!added.ok) throw new Error(added.problem.sentence);
    const password = 'correct horse battery staple';
    const joined = await server.call('POST', '/join', { secret: added.value.secret, password });
    const cookie = joined.headers.get('set-cookie')!.split(';')[0]!;
    const call: TestServer['call'] = (method, path, body) => server.call(method, path, body, { cookie });
    const get: TestServer['get'] = async (schema, method, path, body) => {
      const answer = await call(method, path, body);
      if (answer.status >= 300) throw new Error(`${method} ${path}: ${JSON.stringify(answer.body)}`);
      return schema.parse(answer.body) as never;
    };
    s = { ...server, call, get };
    of = await madeProduction(s, ['quick-tall', 'quick-square']);
  });
  afterAll(async () => {
    await Promise.all(workers.map((worker) => worker.kill()));
    await server.stop();
    await redis.end();
    await rm(folder, { recursive: true, force: true });
  });

  const joins = async (name: string, secret: string) => {
    const file = join(folder, `${name} token`);
    await writeFile(file, `${secret}\n`);
    const at = { server: server.base, queue: redis.url, folder: join(folder, name), name };
    const worker = startWorker(at, { args: ['--token-file', file] });
    workers.push(worker);
    return worker;
  };
  const newToken = async (name: string) =>
    s.get(madeTokenSchema, 'POST', '/tokens', { name, role: 'works', holder: 'machine', days: 1 });
  const there = (name: string) =>
    until(async () =>
      (await s.get(machinesSchema, 'GET', '/machines')).machines.find((m) => m.name === name && m.there),
    );
  const exports = async () =>
    (await s.get(z.array(jobSchema), 'GET', `/productions/${of.id}/jobs`)).filter(
      (job) => job.kind === 'export',
    );

  test('without a token, or with another, it is not let in, and says so', async () => {
    const worker = await joins('Stranger', 'mivvy-token-nobody');
    expect(await worker.ended()).toBe(2);
    expect(worker.words()).toContain('Nobody is signed in here.');
  });

  test('its token revoked in the middle, it ends; what it had in hand is made by another, once', async () => {
    const first = await newToken('Cupboard');
    const worker = await joins('Cupboard', first.secret);
    await there('Cupboard');
    await s.call('POST', `/productions/${of.id}/exports`, { versionIds: of.versionIds });
    await until(async () => (await exports()).some((job) => job.state === 'running'));
    await s.call('DELETE', `/tokens/${first.token.id}`);
    expect(await worker.ended()).toBe(3);
    const second = await newToken('Attic');
    await joins('Attic', second.secret);
    await until(async () => (await exports()).every((job) => job.state === 'done'));
    const files = await s.get(z.array(deliverableSchema), 'GET', `/productions/${of.id}/deliverables`);
    expect(files.map((file) => [file.versionId, file.exportNumber, file.passed]).sort()).toEqual(
      of.versionIds.map((id) => [id, 1, true]).sort(),
    );
  });
});
