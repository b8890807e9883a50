import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';
import { poseOfMove, shotsSchema, stretchAt, usualLively } from '@mivvy/core';
import {
  drawnSchema,
  followAnswerSchema,
  inboxFileSchema,
  lookViewSchema,
  masterSchema,
  productionSchema,
  versionSchema,
  type Master,
  type Version,
} from '@mivvy/api';
import { makeFollowedFilm } from '../../media/src/testing/followed-film.ts';
import { testServer, until, type TestServer } from './testing/server.ts';

let s: TestServer;
let productionId: string;
let master: Master;
let versions: Version[];
let known: Awaited<ReturnType<typeof makeFollowedFilm>>;
const book = JSON.stringify({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'quick',
      name: 'Quick',
      placements: ['tall', 'square'].map((name, i) => ({
        id: `quick-${name}`,
        name,
        frame: { width: 180, height: [320, 180][i] },
        container: 'mp4',
        video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
        audio: null,
      })),
    },
  ],
});
const detail = () => s.detail(productionId);
const look = () => s.get(lookViewSchema, 'GET', `/masters/${master.id}/look`);
const follow = (over: object = {}) =>
  s.get(followAnswerSchema, 'POST', `/productions/${productionId}/follow`, {
    versionIds: versions.map((v) => v.id),
    lively: usualLively,
    ...over,
  });

