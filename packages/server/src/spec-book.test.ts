import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import {
  bookChangeSchema,
  inboxFileSchema,
  placementPageSchema,
  problemSchema,
  productionSchema,
  masterSchema,
  specBookViewSchema,
  versionSchema,
} from '@mivvy/api';
import { readSpecBook, type Placement } from '@mivvy/core';
import * as z from 'zod';
import { SpecLibrary } from './specs.ts';
import { quickBook, smallFilm, testServer, type TestServer, until } from './testing/server.ts';

let s: TestServer;
beforeAll(async () => {
  s = await testServer();
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
});
afterAll(() => s.stop());

const page = (id: string) => s.get(placementPageSchema, 'GET', `/spec-book/placements/${id}`);
async function change(id: string, over: Partial<Placement>, rest: object = {}) {
  const { revisions } = await page(id);
  const newest = revisions.at(-1)!;
  return s.call('PUT', `/spec-book/placements/${id}`, {
    placement: { ...newest.placement, ...over },
    basedOn: newest.number,
    by: 'Ada',
    reason: 'the handbook says so',
    ...rest,
  });
}
const problem = (answer: { body: unknown }) => problemSchema.parse(answer.body);
const day = (offset: number) => {
  const at = new Date(Date.now() + offset * 86_400_000);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
};

describe('revisions', () => {
  test('a change is kept with its date, author and reason, and holds at once', async () => {
    const answer = placementPageSchema.parse((await change('quick-tall', { maxBytes: 9_000_000 })).body);
    expect(answer.revisions.map((r) => [r.number, r.by, r.reason])).toEqual([
      [1, '', 'Read from quick.specbook.json.'],
      [2, 'Ada', 'the handbook says so'],
    ]);
    expect(answer.revisions[1]).toMatchObject({ effectiveOn: day(0), placement: { maxBytes: 9_000_000 } });
    const book = await s.get(specBookViewSchema, 'GET', '/spec-book');
    const tall = book.outlets.flatMap((o) => o.placements).find((p) => p.id === 'quick-tall');
    expect(tall?.maxBytes).toBe(9_000_000);
  });

  test('two who change one placement: the second is told who did what, and nothing is lost', async () => {
    const { revisions } = await page('quick-square');
    const [basedOn, placement] = [revisions.at(-1)!.number, revisions.at(-1)!.placement];
    const put = (by: string, maxBytes: number) =>
      s.call('PUT', '/spec-book/placements/quick-square', {
        placement: { ...placement, maxBytes },
        basedOn,
        by,
        reason: '',
      });
    const answers = await Promise.all([put('Ada', 8_000_000), put('Bo', 7_000_000)]);
    expect(answers.map((a) => a.status).sort()).toEqual([200, 409]);
    const [lost, won] = answers[0].status === 409 ? ['Ada', 'Bo'] : ['Bo', 'Ada'];
    expect(problem(answers.find((a) => a.status === 409)!).sentence).toBe(
      `${won} made revision 2 of it meanwhile.`,
    );
    expect((await page('quick-square')).revisions.map((r) => r.by)).toEqual(['', won]);
    const onTop = await s.call('PUT', '/spec-book/placements/quick-square', {
      placement: { ...placement, maxBytes: 6_000_000 },
      basedOn: 2,
      by: lost,
      reason: '',
    });
    expect(onTop.status).toBe(200);
    expect((await page('quick-square')).revisions).toHaveLength(3);
  });

  test('one that is dated ahead holds from its day on; one dated before what holds is refused', async () => {
    const ahead = placementPageSchema.parse(
      (await change('quick-short', { duration: { maxSeconds: 2 } }, { effectiveOn: day(3) })).body,
    );
    expect(ahead.standing).toMatchObject({ revision: 1, newest: 2, changesOn: day(3) });
    const early = await change('quick-short', { duration: { maxSeconds: 3 } }, { effectiveOn: '2020-01-01' });
    expect([early.status, problem(early).code]).toEqual([422, 'dated-too-early']);
    // The same book, opened three days later.
    const later = await SpecLibrary.open(
      s.ws.db,
      s.ws.storage.specs,
      () => new Date(Date.now() + 3 * 86_400_000),
    );
    expect(later.revisionOf('quick-short')).toBe(2);
    expect(later.find('quick-short')?.placement.duration).toEqual({ maxSeconds: 2 });
    expect(s.ws.specs.revisionOf('quick-short')).toBe(1);
  });

  test('a day that passes while the book is open is noticed', async () => {
    let now = new Date();
    const book = await SpecLibrary.open(s.ws.db, s.ws.storage.specs, () => now);
    expect(await book.refresh()).toBe(false);
    now = new Date(Date.now() + 3 * 86_400_000);
    expect(await book.refresh()).toBe(true);
    expect(book.revisionOf('quick-short')).toBe(2);
    expect(await book.refresh()).toBe(false);
  });

  test.each<[string, Partial<Placement>, RegExp]>([
    ['nothing is different', {}, /Nothing of it is different/],
    [
      'no clear area is left',
      { blocked: [{ name: 'all', x: 0, y: 0, width: 1, height: 1 }] },
      /leave no clear area/,
    ],
    ['a size limit is too small', { maxBytes: 1000, duration: { maxSeconds: 600 } }, /cannot hold 10 min/],
  ])('refused where %s', async (_what, over, sentence) => {
    const answer = await change('quick-tall', over);
    expect(answer.status).toBe(422);
    expect(problem(answer).sentence).toMatch(sentence);
  });
  test('an odd frame is refused by its field, and an id cannot be changed', async () => {
    const odd = await change('quick-tall', { frame: { width: 91, height: 160 } });
    expect([odd.status, problem(odd).sentence]).toEqual([
      400,
      expect.stringContaining('placement.frame.width'),
    ]);
    const { revisions } = await page('quick-tall');
    const other = await s.call('PUT', '/spec-book/placements/quick-square', {
      placement: revisions.at(-1)!.placement,
      basedOn: 3,
    });
    expect(problem(other).code).toBe('id-fixed');
  });
});

