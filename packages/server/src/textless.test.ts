import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { copyFile } from 'node:fs/promises';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { execa } from 'execa';
import * as z from 'zod';
import { inboxFileSchema, masterSchema, versionSchema, type Master } from '@mivvy/api';
import type { Keep } from '@mivvy/core';
import { deliverables, masters } from './db/schema.ts';
import { fromStored } from './storage.ts';
import { madeProduction, type MadeProduction } from './testing/made.ts';
import { testServer, until, type TestServer } from './testing/server.ts';

/** A textless master beside a film: matched, drawn from, replaced and let go of. */
let s: TestServer;
let made: MadeProduction;
let tall: string;
let square: string;
let textless: Master;
beforeAll(async () => {
  s = await testServer();
  made = await madeProduction(() => s, ['quick-tall', 'quick-square']);
  [tall, square] = made.versionIds as [string, string];
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=1,hue=s=0'],
    ...['-f', 'lavfi', '-i', 'sine=440:d=1', '-crf', '16', '-pix_fmt', 'yuv420p', inbox('plain.mp4')],
  ]);
  await withTitle(inbox('plain.mp4'), inbox('titled.mp4'));
  const renewed = await bringIn('titled.mp4', made.masterId);
  await read(renewed.id);
  textless = await bringIn('plain.mp4');
  await read(textless.id);
}, 375_000);
afterAll(() => s.stop());

const inbox = (name: string) => join(s.dir, 'inbox', name);
/** The same film with a magenta block that no version shows whole, in frames 5 to 14. */
const withTitle = (from: string, to: string) =>
  execa('ffmpeg', [
    ...['-v', 'error', '-y', '-i', from, '-c:a', 'copy', '-crf', '12', '-vf'],
    ...["drawbox=x=60:y=130:w=90:h=30:color=0xff00ff:t=fill:enable='between(n,5,14)'", to],
  ]);
async function bringIn(name: string, replaces?: string): Promise<Master> {
  const files = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  return s.get(masterSchema, 'POST', `/productions/${made.id}/masters`, {
    inboxFile: files.find(({ path }) => path.endsWith(name))!.path,
    ...(replaces === undefined ? {} : { replaces }),
  });
}
const master = (id = made.masterId) => s.get(masterSchema, 'GET', `/masters/${id}`);
const version = (id = tall) => s.get(versionSchema, 'GET', `/versions/${id}`);
const keep = async (keeps: Keep[]) => {
  const { revision } = await master();
  await s.get(masterSchema, 'PATCH', `/masters/${made.masterId}/work`, { revision, keeps });
};
/** Waits until a film is read and nothing is done about it any more. */
const read = (id: string) =>
  until(async () => {
    const { jobs } = await s.detail(made.id);
    const now = await master(id);
    return now.sha256 !== null && now.shots !== null && !jobs.some((job) => job.subjectId === id) && now;
  });
const choose = (id: string) => s.call('PUT', `/masters/${made.masterId}/textless`, { masterId: id });
const matched = () => until(async () => (await master()).textless);
const draw = (on: boolean, id = tall) => s.call('PATCH', `/versions/${id}/textless`, { textless: on });
/** Pixels of a version's newest file that are the title's, in a frame. */
async function titlePixels(id: string, frame: number): Promise<number> {
  const { deliverable } = await version(id);
  const [row] = await s.ws.db.select().from(deliverables).where(eq(deliverables.id, deliverable!.id));
  const { stdout } = await execa(
    'ffmpeg',
    [
      ...['-v', 'error', '-i', fromStored(s.ws.storage, row!.path), '-frames:v', '1'],
      ...['-vf', `select=eq(n\\,${frame}),format=rgb24`, '-f', 'rawvideo', '-'],
    ],
    { encoding: 'buffer' },
  );
  let count = 0;
  for (let i = 0; i < stdout.length; i += 3)
    if (stdout[i]! > 200 && stdout[i + 1]! < 70 && stdout[i + 2]! > 200) count++;
  return count;
}
const title: Keep = {
  id: 'title',
  name: 'Kite Weekend',
  kind: 'title',
  span: { from: 5, to: 15 },
  keys: [{ at: 5, x: 60 / 320, y: 130 / 180, width: 90 / 320, height: 30 / 180 }],
};

test('nothing is drawn from a textless master before there is one', async () => {
  expect((await draw(true)).status).toBe(409);
  expect((await choose(made.masterId)).status).toBe(409);
});