beforeAll(async () => {
  s = await testServer();
  known = await makeFollowedFilm(join(s.dir, 'inbox', 'two.mp4'), [0, 17]);
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: book });
  ({ id: productionId } = await s.get(productionSchema, 'POST', '/productions', { name: 'Two shots' }));
  const [file] = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  await s.get(masterSchema, 'POST', `/productions/${productionId}/masters`, { inboxFile: file!.path });
  master = (
    await until(async () => {
      const d = await detail();
      return d.jobs.length === 0 && d.masters[0]!.shots !== null && d;
    })
  ).masters[0]!;
  const shots = shotsSchema.parse([
    { from: 0, setup: '1' },
    { from: known[0]!.pictures.length, setup: '2' },
  ]);
  master = await s.get(masterSchema, 'PATCH', `/masters/${master.id}/work`, {
    revision: master.revision,
    shots,
  });
  versions = await s.get(z.array(versionSchema), 'POST', `/productions/${productionId}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall', 'quick-square'],
  });
}, 150_000);
afterAll(() => s.stop());

describe('what is seen in a master', () => {
  test('nothing is seen before it has been looked at, and following says so and has it looked at', async () => {
    expect(await look()).toMatchObject({ state: 'not-looked', looked: 0, of: 2, shots: [], drawn: [] });
    const { changed, words } = await follow();
    expect(changed).toBe(0);
    expect(words.join(' ')).toContain('it is being looked at now');
    const done = await until(async () => {
      const l = await look();
      return l.state === 'done' && l;
    });
    expect(done.shots.map((x) => x.from)).toEqual(master.shots!.map((x) => x.from));
    expect(done.shots.every((x) => x.tracks.length > 0)).toBe(true);
    expect(done.detector).toEqual({ kind: 'off' });
  }, 150_000);

  test('the same bytes are never looked at twice', async () => {
    const file = join(s.dir, 'analysis', `${master.sha256}.look.json`);
    const before = (await stat(file)).mtimeMs;
    expect(await s.get(lookViewSchema, 'POST', `/masters/${master.id}/look`)).toMatchObject({
      state: 'done',
    });
    expect((await stat(file)).mtimeMs).toBe(before);
    expect((await detail()).jobs).toEqual([]);
  });

  test('a subject drawn by hand is followed, kept, and forgotten again', async () => {
    const frame = known[0]!.pictures.length + 20;
    const t = known[1]!.truth(40)!;
    const { subject, look: seen } = await s.get(drawnSchema, 'POST', `/masters/${master.id}/subjects`, {
      frame,
      name: 'that kite',
      box: { x: t.x, y: t.y, width: t.w, height: t.h },
    });
    expect(seen.drawn).toMatchObject([{ id: subject, kind: 'drawn', name: 'that kite' }]);
    expect(seen.drawn[0]!.places[0]!.at).toBe(known[0]!.pictures.length);
    expect((await look()).drawn).toHaveLength(1);
    expect((await s.call('DELETE', `/masters/${master.id}/subjects/${subject}`)).status).toBe(204);
    expect((await look()).drawn).toEqual([]);
  }, 75_000);

  test.each([
    ['a frame behind the end', { frame: 90_000, name: 'x', box: { x: 0, y: 0, width: 0.2, height: 0.2 } }],
    ['a box of nothing', { frame: 3, name: 'x', box: { x: 0, y: 0, width: 0, height: 0.2 } }],
    ['no name', { frame: 3, name: ' ', box: { x: 0, y: 0, width: 0.1, height: 0.2 } }],
  ])('%s is refused in a sentence', async (_what, body) => {
    const answer = await s.call('POST', `/masters/${master.id}/subjects`, body);
    expect(answer.status).toBe(400);
    expect(answer.body).toMatchObject({ code: 'bad-request', sentence: expect.stringMatching(/\w{3}/) });
  });
  test('a master that is not here', async () => {
    expect((await s.call('GET', '/masters/nowhere1/look')).status).toBe(404);
    expect(
      (await s.call('POST', '/productions/nowhere1/follow', { versionIds: [versions[0]!.id], lively: 0.5 }))
        .status,
    ).toBe(404);
  });
});

describe('following', () => {
  test('all versions of a master at once: each shot has its window and its reason, and the subject is inside', async () => {
    const { changed, words } = await follow();
    expect(changed).toBe(4);
    expect(words[0]).toBe('4 shots framed by what is seen in them.');
    const [tall] = (await detail()).versions;
    const displayed = master.facts!.video.displayed;
    for (const [i, shot] of known.entries()) {
      const from = master.shots![i]!.from;
      const stretch = stretchAt(tall!.framing, from);
      expect(stretch.pick).toMatchObject({ seen: false, named: false, subject: { id: expect.any(String) } });
      for (const k of [5, 30, 55]) {
        const t = shot.truth(k * 2)!;
        const x = poseOfMove(stretch.move, k + from - stretch.from, displayed, { width: 180, height: 320 }).x;
        expect(Math.abs(x - t.x - t.w / 2)).toBeLessThan(607.5 / 1920 / 2);
      }
    }
  });
  test('it is one change that can be taken back', async () => {
    const [before] = (await detail()).versions;
    expect(before!.can.undo).toBe(true);
    const back = await s.get(versionSchema, 'POST', `/versions/${before!.id}/undo`);
    expect(back.framing.stretches).toHaveLength(1);
    const again = await s.get(versionSchema, 'POST', `/versions/${before!.id}/redo`);
    expect(again.framing).toEqual(before!.framing);
  });
  test('locked shots and shots framed by hand are left alone, unless they are asked for', async () => {
    const [tall] = (await detail()).versions;
    const [first, second] = tall!.framing.stretches;
    const framing = {
      version: 1 as const,
      stretches: [
        { ...first!, locked: true as const },
        { from: second!.from, move: { kind: 'hold' as const, pose: { x: 0.2, y: 0.5, zoom: 1 } } },
      ],
    };
    await s.get(versionSchema, 'PATCH', `/versions/${tall!.id}`, { revision: tall!.revision, framing });
    expect((await follow({ versionIds: [tall!.id] })).words[0]).toBe(
      'Nothing was framed anew; 1 shot locked; 1 shot framed by hand left alone.',
    );
    expect((await detail()).versions[0]!.framing).toEqual(framing);
    expect((await follow({ versionIds: [tall!.id], handMade: true })).changed).toBe(1);
    expect((await detail()).versions[0]!.framing.stretches[0]).toEqual(framing.stretches[0]);
  });
});