describe('files', () => {
  const preview = (text: string) =>
    s.get(z.array(bookChangeSchema), 'POST', '/spec-book/files/preview', {
      fileName: 'more.specbook.json',
      text,
    });
  test('what a file would change is said before it does, placement by placement', async () => {
    const before = await s.get(specBookViewSchema, 'GET', '/spec-book');
    const file = JSON.parse(quickBook) as { outlets: { placements: Record<string, unknown>[] }[] };
    file.outlets[0]!.placements[2]!.container = 'mov';
    file.outlets[0]!.placements.push({ ...file.outlets[0]!.placements[0], id: 'quick-new', name: 'New' });
    const said = await preview(JSON.stringify(file));
    expect(said.map((c) => [c.placementId, c.kind])).toEqual([
      ['quick-tall', 'changed'],
      ['quick-square', 'changed'],
      ['quick-short', 'changed'],
      ['quick-new', 'new'],
    ]);
    expect(said[2]!.differences).toMatchObject([{ field: 'container', before: 'mp4', after: 'mov' }]);
    expect(await s.get(specBookViewSchema, 'GET', '/spec-book')).toEqual(before);
  });
  test('what is taken in and given out again is the same book', async () => {
    const answer = await fetch(`${s.base}/api/spec-book/file`);
    const text = await answer.text();
    expect(readSpecBook(text).ok).toBe(true);
    expect((await preview(text)).filter((c) => c.kind !== 'same')).toEqual([]);
  });
  test('a file from a newer release, and one that contradicts itself, change nothing', async () => {
    const before = await s.get(specBookViewSchema, 'GET', '/spec-book');
    const add = (text: string) => s.call('POST', '/spec-book/files', { fileName: 'x.specbook.json', text });
    expect((await add(quickBook.replace('"version":1', '"version":2'))).status).toBe(422);
    const covered = JSON.parse(quickBook) as { outlets: { placements: Record<string, unknown>[] }[] };
    covered.outlets[0]!.placements[1]!.blocked = [{ name: 'all', x: 0, y: 0, width: 1, height: 1 }];
    const refused = await add(JSON.stringify(covered));
    expect(problem(refused).sentence).toContain('outlets.0.placements.1.blocked: the blocked areas');
    expect(await s.get(specBookViewSchema, 'GET', '/spec-book')).toEqual(before);
  });
  test('ten thousand placements are taken, found and answered', async () => {
    const big = await testServer();
    const [one] = (JSON.parse(quickBook) as { outlets: { placements: object[] }[] }).outlets[0]!.placements;
    const outlets = Array.from({ length: 100 }, (_o, o) => ({
      id: `big-${o}`,
      name: `埠頭 ${o}`,
      placements: Array.from({ length: 100 }, (_p, p) => ({
        ...one,
        id: `big-${o}-${p}`,
        name: `Slot ${p}`,
      })),
    }));
    const text = JSON.stringify({ format: 'mivvy-spec-book', version: 1, outlets });
    expect((await big.call('POST', '/spec-book/files', { fileName: 'big.specbook.json', text })).status).toBe(
      200,
    );
    const view = await big.get(specBookViewSchema, 'GET', '/spec-book');
    expect(view.placements).toHaveLength(10_007);
    expect(view.outlets.at(-1)!.name).toBe('埠頭 99');
    await big.stop();
  }, 300_000);
});