test('it is matched, leaves the list of films, and gets no versions', async () => {
  // Of two films that are chosen at once, one becomes it and the other is told.
  const other = await bringIn('film.mp4');
  const both = await Promise.all([choose(textless.id), choose(other.id)]);
  expect(both.filter(({ status }) => status === 409).length).toBeGreaterThan(0);
  await s.call('DELETE', `/masters/${other.id}`);
  expect((await choose(textless.id)).status).toBe(200);
  const found = await matched();
  expect(found).toMatchObject({ masterId: textless.id, sha256: textless.sha256 ?? expect.any(String) });
  expect(found!.differs.map(({ span }) => span)).toEqual([{ from: 5, to: 15 }]);
  const detail = await s.detail(made.id);
  expect(detail.masters.map(({ id }) => id)).toEqual([made.masterId]);
  expect(detail.textlessMasters.map(({ id }) => id)).toEqual([textless.id]);
  const asked = { masterId: textless.id, placementIds: ['quick-short'] };
  expect((await s.call('POST', `/productions/${made.id}/versions`, asked)).status).toBe(409);
}, 120_000);

test('a title that is cut is a fault of the film’s version, and none of one that is drawn from the textless master', async () => {
  await keep([title]);
  const standings = async () => (await made.versions()).map(({ standing }) => standing);
  expect(await standings()).toEqual(['at-fault', 'at-fault']);
  expect((await draw(true)).status).toBe(200);
  expect(await standings()).toEqual(['to-make', 'at-fault']);
});

test('its file has no title, passes against its own film, and says what changed when it goes back', async () => {
  await s.call('POST', `/productions/${made.id}/exports`, { versionIds: [tall, square] });
  await until(async () => (await made.versions()).every((v) => v.deliverable?.passed));
  expect(await titlePixels(tall, 10)).toBe(0);
  expect(await titlePixels(square, 10)).toBeGreaterThan(20);
  expect(await titlePixels(square, 2)).toBe(0);
  const { deliverable } = await version();
  for (const which of ['planned', 'file'])
    expect((await s.call('GET', `/deliverables/${deliverable!.id}/frames/10/${which}`)).status).toBe(200);
  await draw(false);
  expect((await version()).standing).toBe('at-fault');
  await keep([]);
  expect(await version()).toMatchObject({
    standing: 'behind',
    behind: ['it is drawn from the film itself now'],
  });
  await draw(true);
  expect((await version()).standing).toBe('passed');
}, 180_000);

test('replaced by a film that is not the same edit, it counts no more, and nothing is made from it', async () => {
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-i', inbox('plain.mp4'), '-c:a', 'copy', '-vf', 'negate'],
    inbox('negative.mp4'),
  ]);
  await bringIn('negative.mp4', textless.id);
  const problem = await until(async () => (await master(textless.id)).textlessProblem);
  expect(problem).toMatchObject({ code: 'other-pictures' });
  expect((await master()).textless).toBeNull();
  expect((await version()).standing).toBe('blocked');
  const refused = await s.call('POST', `/productions/${made.id}/exports`, { versionIds: [tall] });
  expect(refused).toMatchObject({
    status: 409,
    body: { sentence: expect.stringContaining('textless master') },
  });
}, 120_000);

test('the right film in its place is matched by itself, and the file is up to date again', async () => {
  await copyFile(inbox('plain.mp4'), inbox('again.mp4'));
  await bringIn('again.mp4', textless.id);
  await matched();
  expect((await version()).standing).toBe('passed');
}, 120_000);

test('the film replaced: what was matched with the other one counts no more until it is matched anew', async () => {
  await bringIn('plain.mp4', made.masterId);
  expect((await version()).standing).not.toBe('passed');
  // The same film twice: it has the titles of the one, which are none.
  const found = await until(async () => {
    const now = await master();
    return now.textless?.of === now.sha256 && now.textless;
  });
  expect(found).toMatchObject({ differs: [] });
}, 120_000);

test('what a server that died has left unmatched is matched when it starts again', async () => {
  await s.ws.db.update(masters).set({ textless: null }).where(eq(masters.id, made.masterId));
  await s.stop(true);
  s = await testServer({ dataDir: s.dir });
  expect(await matched()).toMatchObject({ masterId: textless.id });
}, 120_000);

test('let go of, it is a film of its own; removed, nothing is left that names it', async () => {
  expect((await s.call('DELETE', `/masters/${made.masterId}/textless`)).status).toBe(204);
  expect((await s.detail(made.id)).masters).toHaveLength(2);
  expect(await master()).toMatchObject({ textless: null });
  expect(await master(textless.id)).toMatchObject({ textlessOf: null, textlessProblem: null });
  await choose(textless.id);
  await matched();
  expect((await s.call('DELETE', `/masters/${textless.id}`)).status).toBe(204);
  expect(await master()).toMatchObject({ textless: null });
}, 120_000);
