import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { execa } from 'execa';
import * as z from 'zod';
import { heldFraming, planFingerprint, type CheckReport } from '@mivvy/core';
import { deliver } from '@mivvy/media';
import {
  deliverableSchema,
  machineSessionHeader,
  machineTakenSchema,
  type ExportOrderForMachine,
} from '@mivvy/api';
import { deliverables, jobs, masters, versions } from '../db/schema.ts';
import { storedOrder } from '../jobs/export-order.ts';
import { leaseMs } from '../jobs/queue/rows-queue.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { PlayedMachine, sumOf } from '../testing/played-machine.ts';
import { broughtWrong } from './brought.ts';
import { judge } from './judge.ts';
import { OwnRedis, redisThere } from '../testing/redis.ts';
import { quickBook, testServer, until, type TestServer } from '../testing/server.ts';

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
  /** Lets the place of the tall version draw captions in, or show none. */
  const burnCaptions = async (on: boolean) => {
    const text = quickBook.replace('"name":"Tall",', `"name":"Tall","captions":"${on ? 'burned' : 'none'}",`);
    await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text });
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
    await expectThrownAway(order, /is damaged/);
  });

  test('damaged in twenty places, with the sum of the damaged bytes: zeroed, exchanged and repeated spans', async () => {
    const order = await taken();
    const right = await made(order);
    const { bytes } = right;
    const span = Math.floor(bytes.length / 50);
    const stored = await storedOrder(s.ws, await jobOf(order.jobId));
    const found = (stored.ok ? stored.value : null)!;
    // In the second half: the head and the encoder's own words, which nothing shows, come before.
    for (let n = 0; n < 20; n++) {
      const at = Math.floor(bytes.length * (0.5 + 0.024 * n));
      const damaged = Buffer.from(bytes);
      if (n % 3 === 0) damaged.fill(0, at, at + span);
      else if (n % 3 === 1) {
        bytes.copy(damaged, at, at + span / 2, at + span);
        bytes.copy(damaged, at + span / 2, at, at + span / 2);
      } else bytes.copy(damaged, at, at - span, at);
      const path = join(folder, 'damaged.mp4');
      await writeFile(path, damaged);
      const judged = await judge(s.ws, found, { path, report: right.report });
      expect({ n, code: judged.ok ? 'taken' : judged.problem.code }).toEqual({ n, code: broughtWrong });
    }
    expect(
      await bring(order.jobId, {
        ...right,
        bytes: Buffer.from(bytes).fill(0, bytes.length / 2, bytes.length / 2 + span),
      }),
    ).toBe(false);
    await expectThrownAway(order, /is damaged|something else/);
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

  test('made as it was asked for, whatever was changed meanwhile: captions, keeps, faces, placement, approval', async () => {
    // Captions are drawn in, and make room for keeps and faces; a draft mark goes with the first approval.
    const cues = [{ from: 0.1, to: 0.9, lines: ['A red kite over the harbour'] }];
    const captions = [{ id: 'track', language: 'en', cues }];
    await s.ws.db
      .update(masters)
      .set({ dressing: { layers: [], captions, draftMark: true } })
      .where(eq(masters.id, of.masterId));
    await burnCaptions(true);
    const order = await taken();
    expect(order.plan.layers?.length).toBeGreaterThan(0);
    const right = await made(order);
    const before = await jobOf(order.jobId);
    const [version] = await s.ws.db.select().from(versions).where(eq(versions.id, of.versionIds[0]!));
    const span = { from: 0, to: 20 };
    const box = { at: 0, x: 0.3, y: 0.6, width: 0.4, height: 0.35 };
    await s.ws.db
      .update(masters)
      .set({
        keeps: [{ id: 'k', name: 'Sign', kind: 'other', span, keys: [box] }],
        faces: [{ id: 'face', span, keys: [box] }],
        dressing: { layers: [], captions: [], draftMark: false },
      })
      .where(eq(masters.id, of.masterId));
    await burnCaptions(false);
    await s.ws.db
      .update(versions)
      .set({ approved: true, sharpen: 0.4, framing: heldFraming({ x: 0.1, y: 0.5, zoom: 1.5 }) })
      .where(eq(versions.id, version!.id));
    expect(await bring(order.jobId, right)).toBe(true);
    const [row] = await s.ws.db
      .select()
      .from(deliverables)
      .where(eq(deliverables.sha256, sumOf(right.bytes)));
    expect(row!.fingerprint).toBe(planFingerprint(order.plan));
    expect(row!.plan).toEqual(before.asked!.plan);
    expect(row).toMatchObject({ versionId: version!.id, passed: true });
    await s.ws.db.delete(deliverables).where(eq(deliverables.id, row!.id));
    await s.ws.db.update(masters).set({ keeps: [], faces: [] }).where(eq(masters.id, of.masterId));
  });
});
