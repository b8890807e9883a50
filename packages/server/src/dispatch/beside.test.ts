import { afterAll, beforeAll, beforeEach, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import * as z from 'zod';
import { dispatchSchema, masterSchema, versionSchema, type Deliverable, type Dispatch } from '@mivvy/api';
import { bare } from '@mivvy/core';
import { deliverables } from '../db/schema.ts';
import { noFaults, type Faults } from '../stand-ins/faults.ts';
import { openStandIns } from '../stand-ins/outlet.ts';
import { fromStored } from '../storage.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';

/** Captions and covers go where their films go, or the film does not go. */
let s: TestServer;
let made: MadeProduction;
let outlets: Awaited<ReturnType<typeof openStandIns>>;
let dir: string;
let versionId: string;
let file: Deliverable;

const placement = {
  id: 'stills-both',
  name: 'With both',
  frame: { width: 90, height: 160 },
  container: 'mp4',
  video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
  audio: null,
  cover: { width: 180, height: 320 },
  captions: 'sidecar',
  captionFormat: 'vtt',
};

beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy beside '));
  outlets = await openStandIns(join(dir, 'stand-ins'), (id) => s.ws.specs.find(id)?.placement);
  s = await testServer({ outlets: { base: outlets.base } });
  made = await madeProduction(() => s, ['quick-tall']);
  const book = {
    format: 'mivvy-spec-book',
    version: 1,
    outlets: [{ id: 'stills', name: 'Stills', placements: [placement] }],
  };
  await s.call('POST', '/spec-book/files', {
    fileName: 'stills.specbook.json',
    text: JSON.stringify(book),
  });
  const { dressingRevision } = await s.get(masterSchema, 'GET', `/masters/${made.masterId}`);
  const cues = [{ from: 0.1, to: 0.9, lines: ['Lanterns over the bay.'] }];
  const dressing = { ...bare, captions: [{ id: 'english1', language: 'en', cues }] };
  await s.call('PUT', `/masters/${made.masterId}/dressing`, { revision: dressingRevision, dressing });
  const [version] = await s.get(z.array(versionSchema), 'POST', `/productions/${made.id}/versions`, {
    masterId: made.masterId,
    placementIds: ['stills-both'],
  });
  versionId = version!.id;
}, 375_000);
afterAll(async () => {
  await s.stop();
  await outlets.close();
  await rm(dir, { recursive: true, force: true });
});

let frame = 3;
/** Another file each time. */
beforeEach(async () => {
  await s.call('PATCH', `/versions/${versionId}/cover`, { frame: frame++ });
  file = await makeOne(versionId);
}, 150_000);

async function makeOne(id: string): Promise<Deliverable> {
  await s.call('POST', `/productions/${made.id}/exports`, { versionIds: [id] });
  const version = await until(async () => {
    const now = await s.get(versionSchema, 'GET', `/versions/${id}`);
    return now.standing === 'passed' && now;
  });
  return version.deliverable!;
}

const faulty = (faults: Partial<Faults>) =>
  fetch(`${outlets.base}/stills/faults`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ ...noFaults, ...faults }),
  });
const sumOf = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');
/** Sends a file, and waits for how that ends. */
async function sent(deliverableId: string, more: object): Promise<Dispatch> {
  await s.call('POST', `/productions/${made.id}/dispatches`, { deliverableIds: [deliverableId], ...more });
  return until(async () => {
    const all = await s.get(z.array(dispatchSchema), 'GET', `/productions/${made.id}/dispatches`);
    const ended = (each: Dispatch) => ['arrived', 'live', 'refused'].includes(each.state);
    return all.find((each) => each.deliverableId === deliverableId && ended(each));
  });
}
/** The bytes of a film's captions and cover, as they are handed out. */
const handedOut = async () =>
  Promise.all(
    ['captions', 'cover'].map(async (what) => {
      const answer = await fetch(`${s.base}/api/deliverables/${file.id}/${what}`);
      expect(answer.status).toBe(200);
      return Buffer.from(await answer.arrayBuffer());
    }),
  );

