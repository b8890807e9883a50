import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import * as z from 'zod';
import { heldFraming, isUntouched, planVersion, troubleMark, troublesOf } from '@mivvy/core';
import {
  inboxFileSchema,
  lookViewSchema,
  masterSchema,
  placeSetSchema,
  preferencesSchema,
  productionSchema,
  versionSchema,
  type Master,
  type Version,
} from '@mivvy/api';
import { makeFollowedFilm } from '../../media/src/testing/followed-film.ts';
import { versions } from './db/schema.ts';
import { testServer, until, type TestServer } from './testing/server.ts';

let s: TestServer;
let productionId: string;
let master: Master;
const names = ['tall', 'square', 'wide', 'board'];
const sizes = [320, 180, 100, 270];
const book = JSON.stringify({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'quick',
      name: 'Quick',
      placements: names.map((name, i) => ({
        id: `quick-${name}`,
        name,
        frame: { width: 180, height: sizes[i] },
        container: 'mp4',
        video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
        audio: null,
      })),
    },
  ],
});
const place = (name: string) => `quick-${name}`;
const detail = () => s.detail(productionId);
const add = (...placementIds: string[]) =>
  s.get(z.array(versionSchema), 'POST', `/productions/${productionId}/versions`, {
    masterId: master.id,
    placementIds,
  });
const versionOf = async (name: string) =>
  (await detail()).versions.find((v) => v.placementId === place(name))!;
const prefer = (frameOnArrival: boolean) =>
  s.get(preferencesSchema, 'PATCH', '/preferences', { frameOnArrival });
const sets = () => s.get(z.array(placeSetSchema), 'GET', '/place-sets');
const together = (path: string, body: unknown) =>
  s.get(z.array(versionSchema), 'POST', `/productions/${productionId}/${path}`, body);

beforeAll(async () => {
  s = await testServer();
  await makeFollowedFilm(join(s.dir, 'inbox', 'two.mp4'), [0, 17]);
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: book });
  ({ id: productionId } = await s.get(productionSchema, 'POST', '/productions', { name: 'Arriving' }));
  const [file] = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  await s.get(masterSchema, 'POST', `/productions/${productionId}/masters`, { inboxFile: file!.path });
  master = (
    await until(async () => {
      const d = await detail();
      return d.jobs.length === 0 && d.masters[0]!.shots !== null && d;
    })
  ).masters[0]!;
}, 225_000);
afterAll(() => s.stop());

/** Whether a version was framed when browsers were told of its film's looking last; until it is asked, that is watched. */
function framedWhenToldLast(versionId: string): () => Promise<boolean> {
  const { events, db } = s.ws;
  const { tell } = events;
  let framed = Promise.resolve(false);
  events.tell = (event) => {
    tell(event);
    if (event.kind !== 'look') return;
    framed = db
      .select()
      .from(versions)
      .where(eq(versions.id, versionId))
      .then(([row]) => !isUntouched(row!.framing));
  };
  return () => {
    events.tell = tell;
    return framed;
  };
}

describe('versions are framed when their film has been looked at', () => {
  test('untouched ones are, each by a change that can be taken back; what a hand has set is not', async () => {
    expect(await s.get(preferencesSchema, 'GET', '/preferences')).toEqual({
      frameOnArrival: true,
      exportsPaused: false,
      effort: 'usual',
      effortMeasured: null,
    });
    const [tall, square] = (await add(place('tall'), place('square'))) as [Version, Version];
    expect([tall, square].every((v) => isUntouched(v.framing))).toBe(true);
    // Moved and put back to the middle: that was a hand's doing, whatever it looks like now.
    const moved = await s.get(versionSchema, 'PATCH', `/versions/${square.id}`, {
      revision: square.revision,
      framing: heldFraming({ x: 0.2, y: 0.5, zoom: 1 }),
    });
    await s.get(versionSchema, 'POST', `/versions/${moved.id}/undo`);
    const whenToldLast = framedWhenToldLast(tall.id);
    await s.call('POST', `/masters/${master.id}/look`);
    const framed = await until(async () => {
      const v = await versionOf('tall');
      return !isUntouched(v.framing) && v;
    });
    await until(async () => (await detail()).jobs.length === 0);
    // Whoever hears that all has been seen and exports then, exports what was framed by it.
    expect(await whenToldLast()).toBe(true);
    expect(framed.framing.stretches.every((x) => x.pick)).toBe(true);
    expect(framed.can).toEqual({ undo: true, redo: false });
    expect(isUntouched((await versionOf('square')).framing)).toBe(true);
    expect(await s.get(lookViewSchema, 'GET', `/masters/${master.id}/look`)).toMatchObject({ state: 'done' });
  }, 225_000);

  test('one that is added later is framed as it is added', async () => {
    const [wide] = await add(place('wide'));
    expect(isUntouched(wide!.framing)).toBe(false);
    expect(wide!.can.undo).toBe(true);
  });

  test('one that was taken back stays in the middle when others are added', async () => {
    const wide = await versionOf('wide');
    await s.get(versionSchema, 'POST', `/versions/${wide.id}/undo`);
    await prefer(false);
    const [board] = await add(place('board'));
    expect(isUntouched(board!.framing)).toBe(true);
    await prefer(true);
    await add(place('board'));
    expect(isUntouched((await versionOf('board')).framing)).toBe(false);
    expect(isUntouched((await versionOf('wide')).framing)).toBe(true);
  });
});

