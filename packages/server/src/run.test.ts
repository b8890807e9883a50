import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { join } from 'node:path';
import {
  forecastsSchema,
  inboxFileSchema,
  jobSchema,
  masterSchema,
  placementPageSchema,
  preferencesSchema,
  problemSchema,
  productionSchema,
  versionSchema,
  type Job,
} from '@mivvy/api';
import { heldFraming } from '@mivvy/core';
import * as z from 'zod';
import { quickBook, smallFilm, testServer, until, type TestServer } from './testing/server.ts';

/** The run: its order, its pauses, and what it is expected to come to. */
let s: TestServer;
let productionId: string;
let versionIds: string[];
beforeAll(async () => {
  s = await testServer();
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  await smallFilm(join(s.dir, 'inbox', 'film.mp4'), 1);
  ({ id: productionId } = await s.get(productionSchema, 'POST', '/productions', { name: 'Kite' }));
  const [film] = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  const master = await s.get(masterSchema, 'POST', `/productions/${productionId}/masters`, {
    inboxFile: film!.path,
  });
  await until(async () => (await s.get(masterSchema, 'GET', `/masters/${master.id}`)).state === 'ready');
  const made = await s.get(z.array(versionSchema), 'POST', `/productions/${productionId}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall', 'quick-square', 'quick-short'],
  });
  versionIds = made.map((v) => v.id);
}, 375_000);
afterAll(() => s.stop());

const jobs = async () =>
  (await s.get(z.array(jobSchema), 'GET', `/productions/${productionId}/jobs`)).filter(
    (j) => j.kind === 'export',
  );
const inOrder = (all: Job[]) =>
  all
    .filter((j) => j.state === 'queued')
    .sort((a, b) => a.rank - b.rank || a.createdAt.localeCompare(b.createdAt) || a.id.localeCompare(b.id))
    .map((j) => j.subjectId);
const pause = (exportsPaused: boolean) =>
  s.get(preferencesSchema, 'PATCH', '/preferences', { exportsPaused });
const forecasts = () => s.get(forecastsSchema, 'GET', `/productions/${productionId}/forecast`);

test('before anything was made, times and the sizes of qualities are not known, and are not guessed', async () => {
  const told = await forecasts();
  expect(told.versions.map((v) => [v.seconds, v.bytes])).toEqual([
    [null, null],
    [null, null],
    [null, null],
  ]);
  expect(told.freeBytes).toBeGreaterThan(0);
});

test('a paused run begins nothing, can be put in another order, and goes on in that', async () => {
  expect(await pause(true)).toMatchObject({ exportsPaused: true, frameOnArrival: true });
  await s.call('POST', `/productions/${productionId}/exports`, { versionIds });
  const first = inOrder(await jobs());
  expect(first).toHaveLength(3);
  const [a, b, c] = first.map((id) => id!);
  const idOf = async (version: string) => (await jobs()).find((j) => j.subjectId === version)!.id;
  // The last before the first, then the first to the end.
  await s.call('POST', `/jobs/${await idOf(c!)}/move`, { before: await idOf(a!) });
  expect(inOrder(await jobs())).toEqual([c, a, b]);
  await s.call('POST', `/jobs/${await idOf(c!)}/move`, { before: null });
  await s.call('POST', `/jobs/${await idOf(b!)}/move`, { before: await idOf(a!) });
  expect(inOrder(await jobs())).toEqual([b, a, c]);
  // Nothing was begun meanwhile, though there was time to.
  await new Promise((resolve) => setTimeout(resolve, 1500));
  expect((await jobs()).map((j) => j.state)).toEqual(['queued', 'queued', 'queued']);

  await pause(false);
  await until(async () => (await jobs()).every((j) => j.state === 'done'));
  const done = (await jobs())
    .sort((x, y) => x.startedAt!.localeCompare(y.startedAt!))
    .map((j) => j.subjectId);
  expect(done).toEqual([b, a, c]);
  const late = await s.call('POST', `/jobs/${await idOf(a!)}/move`, { before: null });
  expect([late.status, problemSchema.parse(late.body).code]).toEqual([409, 'not-waiting']);
}, 450_000);

test('what was made tells what comes: the same film again takes as long and comes out as large', async () => {
  const told = await forecasts();
  const made = await s.detail(productionId);
  for (const version of told.versions) {
    const file = made.versions.find((v) => v.id === version.versionId)!.deliverable!;
    expect(version.seconds).toBeGreaterThan(0);
    expect(file.bytes).toBeGreaterThanOrEqual(version.bytes!.least);
    expect(file.bytes).toBeLessThanOrEqual(version.bytes!.most);
  }
});

test('what waits is made also where its placement was retired meanwhile, or changed: by the revision that it was asked for', async () => {
  await pause(true);
  const [first] = versionIds;
  const { deliverable: before } = await s.get(versionSchema, 'GET', `/versions/${first}`);
  await s.call('POST', `/productions/${productionId}/exports`, { versionIds: [first] });
  await s.call('POST', '/spec-book/placements/quick-tall/retired', { retired: true });
  const { revisions } = await s.get(placementPageSchema, 'GET', '/spec-book/placements/quick-tall');
  await s.call('PUT', '/spec-book/placements/quick-tall', {
    placement: { ...revisions[0]!.placement, frame: { width: 100, height: 160 } },
    basedOn: 1,
  });
  // Brought over while it waits, it is made as it was asked for; asked for again, as it is now.
  await s.call('POST', '/spec-book/bring-over', { versionIds: [first] });
  await pause(false);
  const made = await until(async () => {
    const { deliverable } = await s.get(versionSchema, 'GET', `/versions/${first}`);
    return deliverable && deliverable.id !== before!.id ? deliverable : undefined;
  });
  expect(made.fileName).toContain('90x160');
  await s.call('POST', `/productions/${productionId}/exports`, { versionIds: [first] });
  const again = await until(async () => {
    const { deliverable } = await s.get(versionSchema, 'GET', `/versions/${first}`);
    return deliverable && deliverable.id !== made.id ? deliverable : undefined;
  });
  expect(again.fileName).toContain('100x160');
  await until(async () => (await jobs()).every((j) => j.state === 'done'));
}, 375_000);

test('a paused run is still paused when the server has been started again', async () => {
  await pause(true);
  await s.stop(true);
  s = await testServer({ dataDir: s.dir });
  await s.call('POST', `/productions/${productionId}/exports`, { versionIds: [versionIds[0]] });
  await new Promise((resolve) => setTimeout(resolve, 1500));
  expect((await jobs()).filter((j) => j.state === 'queued')).toHaveLength(1);
  await pause(false);
  await until(async () => (await jobs()).every((j) => j.state !== 'queued' && j.state !== 'running'));
}, 375_000);

test('what is due first is made first', async () => {
  await pause(true);
  const [tall, square, short] = versionIds;
  const due = (id: string | undefined, dueOn: string | null) =>
    s.call('PATCH', `/productions/${productionId}/tracking`, { versionIds: [id], dueOn });
  for (const id of versionIds) {
    const { revision } = await s.get(versionSchema, 'GET', `/versions/${id}`);
    const framing = heldFraming({ x: 0.37, y: 0.5, zoom: 1 });
    await s.call('PATCH', `/versions/${id}`, { revision, framing });
  }
  await due(short, '2026-06-01');
  await due(square, '2026-05-30');
  await s.call('POST', `/productions/${productionId}/exports`, { versionIds });
  expect(inOrder(await jobs())).toEqual([square, short, tall]);
  await pause(false);
});