test('an outlet gets both with the film, and its receipt has the sums of its copies', async () => {
  const [captions, cover] = await handedOut();
  const { state, receipt } = await sent(file.id, { connector: 'outlet' });
  expect(state).not.toBe('refused');
  const stem = file.fileName.replace(/\.mp4$/, '');
  expect(receipt!.beside).toEqual([
    { kind: 'captions', name: `${stem}.vtt`, sha256: sumOf(captions!) },
    { kind: 'cover', name: `${stem}.jpg`, sha256: sumOf(cover!) },
  ]);
  const taken = outlets.films().find((film) => film.receipt === receipt!.receipt)!;
  for (const copy of taken.beside) expect(sumOf(await readFile(copy.path))).toBe(copy.sha256);
}, 150_000);

test('what has gone across before a try broke off is not sent again', async () => {
  const begun = async () =>
    (await readdir(join(dir, 'stand-ins'))).filter((name) => name.endsWith('.json') && name !== 'films.json');
  const before = (await begun()).length;
  // Each upload is tried three times in one try of the whole: these use up two of those.
  await faulty({ dropPieces: 7 });
  const { state, attempts } = await sent(file.id, { connector: 'outlet' });
  expect([['arrived', 'live'].includes(state), attempts]).toEqual([true, 3]);
  expect((await begun()).length - before).toBe(3);
}, 150_000);

test('a watched folder gets both before the film', async () => {
  const folder = join(dir, 'watched folder');
  const [captions, cover] = await handedOut();
  const { state, receipt } = await sent(file.id, { connector: 'folder', folder });
  expect(state).toBe('arrived');
  const stem = file.fileName.replace(/\.mp4$/, '');
  expect((await readdir(folder)).sort()).toEqual([`${stem}.jpg`, `${stem}.mp4`, `${stem}.vtt`]);
  expect(await readFile(join(folder, `${stem}.vtt`))).toEqual(captions);
  expect(await readFile(join(folder, `${stem}.jpg`))).toEqual(cover);
  expect(receipt!.beside.map((each) => each.kind)).toEqual(['captions', 'cover']);
}, 150_000);

test('a folder in which something else has the name of the captions gets nothing', async () => {
  const folder = await mkdtemp(join(dir, 'taken '));
  const name = file.fileName.replace(/\.mp4$/, '.vtt');
  await writeFile(join(folder, name), 'other');
  const { state, problem } = await sent(file.id, { connector: 'folder', folder });
  expect([state, problem?.code]).toEqual(['refused', 'name-taken']);
  expect([await readdir(folder), await readFile(join(folder, name), 'utf8')]).toEqual([[name], 'other']);
}, 150_000);

test('a cover that was changed on the disk keeps its film here', async () => {
  const [row] = await s.ws.db.select().from(deliverables).where(eq(deliverables.id, file.id));
  await writeFile(fromStored(s.ws.storage, row!.path).replace(/\.mp4$/, '.jpg'), 'no picture');
  const before = outlets.films().length;
  const { state, problem } = await sent(file.id, { connector: 'outlet' });
  expect([state, problem?.code, outlets.films().length]).toEqual(['refused', 'cover-changed', before]);
}, 150_000);

test('an outlet that wants a still with its films refuses one without, in its own words', async () => {
  const plain = await makeOne(made.versionIds[0]!);
  const rules = s.ws.specs.find('quick-tall')!.placement;
  await fetch(`${outlets.base}/quick/rules`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ ...rules, cover: placement.cover }),
  });
  const { state, problem } = await sent(plain.id, { connector: 'outlet' });
  expect([state, problem?.sentence]).toEqual(['refused', 'This slot needs a still with the film, 180x320.']);
}, 150_000);
