import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import {
  foreignCheckSchema,
  inboxFileSchema,
  masterSchema,
  productionSchema,
  versionSchema,
  type Version,
} from '@mivvy/api';
import * as z from 'zod';
import { quickBook, smallFilm, testServer, until, type TestServer } from './testing/server.ts';

/** Files that were made elsewhere, checked for a place and against a version. */
let s: TestServer;
let version: Version;
beforeAll(async () => {
  s = await testServer();
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  await smallFilm(join(s.dir, 'inbox', 'film.mp4'), 2);
  const p = await s.get(productionSchema, 'POST', '/productions', { name: 'Kite' });
  const [film] = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  const master = await s.get(masterSchema, 'POST', `/productions/${p.id}/masters`, { inboxFile: film!.path });
  await until(async () => (await s.get(masterSchema, 'GET', `/masters/${master.id}`)).state === 'ready');
  const [made] = await s.get(z.array(versionSchema), 'POST', `/productions/${p.id}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall'],
  });
  await s.call('POST', `/productions/${p.id}/exports`, { versionIds: [made!.id] });
  version = await until(async () => {
    const now = await s.get(versionSchema, 'GET', `/versions/${made!.id}`);
    return now.deliverable !== null && now;
  });
}, 225_000);
afterAll(() => s.stop());

async function check(query: string, body: Uint8Array) {
  const answer = await fetch(`${s.base}/api/checks?${query}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream' },
    body: new Blob([body as Uint8Array<ArrayBuffer>]),
  });
  return { status: answer.status, body: (await answer.json()) as unknown };
}
const foreign = () => readFile(join(s.dir, 'inbox', 'film.mp4'));
const ours = async () => {
  const answer = await fetch(`${s.base}/api/deliverables/${version.deliverable!.id}/file`);
  return new Uint8Array(await answer.arrayBuffer());
};
const broken = (body: unknown) =>
  foreignCheckSchema
    .parse(body)
    .checks.filter((line) => !line.ok)
    .map((line) => line.id);

describe('a file made elsewhere', () => {
  test('is checked for a place alone: the wrong size and sound that is not wanted are found', async () => {
    const answer = await check('placement=quick-tall&name=theirs.mp4', await foreign());
    expect(answer.status).toBe(200);
    expect(broken(answer.body)).toEqual(expect.arrayContaining(['frame-size', 'sound']));
    const { file, page, place } = foreignCheckSchema.parse(answer.body);
    expect([file, place]).toEqual(['theirs.mp4', 'Quick, Tall']);
    expect(page).toContain('theirs.mp4');
  });
  test('is held against a version: our own export passes, every line of the comparison among them', async () => {
    const answer = await check(`version=${version.id}&name=ours.mp4`, await ours());
    expect(broken(answer.body)).toEqual([]);
    const ids = foreignCheckSchema.parse(answer.body).checks.map((line) => line.id);
    expect(ids).toEqual(expect.arrayContaining(['picture', 'crop', 'frozen']));
  });
  test('that is no film, or cut off, is refused in words, and nothing of it is kept', async () => {
    const answer = await check('placement=quick-tall', Buffer.from('these are words'));
    expect([answer.status, answer.body]).toMatchObject([
      422,
      { sentence: expect.stringContaining('no picture') },
    ]);
    const half = await foreign();
    const cut = await check('placement=quick-tall', half.subarray(0, half.length / 3));
    // Its tables stand at its end, so a part of it holds nothing that can be read.
    expect(cut.status).toBe(422);
    expect(await readdir(s.ws.storage.work)).toEqual([]);
  });
  test('for a place that is not in the book is refused', async () => {
    expect((await check('placement=nowhere', await foreign())).status).toBe(404);
  });
});
