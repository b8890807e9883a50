import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { existsSync } from 'node:fs';
import { subDays } from 'date-fns';
import { eq } from 'drizzle-orm';
import { execa } from 'execa';
import { join } from 'node:path';
import * as z from 'zod';
import {
  clearedRoomSchema,
  inboxFileSchema,
  jobSchema,
  masterSchema,
  productionDetailSchema,
  roomSchema,
} from '@mivvy/api';
import { deliverables, productions } from './db/schema.ts';
import { fromStored, proxyPath, stillPath } from './storage.ts';
import { madeProduction, type MadeProduction } from './testing/made.ts';
import { testServer, until, type TestServer } from './testing/server.ts';

let s: TestServer;
let made: MadeProduction;
/** A master that no browser plays, so that it has a proof copy. */
let copied: string;
beforeAll(async () => {
  s = await testServer();
  made = await madeProduction(s, ['quick-tall', 'quick-square']);
  const [tall] = made.versionIds as [string, string];
  await made.make();
  for (const x of [0.3, 0.6]) {
    await made.reframe(tall, x);
    await made.make([tall]);
  }
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=1'],
    ...['-c:v', 'mpeg4', join(s.dir, 'inbox', 'copied.avi')],
  ]);
  const inbox = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  const inboxFile = inbox.find(({ path }) => path.endsWith('copied.avi'))!.path;
  const brought = await s.get(masterSchema, 'POST', `/productions/${made.id}/masters`, { inboxFile });
  copied = brought.id;
  await prepared();
}, 375_000);
afterAll(() => s.stop());

const master = () => s.get(masterSchema, 'GET', `/masters/${copied}`);
const prepared = () =>
  until(async () => {
    const jobs = await s.get(z.array(jobSchema), 'GET', `/productions/${made.id}/jobs`);
    return jobs.every(({ state }) => state === 'done') && (await master()).proof.kind === 'proxy';
  });
const room = (rule = 'idleDays=90&keepFiles=1') => s.get(roomSchema, 'GET', `/room?${rule}`);
const files = async () =>
  (await s.ws.db.select().from(deliverables).orderBy(deliverables.exportNumber)).map((row) => ({
    ...row,
    there: existsSync(fromStored(s.ws.storage, row.path)),
  }));
/** As if nobody had worked on the production for so many days. */
const restFor = (days: number) =>
  s.ws.db.update(productions).set({ updatedAt: subDays(new Date(), days).toISOString() });

test('what was worked on lately is not offered, whatever was done in it', async () => {
  expect((await room()).goes).toEqual([]);
  for (const work of [
    () => s.call('PATCH', `/productions/${made.id}`, { client: 'Harbour Trust' }),
    () => s.call('PATCH', `/productions/${made.id}/tracking`, { versionIds: made.versionIds, holder: 'Ada' }),
    () => made.reframe(made.versionIds[1]!, 0.4),
  ]) {
    await restFor(91);
    expect((await room()).goes).toHaveLength(1);
    await work();
    expect((await room()).goes).toEqual([]);
  }
  await restFor(89);
  expect((await room()).goes).toEqual([]);
  expect((await room('idleDays=88')).goes).toHaveLength(1);
});

test('what would go is told, with what lies there, and nothing of it goes by telling', async () => {
  await restFor(91);
  const told = await room();
  expect(told.goes).toMatchObject([
    { id: made.id, name: 'Kite', client: 'Harbour Trust', copies: { count: 1 }, files: { count: 2 } },
  ]);
  const all = await files();
  expect(told.fileBytes).toBe(all.reduce((sum, { bytes }) => sum + bytes, 0));
  expect(told.copyBytes).toBeGreaterThan(0);
  expect(told.goes[0]!.copies.bytes).toBe(told.copyBytes);
  expect((await room('keepFiles=2')).goes[0]!.files.count).toBe(1);
  expect((await room('keepFiles=3')).goes[0]!.files.count).toBe(0);
  expect(all.every(({ there }) => there)).toBe(true);
  expect(existsSync(proxyPath(s.ws.storage, copied))).toBe(true);
  expect((await s.call('GET', '/room?idleDays=0')).status).toBe(400);
});

test('proof copies go with their stills, and come back when the production is opened', async () => {
  await restFor(91);
  const { fileGeneration, facts } = await master();
  const still = stillPath(s.ws.storage, copied, fileGeneration, Math.floor(facts!.video.frames / 2));
  expect(existsSync(still)).toBe(true);
  const asked = { idleDays: 90, keepFiles: 1, what: 'copies', productionIds: [made.id] };
  // Somebody has worked on it since it was shown.
  await restFor(1);
  expect(await s.get(clearedRoomSchema, 'POST', '/room/clear', asked)).toEqual({ productions: 0 });
  await restFor(91);
  const others = { ...asked, productionIds: ['another'] };
  expect(await s.get(clearedRoomSchema, 'POST', '/room/clear', others)).toEqual({ productions: 0 });
  expect(existsSync(proxyPath(s.ws.storage, copied))).toBe(true);

  expect(await s.get(clearedRoomSchema, 'POST', '/room/clear', asked)).toEqual({ productions: 1 });
  expect([existsSync(proxyPath(s.ws.storage, copied)), existsSync(still)]).toEqual([false, false]);
  // What else may go can still go.
  expect(await room()).toMatchObject({ copyBytes: 0, goes: [{ copies: { count: 0 }, files: { count: 2 } }] });
  // Looking at the master alone makes nothing.
  expect((await master()).proof.kind).toBe('making-proxy');
  const opened = await s.get(productionDetailSchema, 'GET', `/productions/${made.id}`);
  expect(opened.masters.find(({ id }) => id === copied)!.proof.kind).toBe('making-proxy');
  await prepared();
  expect([existsSync(proxyPath(s.ws.storage, copied)), existsSync(still)]).toEqual([true, true]);
});

test('older files go but for the newest, and what was approved stays', async () => {
  const [first] = (await files()).filter(({ versionId }) => versionId === made.versionIds[0]);
  await s.ws.db.update(deliverables).set({ handover: 'approved' }).where(eq(deliverables.id, first!.id));
  await restFor(91);
  expect((await room()).goes[0]!.files.count).toBe(1);
  const asked = { idleDays: 90, keepFiles: 1, what: 'files', productionIds: [made.id] };
  expect(await s.get(clearedRoomSchema, 'POST', '/room/clear', asked)).toEqual({ productions: 1 });
  const left = (await files()).filter(({ versionId }) => versionId === made.versionIds[0]);
  expect(left.map(({ exportNumber, onDisk, there }) => [exportNumber, onDisk === 'cleared', there])).toEqual([
    [1, false, true],
    [2, true, false],
    [3, false, true],
  ]);
  expect(left[1]!.report.checks.length).toBeGreaterThan(0);
  const other = (await files()).filter(({ versionId }) => versionId === made.versionIds[1]);
  expect(other.map(({ there }) => there)).toEqual([true]);
});
