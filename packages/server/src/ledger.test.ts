import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { addDays, differenceInCalendarDays, format, parseISO } from 'date-fns';
import { eq } from 'drizzle-orm';
import ICAL from 'ical.js';
import {
  attentionSchema,
  clearedFilesSchema,
  deliverableSchema,
  deliverableHistorySchema,
  happeningViewSchema,
  ledgerPageSchema,
  ledgerViewSchema,
  namingPreviewSchema,
  productionCardSchema,
  productionSchema,
  renamedSchema,
  versionSchema,
} from '@mivvy/api';
import { happeningWords, heldFraming } from '@mivvy/core';
import * as z from 'zod';
import { productions, versions } from './db/schema.ts';
import { happened } from './happenings.ts';
import { madeProduction, type MadeProduction } from './testing/made.ts';
import { quickBook, testServer, type TestServer } from './testing/server.ts';
import { allCells, countCells } from './views/ledger-cells.ts';

/** The ledger: where every deliverable is, how it is called, and what happened. */
let s: TestServer;
let made: MadeProduction;
beforeAll(async () => {
  s = await testServer();
  made = await madeProduction(s);
  await made.make(made.versionIds.slice(0, 2));
}, 375_000);
afterAll(() => s.stop());

const ledger = (query = '') => s.get(ledgerPageSchema, 'GET', `/ledger?${query}`);
const mona = { 'X-Who': encodeURIComponent('Mona Ærø') };

test('rows say where each deliverable is, as its own page says it', async () => {
  const page = await ledger();
  const versions = await made.versions();
  expect(page.total).toBe(3);
  for (const row of page.rows) expect(row.stage).toBe(versions.find((v) => v.id === row.versionId)!.stage);
  expect(page.counts).toEqual({ passed: 2, planned: 1 });
  expect(page.rows.find((row) => row.placement === 'Tall')).toMatchObject({
    outlet: 'Quick',
    production: 'Kite',
    client: 'Harbour Trust',
    last: { what: { kind: 'made', passed: true } },
  });
  await made.reframe(made.versionIds[2]!, 0.4);
  expect((await ledger()).counts).toEqual({ passed: 2, framed: 1 });
});

test('days and people are given to versions, found again, sorted by, and told of', async () => {
  const [tall, square] = made.versionIds;
  const path = `/productions/${made.id}/tracking`;
  await s.call('PATCH', path, { versionIds: [tall], dueOn: '2020-01-02', holder: 'Jo' }, mona);
  await s.call('PATCH', path, { versionIds: [square], dueOn: '2019-12-31' }, mona);
  await s.call('PATCH', `/productions/${made.id}`, { dueOn: '2999-01-01' });
  const page = await ledger('order=due');
  expect(page.rows.map((row) => row.dueOn)).toEqual(['2019-12-31', '2020-01-02', '2999-01-01']);
  expect((await ledger('order=due&descending=true')).rows[0]!.dueOn).toBe('2999-01-01');
  expect((await ledger('holder=Jo')).rows.map((row) => row.versionId)).toEqual([tall]);
  expect((await ledger('dueBy=2020-01-01')).rows.map((row) => row.versionId)).toEqual([square]);
  expect((await ledger('dueFrom=2020-01-02')).rows.map((row) => row.versionId)).not.toContain(square);
  const oneDay = await ledger('dueFrom=2019-12-31&dueBy=2019-12-31');
  expect(oneDay.rows.map((row) => row.versionId)).toEqual([square]);
  expect((await ledger('search=quick%20squ')).rows.map((row) => row.versionId)).toEqual([square]);
  expect((await ledger('search=100%25')).total).toBe(0);
  expect((await ledger('stages=framed')).rows).toHaveLength(1);
  expect((await ledger('from=1&count=1')).rows.map((row) => row.versionId)).toEqual([tall]);
  expect((await s.call('GET', '/ledger?order=luck')).status).toBe(400);
  expect(page.holders).toEqual(['Jo']);
  expect(await s.get(attentionSchema, 'GET', '/attention')).toMatchObject({ late: 2, soon: 0, behind: 0 });
  const history = await s.get(deliverableHistorySchema, 'GET', `/versions/${tall}/history`);
  expect(history.happenings.map((h) => [h.by, happeningWords(h.what)]).slice(0, 2)).toEqual([
    ['Mona Ærø', 'Jo has it'],
    ['Mona Ærø', 'It is due on 2 Jan 2020'],
  ]);
  // What stays as it is did not happen.
  await s.call('PATCH', path, { versionIds: [tall], holder: 'Jo' }, mona);
  const again = await s.get(deliverableHistorySchema, 'GET', `/versions/${tall}/history`);
  expect(again.happenings).toHaveLength(history.happenings.length);
});