describe('sets of places', () => {
  test('what was taken last comes first, and named sets are kept, changed and forgotten', async () => {
    await add(place('tall'), place('board'));
    expect(await sets()).toMatchObject([{ last: true, placementIds: [place('tall'), place('board')] }]);
    const all = await s.get(z.array(placeSetSchema), 'POST', '/place-sets', {
      name: 'Launch',
      placementIds: names.map(place),
    });
    expect(all.map((x) => x.name)).toEqual([expect.any(String), 'Launch']);
    const { id } = all[1]!;
    await s.call('PATCH', `/place-sets/${id}`, { name: 'Spring launch', placementIds: [place('wide')] });
    expect((await sets())[1]).toEqual({
      id,
      name: 'Spring launch',
      placementIds: [place('wide')],
      last: false,
    });
    expect((await s.call('POST', '/place-sets', { name: 'spring LAUNCH', placementIds: ['x'] })).status).toBe(
      409,
    );
    expect((await s.call('PATCH', '/place-sets/last', { name: 'Mine' })).status).toBe(404);
    expect((await s.call('POST', '/place-sets', { name: 'Empty', placementIds: [] })).status).toBe(400);
    expect((await s.call('DELETE', `/place-sets/${id}`)).status).toBe(204);
    expect((await s.call('DELETE', `/place-sets/${id}`)).status).toBe(404);
    expect(await sets()).toHaveLength(1);
  });
});

describe('several versions in one go', () => {
  const framing = heldFraming({ x: 0.3, y: 0.5, zoom: 1 });
  test('framings are saved together, or none is, and taken back together', async () => {
    const [tall, square] = [await versionOf('tall'), await versionOf('square')];
    const change = (v: Version, revision = v.revision) => ({ versionId: v.id, revision, framing });
    const stale = await s.call('POST', `/productions/${productionId}/framings`, {
      framings: [change(tall), change(square, square.revision - 1)],
    });
    expect(stale.status).toBe(409);
    expect((await versionOf('tall')).framing).toEqual(tall.framing);
    const saved = await together('framings', { framings: [change(tall), change(square)] });
    expect(saved.map((v) => v.framing)).toEqual([framing, framing]);
    const back = await together('framings/undo', { versionIds: [tall.id, square.id] });
    expect(back.map((v) => v.framing)).toEqual([tall.framing, square.framing]);
    const other = { framings: [{ versionId: 'nowhere1', revision: 1, framing }] };
    expect((await s.call('POST', `/productions/${productionId}/framings`, other)).status).toBe(404);
  });

  test('a keep that is cut puts versions at fault, and accepting it for all of them takes them out of it', async () => {
    await prefer(false);
    const before = (await detail()).versions;
    expect(before.map((v) => v.standing)).not.toContain('at-fault');
    await together('framings', {
      framings: before.map((v) => ({ versionId: v.id, revision: v.revision, framing: heldFraming() })),
    });
    const key = { at: 0, x: 0.02, y: 0.4, width: 0.1, height: 0.2 };
    const keeps = [{ id: 'k', name: 'logo', kind: 'logo' as const, span: { from: 0, to: 20 }, keys: [key] }];
    const { revision } = (await detail()).masters[0]!;
    master = await s.get(masterSchema, 'PATCH', `/masters/${master.id}/work`, { revision, keeps });
    const tall = await versionOf('tall');
    expect(tall.standing).toBe('at-fault');
    expect((await versionOf('wide')).standing).toBe('to-make');
    const planned = planVersion({
      facts: master.facts!,
      sha256: master.sha256,
      placement: tall.placement!,
      framing: tall.framing,
      cut: undefined,
    });
    const [fault] = troublesOf(planned, tall.placement!, { keeps, margin: { kind: 'place' } });
    const mark = troubleMark(fault!, planned.plan, keeps);
    const [accepted] = await together('acceptances', {
      reason: 'the client knows',
      troubles: [{ versionId: tall.id, mark }],
    });
    expect(accepted).toMatchObject({ standing: 'to-make', accepted: [{ mark, reason: 'the client knows' }] });
    // Exporting it was never refused.
    const queued = await s.call('POST', `/productions/${productionId}/exports`, {
      versionIds: [(await versionOf('square')).id],
    });
    expect(queued.status).toBe(200);
    await until(async () => (await detail()).jobs.length === 0);
  }, 150_000);

  test('what does not matter in a film is kept with its shots and keeps, and taken back with them', async () => {
    const { revision, unimportant } = (await detail()).masters[0]!;
    expect(unimportant).toEqual([]);
    const changed = await s.get(masterSchema, 'PATCH', `/masters/${master.id}/work`, {
      revision,
      unimportant: ['s1-1'],
    });
    expect(changed.unimportant).toEqual(['s1-1']);
    const back = await s.get(masterSchema, 'POST', `/masters/${master.id}/undo`);
    expect(back.unimportant).toEqual([]);
  });
});
