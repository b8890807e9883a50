import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createCanvas } from '@napi-rs/canvas';
import { eq } from 'drizzle-orm';
import {
  captionsReadSchema,
  graphicViewSchema,
  masterSchema,
  placementPageSchema,
  typefaceSchema,
  versionSchema,
  type Version,
} from '@mivvy/api';
import * as z from 'zod';
import {
  bare,
  fontFiles,
  readCaptions,
  readVersionPlan,
  startStyles,
  type Dressing,
  type Layer,
  type VersionPlan,
} from '@mivvy/core';
import { fontPath } from '@mivvy/media';
import { deliverables } from './db/schema.ts';
import { lookedAt } from './follow-version.ts';
import { happened } from './happenings.ts';
import { writeLook } from './looks.ts';
import { madeProduction, type MadeProduction } from './testing/made.ts';
import { testServer, until, type TestServer } from './testing/server.ts';

/** What is laid over a film: saved, taken back, delivered, and what it puts behind. */
let s: TestServer;
let made: MadeProduction;
let tall: string;
let square: string;
let short: string;
beforeAll(async () => {
  s = await testServer();
  made = await madeProduction(s);
  [tall, square, short] = made.versionIds as [string, string, string];
}, 375_000);
afterAll(() => s.stop());

const master = () => s.get(masterSchema, 'GET', `/masters/${made.masterId}`);
const put = async (dressing: Dressing, revision?: number) =>
  s.call('PUT', `/masters/${made.masterId}/dressing`, {
    revision: revision ?? (await master()).dressingRevision,
    dressing,
  });