test('what is due is read by another program’s calendar, and the table by any', async () => {
  const answer = await s.call('GET', '/due.ics');
  expect(answer.headers.get('content-type')).toMatch(/^text\/calendar/);
  const calendar = new ICAL.Component(ICAL.parse(answer.body as string) as never);
  const events = calendar.getAllSubcomponents('vevent').map((each) => new ICAL.Event(each));
  expect(events.map((event) => [event.startDate.toString(), event.startDate.isDate, event.summary])).toEqual([
    ['2019-12-31', true, 'Quick, Square · Kite'],
    ['2020-01-02', true, 'Quick, Tall · Kite'],
    ['2999-01-01', true, 'Quick, Short · Kite'],
  ]);
  await s.call('PATCH', `/productions/${made.id}/tracking`, {
    versionIds: [made.versionIds[2]],
    holder: '=SUM(1)',
  });
  const table = await s.call('GET', '/ledger.csv');
  const lines = (table.body as string).trim().split('\n');
  expect(lines).toHaveLength(4);
  expect(lines[0]).toMatch(/^production,client,master/);
  // Nobody's spreadsheet works anything out.
  expect(table.body).toContain("'=SUM(1)");
});

test('rows of one group stand together, each group is counted, and one can be looked at alone', async () => {
  const ask = (rest: string) => s.get(ledgerPageSchema, 'GET', `/ledger?${rest}`);
  const all = await ask('');
  expect(all.groups).toEqual([]);
  for (const group of ['production', 'outlet', 'holder', 'day'] as const) {
    const page = await ask(`group=${group}&order=name&descending=true`);
    const keyOf = (row: (typeof page.rows)[number]) =>
      ({
        production: row.productionId,
        outlet: row.outlet,
        // Those that have none of it are a group too.
        holder: row.holder || ' ',
        day: row.dueOn ?? ' ',
      })[group];
    const keys = page.rows.map(keyOf);
    // Each key is met in one run, in the order of the groups.
    expect(keys.filter((key, i) => key !== keys[i - 1])).toEqual(page.groups.map((each) => each.key));
    expect([page.total, page.groups.reduce((sum, each) => sum + each.count, 0)]).toEqual([
      all.total,
      all.total,
    ]);
    for (const { key, count } of page.groups) {
      const alone = await ask(`group=${group}&within=${encodeURIComponent(key)}`);
      expect([alone.total, alone.rows.every((row) => keyOf(row) === key)]).toEqual([count, true]);
      expect(alone.groups).toEqual(page.groups);
      const away = await ask(`group=${group}&order=name&descending=true&folded=${encodeURIComponent(key)}`);
      expect([away.total, away.groups]).toEqual([all.total - count, page.groups]);
      expect(away.rows).toEqual(page.rows.filter((row) => keyOf(row) !== key));
    }
    const allAway = page.groups.map(({ key }) => `folded=${encodeURIComponent(key)}`).join('&');
    expect(await ask(`group=${group}&${allAway}`)).toMatchObject({ total: 0, rows: [], groups: page.groups });
  }
  expect((await s.call('GET', '/ledger?group=colour')).status).toBe(400);
});