describe('a placement', () => {
  test('is checked again today, retired, and offered again', async () => {
    expect((await page('quick-tall')).standing).toMatchObject({ checkedOn: null, stale: true });
    await s.call('POST', '/spec-book/placements/quick-tall/checked', { by: 'Ada' });
    expect(await page('quick-tall')).toMatchObject({
      checkedBy: 'Ada',
      standing: { checkedOn: day(0), stale: false },
    });
    const offered = async () =>
      (await s.get(specBookViewSchema, 'GET', '/spec-book')).outlets.flatMap((o) =>
        o.placements.map((p) => p.id),
      );
    await s.call('POST', '/spec-book/placements/quick-tall/retired', { retired: true });
    expect(await offered()).not.toContain('quick-tall');
    await s.call('POST', '/spec-book/placements/quick-tall/retired', { retired: false });
    expect(await offered()).toContain('quick-tall');
  });
  test('is added under a new outlet; its id must be free', async () => {
    const { revisions } = await page('quick-tall');
    const placement = { ...revisions[0]!.placement, id: 'pier-tall', name: 'Pier' };
    const add = () =>
      s.call('POST', '/spec-book/placements', { outlet: { id: 'pier', name: 'Pier' }, placement });
    expect((await add()).status).toBe(200);
    expect((await add()).status).toBe(409);
    await s.call('PATCH', '/spec-book/outlets/pier', { name: 'Mole' });
    const book = await s.get(specBookViewSchema, 'GET', '/spec-book');
    expect(book.allOutlets.find((o) => o.id === 'pier')?.name).toBe('Mole');
  });
  test('keeps a picture as its evidence; what is no picture is refused in words', async () => {
    const svgless = Buffer.from('not a picture at all');
    const put = (body: Uint8Array, name: string) =>
      fetch(`${s.base}/api/spec-book/placements/quick-tall/evidence?name=${name}`, {
        method: 'PUT',
        headers: { 'Content-Type': 'application/octet-stream' },
        body: new Blob([body as Uint8Array<ArrayBuffer>]),
      });
    const refused = await put(svgless, 'x.png');
    expect([refused.status, ((await refused.json()) as { sentence: string }).sentence]).toEqual([
      422,
      'That is not a picture that can be read.',
    ]);
    const png = Buffer.from(
      'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAIAAACQd1PeAAAADElEQVR4nGP4z8AAAAMBAQDJ/pLvAAAAAElFTkSuQmCC',
      'base64',
    );
    const answer = await put(png, 'phone.png');
    expect([answer.status, await answer.text()]).toEqual([200, expect.anything()]);
    expect((await page('quick-tall')).evidence).toBe('phone.png');
    const kept = await fetch(`${s.base}/api/spec-book/placements/quick-tall/evidence`);
    expect(kept.headers.get('content-type')).toBe('image/jpeg');
    expect(await readdir(s.ws.storage.work)).toEqual([]);
  });
});

test('a version keeps its revision, says what another would need, and is brought over and back', async () => {
  const own = await testServer();
  await own.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  const p = await own.get(productionSchema, 'POST', '/productions', { name: 'Kites', client: 'Harbour' });
  await smallFilm(join(own.dir, 'inbox', 'film.mp4'), 1);
  const [film] = await own.get(z.array(inboxFileSchema), 'GET', '/inbox');
  const master = await own.get(masterSchema, 'POST', `/productions/${p.id}/masters`, {
    inboxFile: film!.path,
  });
  await until(async () => (await own.get(masterSchema, 'GET', `/masters/${master.id}`)).state === 'ready');
  const [made] = await own.get(z.array(versionSchema), 'POST', `/productions/${p.id}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall'],
  });
  const version = () => own.get(versionSchema, 'GET', `/versions/${made!.id}`);
  const ownPage = () => own.get(placementPageSchema, 'GET', '/spec-book/placements/quick-tall');
  const { revisions } = await ownPage();
  await own.call('PUT', '/spec-book/placements/quick-tall', {
    placement: { ...revisions[0]!.placement, frame: { width: 100, height: 160 } },
    basedOn: 1,
  });
  expect(await version()).toMatchObject({
    placementRevision: 1,
    placement: { frame: { width: 90 } },
    newerPlace: { revision: 2, placement: { frame: { width: 100 } } },
  });
  expect((await ownPage()).versions).toMatchObject([
    { tag: 'A', placementRevision: 1, needs: 'framing', hasFile: false },
  ]);
  await own.call('POST', '/spec-book/bring-over', { versionIds: [made!.id] });
  expect(await version()).toMatchObject({
    placementRevision: 2,
    placement: { frame: { width: 100 } },
    newerPlace: null,
  });
  await own.call('POST', `/versions/${made!.id}/undo`);
  expect((await version()).placementRevision).toBe(1);
  // A retired placement's versions stay, and can be made.
  await own.call('POST', '/spec-book/placements/quick-tall/retired', { retired: true });
  expect((await version()).placement?.frame.width).toBe(90);
  await own.stop();
}, 150_000);

test('a book that was kept in files is taken into the database when it is opened, and its versions are of the first revision', async () => {
  const first = await testServer();
  await writeFile(join(first.dir, 'specs', 'quick.specbook.json'), quickBook);
  await first.stop(true);
  const again = await testServer({ dataDir: first.dir });
  expect(again.ws.specs.find('quick-tall')).toBeDefined();
  expect(await readdir(join(first.dir, 'specs'))).toEqual(['taken']);
  expect(await readFile(join(first.dir, 'specs', 'taken', 'quick.specbook.json'), 'utf8')).toBe(quickBook);
  await again.stop();
});
