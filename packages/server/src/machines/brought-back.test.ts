import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { execa } from 'execa';
import * as z from 'zod';
import type { CheckReport } from '@mivvy/core';
import { deliver } from '@mivvy/media';
import {
  deliverableSchema,
  machineSessionHeader,
  machineTakenSchema,
  type ExportOrderForMachine,
} from '@mivvy/api';
import { jobs } from '../db/schema.ts';
import { leaseMs } from '../jobs/queue/rows-queue.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { PlayedMachine, sumOf } from '../testing/played-machine.ts';
import { OwnRedis, redisThere } from '../testing/redis.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';

interface Made {
  bytes: Buffer;
  report: CheckReport;
}

(redisThere ? describe : describe.skip)('what a machine brings back', () => {
  let redis: OwnRedis;
  let s: TestServer;
  let of: MadeProduction;
  let folder: string;
  beforeAll(async () => {
    redis = await OwnRedis.start();
    folder = await mkdtemp(join(tmpdir(), 'mivvy machine '));
    s = await testServer({ queueUrl: redis.url, exportsAtOnce: 0 });
    of = await madeProduction(s, ['quick-tall', 'quick-square']);
  });
  afterAll(async () => {
    await s.stop();
    await redis.end();
    await rm(folder, { recursive: true, force: true });
  });

  let machine: PlayedMachine;
  const files = () => s.get(z.array(deliverableSchema), 'GET', `/productions/${of.id}/deliverables`);
  const jobOf = async (id: string) => (await s.ws.db.select().from(jobs).where(eq(jobs.id, id)))[0]!;

  /** Asks for a version's export, and takes it as the machine. */
  const taken = async (versionId = of.versionIds[0]!): Promise<ExportOrderForMachine> => {
    const [asked] = await s.get(
      z.array(z.object({ id: z.string() })),
      'POST',
      `/productions/${of.id}/exports`,
      {
        versionIds: [versionId],
      },
    );
    return machine.take(asked!.id, 'export');
  };
  /** Makes what an order asks for, from its film or from another. */
  const made = async (
    order: ExportOrderForMachine,
    masterPath = join(s.dir, 'inbox', 'film.mp4'),
  ): Promise<Made> => {
    const outPath = join(folder, `${Math.random()}.mp4`);
    const result = await deliver(order.plan, {
      masterPath,
      outPath,
      workDir: join(folder, 'work'),
      placement: order.placement,
    });
    if (!result.ok) throw new Error(result.problem.sentence);
    return { bytes: await readFile(outPath), report: result.value.report };
  };
  const bring = async (jobId: string, { bytes, report }: Made, sum = sumOf(bytes)) =>
    machine.end(jobId, {
      state: 'done',
      film: await machine.brought(jobId, bytes, sum),
      cover: null,
      report,
    });
  /** It did not count, the machine takes nothing more and says why, and the job waits for somebody else. */
  const expectThrownAway = async (order: ExportOrderForMachine, why: RegExp) => {
    expect(await machine.shown()).toMatchObject({
      draining: true,
      trouble: { sentence: expect.stringMatching(why) },
    });
    await s.call('PATCH', `/machines/${machine.id}`, { draining: false });
    expect((await machine.shown()).trouble).toBeNull();
    const row = await jobOf(order.jobId);
    expect({ ...row, free: row.state === 'running' && row.leaseUntil === 0 }).toMatchObject({
      owner: null,
      free: true,
    });
    expect(await files()).toHaveLength(0);
    await s.call('POST', `/jobs/${order.jobId}/cancel`);
  };
  beforeEach(async () => {
    machine = await PlayedMachine.join(s, 'Played');
  });

  test('under another sum than it has', async () => {
    const order = await taken();
    expect(await bring(order.jobId, await made(order), 'a'.repeat(64))).toBe(false);
    await expectThrownAway(order, /sum/);
  });

  test('cut off, with the sum of what is left', async () => {
    const order = await taken();
    const { bytes, report } = await made(order);
    expect(await bring(order.jobId, { bytes: bytes.subarray(0, bytes.length - 4000), report })).toBe(false);
    await expectThrownAway(order, /cannot be read|not what its report says/);
  });

  test('made by another plan', async () => {
    const other = await taken(of.versionIds[1]);
    const wrong = await made(other);
    await s.call('POST', `/jobs/${other.jobId}/cancel`);
    const order = await taken();
    expect(await bring(order.jobId, wrong)).toBe(false);
    await expectThrownAway(order, /not what its report says/);
  });

  test('with a report that calls it passed though a line of it is not', async () => {
    const order = await taken();
    const { bytes, report } = await made(order);
    const [first, ...rest] = report.checks;
    const lied = { ...report, checks: [{ ...first!, ok: false }, ...rest] };
    expect(await bring(order.jobId, { bytes, report: lied })).toBe(false);
    await expectThrownAway(order, /not what its report says/);
  });

  test('of another film, rightly made', async () => {
    const order = await taken();
    const another = join(folder, 'another.mp4');
    const { bytes, report } = await made(order);
    expect(report.passed).toBe(true);
    const mandelbrot = 'mandelbrot=s=320x180:r=25';
    const coded = ['-t', '1', '-pix_fmt', 'yuv420p', '-c:v', 'libx264', another];
    await execa('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', mandelbrot, ...coded]);
    const wrong = await made(order, another);
    expect(wrong.report.passed).toBe(true);
    expect(wrong.bytes.equals(bytes)).toBe(false);
    expect(await bring(order.jobId, wrong)).toBe(false);
    await expectThrownAway(order, /shows something else/);
  });

  test('right, counts once', async () => {
    const order = await taken();
    const right = await made(order);
    // Begun by somebody who lost it on the way, for this job and for another one.
    const begun = await machine.upload(order.jobId, right.bytes.subarray(0, 4000));
    const other = await taken(of.versionIds[1]);
    const others = await machine.upload(other.jobId, right.bytes.subarray(0, 4000));
    expect(await bring(order.jobId, right)).toBe(true);
    const lying = await readdir(s.ws.storage.results);
    const asked = [begun, `${begun}.json`, others, `${others}.json`];
    expect(asked.map((name) => lying.includes(name))).toEqual([false, false, true, true]);
    await s.call('POST', `/jobs/${other.jobId}/cancel`);
    expect(await files()).toMatchObject([{ passed: true, sha256: sumOf(right.bytes) }]);
    // Whoever holds the job no more brings nothing.
    await expect(machine.upload(order.jobId, right.bytes)).rejects.toThrow('not this machine');
    const again = { state: 'failed', problem: { code: 'x', sentence: 'x', mend: 'x' } } as const;
    expect(await machine.end(order.jobId, again)).toBe(false);
    expect(await files()).toHaveLength(1);
    expect((await jobOf(order.jobId)).state).toBe('done');
  });

  test('late, when somebody else has the job: not a byte of it', async () => {
    const order = await taken(of.versionIds[1]);
    const right = await made(order);
    // A machine that is played takes a job without drawing its ticket. Is that still lying there when the job lapses, the
    // job is to be had under it, and is not handed over anew.
    await redis.ask((client) => client.flushall());
    await s.ws.db
      .update(jobs)
      .set({ leaseUntil: Date.now() - leaseMs })
      .where(eq(jobs.id, order.jobId));
    const { handed } = await until(async () => {
      const row = await jobOf(order.jobId);
      return row.handed > 1 && row;
    });
    const second = await PlayedMachine.join(s, 'Second', 'second');
    const ticket = { id: order.jobId, handed };
    const other = await second.ask(`/${second.id}/take`, { ticket });
    expect(machineTakenSchema.parse(other.body).is).toBe('yours');
    const progress = { stage: '', fraction: 0, etaSeconds: null, speed: 0 };
    const beat = { jobs: [{ id: order.jobId, progress }], cacheBytes: 0, trouble: null, log: '' };
    const orders = await machine.ask(`/${machine.id}/beat`, beat);
    expect(orders.body).toMatchObject({ lost: [order.jobId] });
    await expect(machine.upload(order.jobId, right.bytes)).rejects.toThrow('not this machine');
    expect((await jobOf(order.jobId)).attempts).toBe(2);
    // An old ticket leads nowhere.
    const old = await machine.ask(`/${machine.id}/take`, { ticket: { id: order.jobId, handed: 1 } });
    expect(old.body).toEqual({ is: 'gone' });
    await s.call('POST', `/jobs/${order.jobId}/cancel`);
  });

  test('a film is for who holds a job of it alone, in ranges', async () => {
    const order = await taken();
    const film = await readFile(join(s.dir, 'inbox', 'film.mp4'));
    const ask = (headers: Record<string, string>) => fetch(`${s.base}${order.film.address}`, { headers });
    const part = await ask({ [machineSessionHeader]: machine.session, Range: 'bytes=100-' });
    expect(part.status).toBe(206);
    expect(Buffer.from(await part.arrayBuffer()).equals(film.subarray(100))).toBe(true);
    expect((await ask({ [machineSessionHeader]: 'another' })).status).toBe(410);
    await s.call('POST', `/jobs/${order.jobId}/cancel`);
    expect((await ask({ [machineSessionHeader]: machine.session })).status).toBe(409);
  });
});