test('ways of looking are kept and forgotten', async () => {
  const kept = await s.get(z.array(ledgerViewSchema), 'POST', '/ledger/views', {
    name: 'Late',
    query: { search: '', stages: ['framed', 'passed'], order: 'due', descending: false },
  });
  expect(kept.map((view) => [view.name, view.query.stages])).toEqual([['Late', ['framed', 'passed']]]);
  expect((await s.call('DELETE', `/ledger/views/${kept[0]!.id}`)).status).toBe(204);
  expect(await s.get(z.array(ledgerViewSchema), 'GET', '/ledger/views')).toEqual([]);
});

test('a pattern is shown for every version before it holds; renaming is a fact, and redoes nothing', async () => {
  const preview = (pattern: string) =>
    s.get(namingPreviewSchema, 'POST', `/productions/${made.id}/naming/preview`, { pattern });
  const alike = await preview('CLIENT-final');
  expect(alike.names.map((name) => name.fileName)).toEqual(Array(3).fill('harbour-trust-final.mp4'));
  expect(alike.names[0]!.troubles.join()).toMatch(/^3 versions would be called so/);
  const good = await preview('OUTLET.PLACEMENT-SHAPE_MAKING');
  expect(good.names.map((name) => [name.fileName, name.troubles])).toEqual([
    ['quick.quick-tall-9x16_v2.mp4', []],
    ['quick.quick-square-1x1_v2.mp4', []],
    ['quick.quick-short-1x1_v1.mp4', []],
  ]);
  expect(good.toRename).toBe(2);
  const before = (await made.versions()).map((v) => v.deliverable?.fileName);
  await s.call('PATCH', `/productions/${made.id}`, { naming: 'CLIENT-final' });
  expect(await s.get(renamedSchema, 'POST', `/productions/${made.id}/naming/rename`)).toEqual({ renamed: 2 });
  const after = await made.versions();
  // Two of one name are told apart; the files are what they were, and nothing is behind.
  expect(after.flatMap((v) => v.deliverable?.fileName ?? []).sort()).toEqual([
    'harbour-trust-final.mp4',
    'harbour-trust-final_2.mp4',
  ]);
  expect(after.map((v) => v.stage)).toEqual(['passed', 'passed', 'framed']);
  const file = await fetch(`${s.base}/api/deliverables/${after[0]!.deliverable!.id}/file`);
  expect([file.status, file.headers.get('content-disposition')]).toEqual([
    200,
    `attachment; filename=${after[0]!.deliverable!.fileName}`,
  ]);
  await file.body?.cancel();
  const told = await s.get(z.array(happeningViewSchema), 'GET', `/productions/${made.id}/happenings`);
  expect(told.flatMap((h) => (h.what.kind === 'renamed' ? [h.what.before] : [])).sort()).toEqual(
    before.filter(Boolean).sort(),
  );
});

test('who framed a version last is kept with it, told to whoever comes too late, and named where its file is behind', async () => {
  const [first] = await made.versions();
  const frame = (revision: number, x: number, who?: Record<string, string>) =>
    s.call(
      'PATCH',
      `/versions/${first!.id}`,
      { revision, framing: heldFraming({ x, y: 0.5, zoom: 1 }) },
      who,
    );
  await frame(first!.revision, 0.31, mona);
  const framed = (await made.versions())[0]!;
  expect([framed.framedBy, framed.framedAt]).toEqual(['Mona Ærø', framed.updatedAt]);
  expect(framed.behind).toEqual([expect.stringMatching(/^the framing .* on \d+ \w+ by Mona Ærø$/)]);
  const late = await frame(first!.revision, 0.32);
  expect([late.status, (late.body as { sentence: string }).sentence]).toEqual([
    409,
    'This version was changed by Mona Ærø meanwhile.',
  ]);
  // Whoever takes it back has framed it last.
  await s.call('POST', `/versions/${first!.id}/undo`, undefined, { 'X-Who': 'Jo' });
  const back = (await made.versions())[0]!;
  expect([back.framedBy, back.standing]).toEqual(['Jo', first!.standing]);
});

