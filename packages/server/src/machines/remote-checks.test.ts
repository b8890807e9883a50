import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, readdir, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { desc, eq } from 'drizzle-orm';
import { checkAgainst } from '@mivvy/media';
import type { CheckReport } from '@mivvy/core';
import { foreignCheckSchema, machineSessionHeader, type CheckOrderForMachine } from '@mivvy/api';
import { jobs } from '../db/schema.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { PlayedMachine, sumOf } from '../testing/played-machine.ts';
import { startWorker, type WorkerProcess } from '../testing/process.ts';
import { OwnRedis, redisThere } from '../testing/redis.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';

(redisThere ? describe : describe.skip)('files made elsewhere that are checked on a render machine', () => {
  let redis: OwnRedis;
  let s: TestServer;
  let folder: string;
  let made: MadeProduction;
  let file: Buffer;
  let machine: PlayedMachine;
  let beating: NodeJS.Timeout;
  let worker: WorkerProcess | undefined;
  beforeAll(async () => {
    redis = await OwnRedis.start();
    folder = await mkdtemp(join(tmpdir(), 'mivvy machine '));
    s = await testServer({ queueUrl: redis.url });
    made = await madeProduction(s, ['quick-tall']);
    const [version] = await made.make();
    const ours = await fetch(`${s.base}/api/deliverables/${version!.deliverable!.id}/file`);
    file = Buffer.from(await ours.arrayBuffer());
    machine = await PlayedMachine.join(s, 'Played');
    // While it says that it takes work, the server leaves checks to it.
    await machine.beat();
    beating = setInterval(() => void machine.beat().catch(() => undefined), 2000);
  }, 225_000);
  afterAll(async () => {
    clearInterval(beating);
    await worker?.kill();
    await s.stop();
    await redis.end();
    await rm(folder, { recursive: true, force: true });
  });

  const send = (signal?: AbortSignal) =>
    fetch(`${s.base}/api/checks?version=${made.versionIds[0]}&name=theirs.mp4`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/octet-stream' },
      body: new Uint8Array(file),
      ...(signal ? { signal } : {}),
    });
  const answered = async (answer: Promise<Response>) => foreignCheckSchema.parse(await (await answer).json());
  const newestCheck = async () =>
    (await s.ws.db.select().from(jobs).where(eq(jobs.kind, 'check')).orderBy(desc(jobs.createdAt)))[0];
  const takes = async () => {
    const job = await until(async () => {
      const row = await newestCheck();
      // One that was dropped is nobody’s, until it is taken again.
      return row && row.finishedAt === null && row.owner === null && row;
    });
    return machine.take(job.id, 'check');
  };
  const nothingLeft = () => until(async () => (await readdir(s.ws.storage.work)).length === 0);
  const fetched = async (address: string) => {
    const answer = await fetch(`${s.base}${address}`, {
      headers: { [machineSessionHeader]: machine.session },
    });
    return Buffer.from(await answer.arrayBuffer());
  };
  /** What a machine does that means well: from what it is told and fetches alone. */
  async function reportOf({ plan, placement, ...order }: CheckOrderForMachine): Promise<CheckReport> {
    const [masterPath, path] = [join(folder, 'film'), join(folder, 'file')];
    await writeFile(masterPath, await fetched(order.film.address));
    await writeFile(path, await fetched(order.file.address));
    const report = await checkAgainst(path, { plan, placement, masterPath });
    if (!report.ok) throw new Error(report.problem.sentence);
    return report.value;
  }

  test('the machine is given both films, and whoever asked gets its report', async () => {
    const answer = answered(send());
    const order = await takes();
    expect(order.film.sha256).toBe(order.plan.master.sha256);
    expect([order.file.sha256, order.file.bytes]).toEqual([sumOf(file), file.length]);
    const report = await reportOf(order);
    expect(await machine.end(order.jobId, { state: 'checked', report })).toBe(true);
    const { checks, passed, sha256 } = await answer;
    expect([passed, sha256]).toEqual([true, sumOf(file)]);
    expect(checks).toEqual(JSON.parse(JSON.stringify(report.checks)));
    expect((await newestCheck())!).toMatchObject({ state: 'done', machine: 'Played', label: 'theirs.mp4' });
    // Nothing of it is kept, and the file is not to be had any more.
    await nothingLeft();
    expect(JSON.parse((await fetched(order.file.address)).toString())).toMatchObject({ code: 'not-yours' });
  });

  test('a report that says otherwise than the file, or compares nothing, does not count: another does it', async () => {
    const answer = answered(send());
    for (const spoil of [
      (report: CheckReport): CheckReport => ({
        ...report,
        passed: false,
        checks: report.checks.map((line) => (line.id === 'frame-size' ? { ...line, ok: false } : line)),
      }),
      ({ compared: _compared, ...report }: CheckReport): CheckReport => report,
    ]) {
      const order = await takes();
      const report = spoil(await reportOf(order));
      expect(await machine.end(order.jobId, { state: 'checked', report })).toBe(false);
      const { draining, trouble } = await machine.shown();
      expect([draining, trouble!.sentence]).toEqual([true, expect.stringMatching(/not of the file/)]);
      await s.call('PATCH', `/machines/${machine.id}`, { draining: false });
    }
    const order = await takes();
    const report = await reportOf(order);
    expect(await machine.end(order.jobId, { state: 'checked', report })).toBe(true);
    expect((await answer).passed).toBe(true);
  });

  test('what fails each time is told as what it failed for', async () => {
    const answer = send();
    const problem = {
      code: 'no-sense',
      sentence: 'It could not be read to its end.',
      mend: 'Send it again.',
    };
    for (let time = 0; time < 3; time++) {
      const { jobId } = await takes();
      expect(await machine.end(jobId, { state: 'failed', problem })).toBe(true);
    }
    const { status } = await answer;
    expect([status, await (await answer).json()]).toEqual([422, problem]);
  });

  test('once whoever asked has left, the job is stopped, and what is brought does not count', async () => {
    const leaving = new AbortController();
    const answer = send(leaving.signal).catch((error: Error) => error.name);
    const order = await takes();
    const report = await reportOf(order);
    leaving.abort();
    expect(await answer).toBe('AbortError');
    await until(async () => (await newestCheck())!.state === 'cancelled');
    expect(await machine.end(order.jobId, { state: 'checked', report })).toBe(false);
    await nothingLeft();
    expect(s.ws.checks.size).toBe(0);
  });

  test('a machine of its own comes to the same', async () => {
    clearInterval(beating);
    worker = startWorker({ server: s.base, queue: redis.url, folder: join(folder, 'Attic'), name: 'Attic' });
    await until(async () =>
      ((await s.call('GET', '/machines')).body as { machines: { name: string }[] }).machines.some(
        ({ name }) => name === 'Attic',
      ),
    );
    const { checks, passed } = await answered(send());
    expect(passed).toBe(true);
    expect(checks.map(({ id }) => id)).toEqual(expect.arrayContaining(['frame-size', 'picture', 'crop']));
    expect((await newestCheck())!.machine).toBe('Attic');
  });
});