/** A version's plan file. */
async function planFile(versionId: string): Promise<VersionPlan> {
  const read = readVersionPlan(JSON.stringify((await s.call('GET', `/versions/${versionId}/plan`)).body));
  if (!read.ok) throw new Error(read.problem.sentence);
  return read.value;
}
const title: Layer = {
  id: 'title1',
  name: 'Title',
  what: { kind: 'words', text: 'On the sea wall', style: startStyles[1]! },
  span: { from: 0, to: 20 },
  fadeIn: 0,
  fadeOut: 0,
  place: { anchor: 'bottom left', across: 0, down: 0, width: 0.9 },
  otherwise: {},
};
const words = (text: string) => ({
  id: 'english1',
  language: 'en',
  cues: [{ from: 0.1, to: 0.9, lines: [text] }],
});
/** The placement of a version asks for captions from now on. */
async function askForCaptions(versionId: string, captions: 'burned' | 'sidecar', more: object = {}) {
  const version = await s.get(versionSchema, 'GET', `/versions/${versionId}`);
  const page = await s.get(placementPageSchema, 'GET', `/spec-book/placements/${version.placementId}`);
  const newest = page.revisions.at(-1)!;
  const changed = await s.call('PUT', `/spec-book/placements/${version.placementId}`, {
    basedOn: newest.number,
    placement: { ...newest.placement, captions, ...more },
    by: 'Test',
    reason: 'captions',
  });
  expect(changed.status).toBeLessThan(300);
  const over = await s.call('POST', '/spec-book/bring-over', { versionIds: [versionId] });
  expect(over.status).toBeLessThan(300);
}
const standings = async () => Object.fromEntries((await made.versions()).map((v) => [v.id, v.standing]));
const raw = (path: string, body: Uint8Array) =>
  fetch(`${s.base}/api${path}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream' },
    body: body as BodyInit,
  });

test('a layer that changes puts exactly the versions behind that show it; taken back, nothing is behind', async () => {
  expect(
    (await put({ ...bare, layers: [{ ...title, otherwise: { [square]: { out: true } } }] })).status,
  ).toBe(200);
  await made.make();
  const others = { ...title, place: { ...title.place, anchor: 'top' as const } };
  await put({ ...bare, layers: [{ ...others, otherwise: { [square]: { out: true } } }] });
  expect(await standings()).toEqual({ [tall]: 'behind', [square]: 'passed', [short]: 'behind' });
  const [behind] = (await made.versions()).filter((v) => v.id === tall);
  expect(behind!.behind[0]).toMatch(/laid over the picture/);
  await s.call('POST', `/masters/${made.masterId}/dressing/undo`);
  expect(Object.values(await standings())).toEqual(['passed', 'passed', 'passed']);
  await s.call('POST', `/masters/${made.masterId}/dressing/redo`);
  expect((await standings())[tall]).toBe('behind');
  await s.call('POST', `/masters/${made.masterId}/dressing/undo`);
}, 500_000);

test('the second of two who change the same is told, and nothing is overwritten unseen', async () => {
  const { dressingRevision, dressing } = await master();
  expect((await put({ ...dressing, draftMark: false, layers: [title] }, dressingRevision)).status).toBe(200);
  const late = await put(bare, dressingRevision);
  expect(late.status).toBe(409);
  expect(late.body).toMatchObject({ code: 'changed-elsewhere' });
  expect((await master()).dressing.layers).toHaveLength(1);
});

test('captions go into the picture or beside the film, as each place asks, and a changed word puts just those behind', async () => {
  await put(bare);
  await askForCaptions(tall, 'burned');
  await askForCaptions(square, 'sidecar', { captionFormat: 'vtt', captionLanguage: 'en' });
  await put({ ...bare, captions: [words('We fly at eight.')] });
  const done = await made.make([tall, square]);
  const file = (of: Version[], id: string) => of.find((v) => v.id === id)!.deliverable!;
  expect([file(done, square).captionsBeside, file(done, tall).captionsBeside]).toEqual(['vtt', null]);
  const beside = await s.call('GET', `/deliverables/${file(done, square).id}/captions`);
  expect(beside.headers.get('content-disposition')).toMatch(/\.vtt"?$/);
  const text = beside.body as string;
  expect(text).toMatch(/^WEBVTT/);
  const read = readCaptions(text);
  expect(read.ok && read.value.cues).toEqual([{ from: 0.1, to: 0.9, lines: ['We fly at eight.'] }]);
  expect((await s.call('GET', `/deliverables/${file(done, tall).id}/captions`)).status).toBe(404);
  // The package holds it under the film's own name, with its sum.
  const packed = await fetch(`${s.base}/api/productions/${made.id}/package?files=${file(done, square).id}`);
  const bytes = Buffer.from(await packed.arrayBuffer());
  const name = file(done, square).fileName.replace(/\.[^.]*$/, '.vtt');
  expect(bytes.includes(`films/${name}`)).toBe(true);
  const before = await standings();
  await put({ ...bare, captions: [words('We fly at nine.')] });
  expect(await standings()).toEqual({ ...before, [tall]: 'behind', [square]: 'behind' });
}, 500_000);

test('captions make room for a face that was seen, in the versions that have them in the picture, unless it does not matter', async () => {
  await put({ ...bare, captions: [words('We fly at ten.')] });
  await made.make([tall, square]);
  const before = await standings();
  const film = await master();
  const planNow = async () => {
    const rows = await s.ws.db.select().from(deliverables).where(eq(deliverables.versionId, tall));
    return rows.sort((a, b) => b.exportNumber - a.exportNumber)[0]!.plan.captions!;
  };
  const { band } = await planNow();
  // It is in the middle of the film, behind the captions of the tall one from beginning to end.
  const [y, h] = [band.y / 160 - 0.02, 0.12];
  const place = { x: 0.4, y, w: 0.2, h, sure: 0.9 };
  const face = {
    id: 'face1',
    kind: 'face' as const,
    name: 'face',
    places: [
      { at: 0, ...place },
      { at: 24, ...place },
    ],
  };
  await writeLook(s.ws.storage, film.sha256!, {
    version: 1,
    detector: { kind: 'off' },
    shots: [{ from: 0, to: 25, camera: 'still', everythingMoves: false, tracks: [face], overlays: [] }],
  });
  await lookedAt(s.ws, made.masterId);
  expect((await master()).faces.map(({ id, keys }) => [id, keys.length])).toEqual([['face1', 2]]);
  // Beside the film nothing of it changes.
  expect(await standings()).toEqual({ ...before, [tall]: 'behind' });
  const [behind] = (await made.versions()).filter((v) => v.id === tall);
  expect(behind!.behind).toEqual(['the captions make room for what is behind them']);
  await made.make([tall]);
  const { cues, band: same } = await planNow();
  expect(same).toEqual(band);
  const apart = (top: number) => top + band.height <= y * 160 || top >= (y + h) * 160;
  expect(cues.map((cue) => cue.y !== undefined && apart(cue.y))).toEqual([true]);
  // Whoever makes the file from a plan file makes the same room.
  expect((await planFile(tall)).roomFor?.map(({ span, keys }) => [span, keys.length])).toEqual([
    [{ from: 0, to: 25 }, 2],
  ]);
  // Said not to matter, it moves nothing; the first file is right again, the second behind.
  const { revision } = await master();
  const unimportant = await s.call('PATCH', `/masters/${made.masterId}/work`, {
    revision,
    unimportant: ['face1'],
  });
  expect([unimportant.status, (await standings())[tall]]).toEqual([200, 'behind']);
  expect((await planFile(tall)).roomFor).toBeUndefined();
  await s.call('POST', `/masters/${made.masterId}/work/undo`);
}, 500_000);

test('files say that they are drafts until one is approved; the next one is clean, and only then behind', async () => {
  await put({ ...bare, draftMark: true });
  const [marked] = await made.make([short]).then((all) => all.filter((v) => v.id === short));
  expect(marked).toMatchObject({ approved: false, standing: 'passed' });
  // One that is made from its plan file is a draft as well.
  expect((await planFile(short)).layers?.map((layer) => layer.name)).toEqual(['Draft']);
  const { id, sha256, fileName } = marked!.deliverable!;
  await s.ws.db.transaction((tx) =>
    happened(tx, [
      {
        by: 'Mona',
        productionId: made.id,
        versionId: short,
        deliverableId: id,
        sha256,
        what: { kind: 'approved', file: fileName },
      },
    ]),
  );
  const after = await until(async () => {
    const version = await s.get(versionSchema, 'GET', `/versions/${short}`);
    return version.approved && version;
  });
  expect(after.standing).toBe('behind');
  expect((await planFile(short)).layers).toBeUndefined();
}, 300_000);

test('a caption file of another encoding is read with what was put right; one without captions is refused', async () => {
  const latin = Buffer.from('1\n00:00:01,000 --> 00:00:02,000\n\xc4rger \xfcber \xd6l\n', 'latin1');
  const read = captionsReadSchema.parse(await (await raw('/captions/read?name=alt.srt', latin)).json());
  expect(read.cues).toEqual([{ from: 1, to: 2, lines: ['Ärger über Öl'] }]);
  expect(read.words[0]).toMatch(/alt\.srt: its letters were read as/);
  const none = await raw('/captions/read?name=none.srt', Buffer.from('nothing'));
  expect([none.status, ((await none.json()) as { sentence: string }).sentence]).toEqual([
    422,
    'none.srt holds no captions.',
  ]);
  expect((await raw('/captions/read', Buffer.alloc(0))).status).toBe(400);
});

test('a picture is taken in once, whole, and a layer with one that is not here is refused', async () => {
  const canvas = createCanvas(60, 40);
  canvas.getContext('2d').fillRect(0, 0, 60, 40);
  const png = await canvas.encode('png');
  const what = graphicViewSchema.parse(await (await raw('/graphics?name=mark.png', png)).json());
  if (what.kind !== 'picture') throw new Error('no picture');
  const { picture } = what;
  expect(picture).toMatchObject({ name: 'mark.png', width: 60, height: 40 });
  await raw('/graphics?name=again.png', png);
  expect(await readdir(join(s.dir, 'graphics'))).toEqual([`${picture.sha256}.png`]);
  const kept = await fetch(`${s.base}/api/graphics/${picture.sha256}`);
  expect(Buffer.from(await kept.arrayBuffer())).toEqual(
    await readFile(join(s.dir, 'graphics', `${picture.sha256}.png`)),
  );
  const layer = (sha256: string): Layer => ({
    ...title,
    what: { kind: 'picture', picture: { ...picture, sha256 } },
  });
  expect((await put({ ...bare, layers: [layer(picture.sha256)] })).status).toBe(200);
  // A version's plan file carries it along.
  const plan = await planFile(square);
  expect(Object.keys(plan.pictures ?? {})).toEqual([picture.sha256]);
  expect(plan.layers).toMatchObject([{ name: 'Title', otherwise: {} }]);
  const gone = await put({ ...bare, layers: [layer('0'.repeat(64))] });
  expect(gone).toMatchObject({ status: 422, body: { sentence: 'The picture of “Title” is not here.' } });
  const other = { ...picture, sha256: '1'.repeat(64) };
  const goneInOne = await put({
    ...bare,
    layers: [{ ...layer(picture.sha256), otherwise: { [tall]: { picture: other } } }],
  });
  expect([goneInOne.status, (goneInOne.body as { code: string }).code]).toEqual([422, 'no-picture']);
  const [done] = (await made.make([square])).filter((v) => v.id === square);
  expect(done!.deliverable).not.toBeNull();
}, 300_000);

test('letters are given by name, and nothing else of this machine', async () => {
  const letters = await s.call('GET', '/letters/noto-sans-latin-600-normal.woff2');
  expect([letters.status, letters.headers.get('content-type')]).toEqual([200, 'font/woff2']);
  expect((await s.call('GET', '/letters/..%2f..%2fpackage.json')).status).toBe(404);
});

test('a typeface of one’s own: brought in, set, delivered, carried along, and offered no more', async () => {
  const bytes = await readFile(
    fontPath(fontFiles.find(({ name }) => name.startsWith('noto-serif-latin-800'))!),
  );
  expect((await raw('/typefaces?name=notes.ttf', Buffer.from('notes'))).status).toBe(422);
  const face = typefaceSchema.parse(await (await raw('/typefaces?name=House.woff2', bytes)).json());
  await raw('/typefaces?name=again.woff2', bytes);
  const listed = () => s.get(z.array(typefaceSchema), 'GET', '/typefaces');
  expect(await listed()).toEqual([face]);
  const kept = await fetch(`${s.base}/api/typefaces/${face.own}`);
  expect(Buffer.from(await kept.arrayBuffer()).equals(bytes)).toBe(true);

  const words = (own: string): Dressing => ({
    ...bare,
    layers: [
      {
        ...title,
        what: { kind: 'words', text: 'Kite', style: { ...startStyles[1]!, face: { ...face, own } } },
      },
    ],
  });
  const unknown = await put(words('f'.repeat(64)));
  expect(unknown).toMatchObject({ status: 422, body: { code: 'no-picture' } });
  expect((await put(words(face.own))).status).toBe(200);
  await made.make();
  const [first] = await made.versions();
  expect(first!.deliverable!.findings).toEqual([]);
  const plan = readVersionPlan(JSON.stringify((await s.call('GET', `/versions/${square}/plan`)).body));
  expect(plan.ok && Object.keys(plan.value.typefaces ?? {})).toEqual([face.own]);

  expect((await s.call('DELETE', `/typefaces/${face.own}`)).status).toBe(204);
  expect(await listed()).toEqual([]);
  // What is set in it stays as it is.
  expect((await put(words(face.own))).status).toBe(200);
  expect((await made.versions()).map(({ standing }) => standing)).toEqual(['passed', 'passed', 'passed']);
}, 150_000);