test('an earlier file’s framing is put back, and that file is what it should be again', async () => {
  const [id] = made.versionIds;
  const first = (await made.versions())[0]!.deliverable!;
  await made.reframe(id!, 0.3);
  const behind = (await made.versions())[0]!;
  expect([behind.stage, behind.behind]).toEqual([
    'behind',
    [expect.stringMatching(/^the framing was moved on/)],
  ]);
  const back = await s.get(versionSchema, 'POST', `/deliverables/${first.id}/restore`);
  expect(back.stage).toBe('passed');
  expect((await s.call('POST', `/versions/${id}/undo`)).status).toBe(200);
  expect((await made.versions())[0]!.stage).toBe('behind');
  await s.get(versionSchema, 'POST', `/deliverables/${first.id}/restore`);
});

test('older files are cleared by a rule: never the newest, never what was approved; their evidence stays', async () => {
  const [id] = made.versionIds;
  for (const x of [0.31, 0.32, 0.33]) {
    await made.reframe(id!, x);
    await made.make([id!]);
  }
  const all = await s.get(z.array(deliverableSchema), 'GET', `/productions/${made.id}/deliverables`);
  const own = all.filter((d) => d.versionId === id).sort((a, b) => a.exportNumber - b.exportNumber);
  await s.ws.db.transaction((tx) =>
    happened(tx, [
      {
        by: 'Ines',
        productionId: made.id,
        versionId: id!,
        deliverableId: own[0]!.id,
        sha256: own[0]!.sha256,
        what: { kind: 'approved', file: own[0]!.fileName },
      },
    ]),
  );
  const clear = (onlyTell: boolean) =>
    s.get(clearedFilesSchema, 'POST', `/productions/${made.id}/clear`, { keep: 2, onlyTell });
  const told = await clear(true);
  expect(told.files.map((file) => file.id)).toEqual([own[1]!.id]);
  const there = () => fetch(`${s.base}/api/deliverables/${own[1]!.id}/file`, { method: 'HEAD' });
  expect((await there()).status).toBe(200);
  expect(await clear(false)).toEqual(told);
  expect((await there()).status).toBe(409);
  const after = await s.get(z.array(deliverableSchema), 'GET', `/productions/${made.id}/deliverables`);
  expect(after.find((d) => d.id === own[1]!.id)).toMatchObject({
    sha256: own[1]!.sha256,
    onDisk: { code: 'cleared' },
  });
  expect((await s.call('GET', `/deliverables/${own[1]!.id}/report`)).status).toBe(200);
  expect(
    after
      .filter((d) => d.onDisk === null && d.versionId === id)
      .map((d) => d.exportNumber)
      .sort(),
  ).toEqual([1, 3, 4]);
  expect((await clear(false)).files).toEqual([]);
}, 150_000);

test('a production is started like another, its days moved with the delivery', async () => {
  const copy = await s.get(productionSchema, 'POST', `/productions/${made.id}/copy`, {
    name: 'Kite, next year',
    dueOn: '2999-01-11',
  });
  expect(copy).toMatchObject({ client: 'Harbour Trust', naming: 'CLIENT-final', dueOn: '2999-01-11' });
  const cards = await s.get(z.array(productionCardSchema), 'GET', '/productions');
  expect(cards.find((card) => card.id === made.id)!.stages).toEqual({ passed: 2, framed: 1 });
  // A day of its own keeps its distance to the delivery, and is given when the version is added.
  const [row] = await s.ws.db.select().from(productions).where(eq(productions.id, copy.id));
  const distance = differenceInCalendarDays(parseISO('2999-01-11'), parseISO('2999-01-01'));
  expect(row!.expects[0]).toEqual({
    placementId: 'quick-tall',
    holder: 'Jo',
    dueOn: format(addDays(parseISO('2020-01-02'), distance), 'yyyy-MM-dd'),
  });
});

test('a search finds each word in all that is told, in any case and script, after each change', async () => {
  const [tall, square, third] = made.versionIds;
  const foundBy = async (typed: string) => {
    const page = await ledger(`search=${encodeURIComponent(typed)}&order=name`);
    expect(page.total).toBe(page.rows.length);
    expect(Object.values(page.counts).reduce((sum, n) => sum + n, 0)).toBe(page.total);
    return page.rows.map((row) => row.versionId).sort();
  };
  const everything = [...made.versionIds].sort();
  const fileName = (await ledger('holder=Jo')).rows[0]!.fileName!;
  await s.call('PATCH', `/productions/${made.id}`, { name: 'Été 京都', client: 'Ærø 100%_' });
  const told: [string, string[]][] = [
    ['', everything],
    // The accent by itself, as some keyboards and file systems write it.
    ['E\u0301TÉ', everything],
    ['京都 æRØ', everything],
    ['100%_', everything],
    ['100%0', []],
    ['Kite', []],
    ['QUICK', everything],
    ['quick-TALL', [tall!]],
    [fileName, [tall!]],
    ['jo', [tall!]],
    ['quick squ', [square!]],
    // Of three, one is not found.
    ['passed.mp4', []],
    ['.mp4', [square!, tall!].sort()],
    ['.mp4 京', [square!, tall!].sort()],
  ];
  for (const [typed, found] of told) expect([typed, await foundBy(typed)]).toEqual([typed, found]);
  await s.call('PATCH', `/productions/${made.id}/tracking`, { versionIds: [third], holder: 'Ümit' });
  expect(await foundBy('üMIT')).toEqual([third]);
  await s.call('PATCH', `/productions/${made.id}/tracking`, { versionIds: [third], holder: '' });
  expect(await foundBy('üMIT')).toEqual([]);
  await s.call('PATCH', `/productions/${made.id}`, { name: 'Kite', client: 'Harbour Trust' });
  expect(await foundBy('京都')).toEqual([]);
  expect(await foundBy('kite')).toEqual(everything);
});

test('what was counted holds through every change, though only what has changed is counted again', async () => {
  const [tall] = made.versionIds;
  const versionIds = [tall];
  const other = await s.get(productionSchema, 'POST', '/productions', { name: 'Gull', client: '' });
  const renamedBook = quickBook.replace('"name":"Quick"', '"name":"Quicker"');
  const apart = heldFraming({ x: 0.3, y: 0.5, zoom: 1 });
  const changes: (() => Promise<unknown>)[] = [
    () => s.call('PATCH', `/productions/${made.id}/tracking`, { versionIds, holder: 'Ida' }),
    () => s.call('PATCH', `/productions/${made.id}`, { name: 'Kite again', dueOn: '2027-03-01' }),
    () => s.call('PATCH', `/productions/${made.id}/tracking`, { versionIds, dueOn: '2027-02-01' }),
    // By its row alone, so that nobody has settled where it stands.
    () => s.ws.db.update(versions).set({ framing: apart }).where(eq(versions.id, tall!)),
    () => s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: renamedBook }),
    () => s.call('DELETE', `/productions/${other.id}`),
  ];
  const inOrder = (cells: Awaited<ReturnType<typeof allCells>>) =>
    cells.map((cell) => JSON.stringify(Object.entries(cell).sort())).sort();
  for (const change of changes) {
    const before = inOrder(await allCells(s.ws));
    await change();
    // Counted before it is settled where versions stand, which asking for a page does.
    await allCells(s.ws);
    const { total } = await ledger();
    const now = inOrder(await allCells(s.ws));
    expect(now).toEqual(inOrder(await countCells(s.ws)));
    expect(total).toBe((await allCells(s.ws)).reduce((sum, { count }) => sum + count, 0));
    if (change !== changes.at(-1)) expect(now).not.toEqual(before);
  }
});
