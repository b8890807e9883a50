import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';
import { execa } from 'execa';
import * as z from 'zod';
import { heldFraming, layoutAt, readVersionPlan, type Framing } from '@mivvy/core';
import {
  carryAnswerSchema,
  inboxFileSchema,
  masterReadSchema,
  masterSchema,
  productionSchema,
  versionReadSchema,
  versionSchema,
  type Master,
  type Version,
} from '@mivvy/api';
import { smallFilm, testServer, until, type TestServer } from './testing/server.ts';

let s: TestServer;
/** Six shots from two cameras and a third; `grade` is another look of the same film, `trim` frames shorter in its second shot. */
async function film(
  path: string,
  options: { size?: string; rate?: number; grade?: string; trim?: number } = {},
): Promise<void> {
  const { size = '640x360', rate = 25, grade = 'null', trim = 0 } = options;
  const camera = (i: number) =>
    [
      `testsrc=s=${size}:r=${rate}`,
      `smptebars=s=${size}:r=${rate}`,
      `mandelbrot=s=${size}:r=${rate}:start_scale=1.2:end_scale=1.1`,
    ][i]!;
  const order = [0, 1, 0, 1, 2, 0];
  const seconds = order.map((_, i) => (i === 1 ? 1 - trim / 25 : 1));
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    ...order.flatMap((c, i) => ['-f', 'lavfi', '-t', String(seconds[i]), '-i', camera(c)]),
    '-filter_complex',
    `${order.map((_, i) => `[${i}:v]setsar=1,format=yuv420p[v${i}]`).join(';')};${order.map((_, i) => `[v${i}]`).join('')}concat=n=6:v=1,${grade}[v]`,
    '-map',
    '[v]',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-f',
    'mp4',
    path,
  ]);
}
const book = JSON.stringify({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'quick',
      name: 'Quick',
      placements: ['tall', 'square', 'board'].map((name, i) => ({
        id: `quick-${name}`,
        name,
        frame: { width: 180, height: [320, 180, 270][i] },
        container: 'mp4',
        video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
        audio: null,
      })),
    },
  ],
});
const detail = (id: string) => s.detail(id);
const wholeRead = (id: string) =>
  until(async () => {
    const d = await detail(id);
    return d.jobs.length === 0 && d.masters.every((m) => m.shots) && d;
  });
async function bring(productionId: string, name: string, replaces?: string): Promise<Master> {
  const inbox = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  return s.get(masterSchema, 'POST', `/productions/${productionId}/masters`, {
    inboxFile: inbox.find((f) => f.name === name)!.path,
    ...(replaces ? { replaces } : {}),
  });
}
const pose = (x: number) => ({ x, y: 0.5, zoom: 1 });
const master = { width: 640, height: 360 };
const centre = (v: Version, at: number) => {
  const w = layoutAt(v.framing, at, master, { width: 180, height: 320 }).panels[0]!.source;
  return Number(((w.x + w.width / 2) / 640).toFixed(2));
};
/** Each shot of the film held at its own place. */
const perShot: Framing = {
  version: 1,
  stretches: [0.2, 0.3, 0.4, 0.6, 0.7, 0.8].map((x, i) => ({
    from: i * 25,
    move: { kind: 'hold', pose: pose(x) },
  })),
};

let productionId: string;
let first: Master;
let versions: Version[];
beforeAll(async () => {
  s = await testServer();
  await film(join(s.dir, 'inbox', 'film.mp4'));
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: book });
  ({ id: productionId } = await s.get(productionSchema, 'POST', '/productions', { name: 'Six shots' }));
  await bring(productionId, 'film.mp4');
  first = (await wholeRead(productionId)).masters[0]!;
  versions = await s.get(z.array(versionSchema), 'POST', `/productions/${productionId}/versions`, {
    masterId: first.id,
    placementIds: ['quick-tall', 'quick-square', 'quick-board'],
  });
}, 150_000);
afterAll(() => s.stop());

const masterNow = async () => (await detail(productionId)).masters.find((m) => m.id === first.id)!;
const versionNow = async (i: number) =>
  (await detail(productionId)).versions.find((v) => v.id === versions[i]!.id)!;
const frame = async (i: number, framing: Framing) =>
  s.get(versionSchema, 'PATCH', `/versions/${versions[i]!.id}`, {
    revision: (await versionNow(i)).revision,
    framing,
  });

describe('shots and keeps', () => {
  test('cuts are found while the film is read, and shots of one camera are grouped; the same bytes are not looked at twice', async () => {
    expect(first.shots!.map((x) => `${x.from} ${x.setup}`)).toEqual([
      '0 1',
      '25 2',
      '50 1',
      '75 2',
      '100 3',
      '125 1',
    ]);
    const kept = await readdir(join(s.dir, 'analysis'));
    expect(kept.sort()).toEqual([`${first.sha256}.json`, `${first.sha256}.looks`]);
  });
  test('a still of a frame is drawn once and kept; a frame that the film does not have is said', async () => {
    const answer = await fetch(`${s.base}/api/masters/${first.id}/stills/60`);
    expect([answer.status, answer.headers.get('content-type')]).toEqual([200, 'image/jpeg']);
    expect(await readdir(join(s.dir, 'stills', first.id))).toEqual(
      expect.arrayContaining(['1-12.jpg', '1-60.jpg']),
    ); // the first one was drawn ahead, for its shot
    const large = await fetch(`${s.base}/api/masters/${first.id}/stills/60?size=large`);
    expect((await large.arrayBuffer()).byteLength).toBeGreaterThan((await answer.arrayBuffer()).byteLength);
    expect(await readdir(join(s.dir, 'stills', first.id))).toContain('1-60-large.jpg');
    expect((await s.call('GET', `/masters/${first.id}/stills/9000`)).status).toBe(404);
    expect((await s.call('GET', `/masters/${first.id}/stills/x`)).status).toBe(404);
  });
  test('shots and keeps are changed by who knows the newest revision; every change can be taken back and done again', async () => {
    const m = await masterNow();
    const keep = {
      id: 'k1',
      name: 'Face',
      kind: 'face',
      span: { from: 100, to: 9000 },
      keys: [{ at: 100, x: 0.1, y: 0.1, width: 0.2, height: 0.2 }],
    };
    const changed = await s.get(masterSchema, 'PATCH', `/masters/${m.id}/work`, {
      revision: m.revision,
      shots: m.shots!.slice(0, 5),
      keeps: [keep],
    });
    expect(changed.shots).toHaveLength(5);
    expect(changed.keeps[0]!.span).toEqual({ from: 100, to: 150 }); // longer than the film: ends with it
    expect(await s.call('PATCH', `/masters/${m.id}/work`, { revision: m.revision, keeps: [] })).toMatchObject(
      { status: 409, body: { code: 'changed-elsewhere' } },
    );
    expect((await s.get(masterSchema, 'POST', `/masters/${m.id}/undo`)).shots).toHaveLength(6);
    const again = await s.get(masterSchema, 'POST', `/masters/${m.id}/redo`);
    expect([again.shots!.length, again.keeps.length, again.can]).toEqual([5, 1, { undo: true, redo: false }]);
    await s.get(masterSchema, 'POST', `/masters/${m.id}/undo`);
  });
  test.each([
    [
      'a keep outside the picture',
      {
        keeps: [
          {
            id: 'k',
            name: 'x',
            kind: 'face',
            span: { from: 0, to: 5 },
            keys: [{ at: 0, x: 0.95, y: 0, width: 0.2, height: 0.2 }],
          },
        ],
      },
      /inside the picture/,
    ],
    [
      'a keep that starts after the film',
      {
        keeps: [
          {
            id: 'k',
            name: 'x',
            kind: 'face',
            span: { from: 900, to: 950 },
            keys: [{ at: 900, x: 0, y: 0, width: 0.2, height: 0.2 }],
          },
        ],
      },
      /after the film has ended/,
    ],
    [
      'a shot after the film',
      {
        shots: [
          { from: 0, setup: '1' },
          { from: 900, setup: '1' },
        ],
      },
      /film ends at frame 149/,
    ],
    [
      'shots out of order',
      {
        shots: [
          { from: 0, setup: '1' },
          { from: 50, setup: '1' },
          { from: 20, setup: '1' },
        ],
      },
      /in order/,
    ],
  ])('%s is refused in words', async (_what, change, words) => {
    const answer = await s.call('PATCH', `/masters/${first.id}/work`, {
      revision: (await masterNow()).revision,
      ...change,
    });
    expect(answer.status).toBe(400);
    expect((answer.body as { sentence: string }).sentence).toMatch(words);
  });
  test('an edit list is read, grouped by camera, and what does not fit is said; one of another rate changes nothing', async () => {
    const edl = (second: string) =>
      `TITLE: X\n001 A V C 00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00\n002 B V C 00:00:00:00 00:00:01:00 01:00:02:00 ${second}\n`;
    const { master: cut, words } = await s.get(masterReadSchema, 'POST', `/masters/${first.id}/cut-list`, {
      fileName: 'cut.edl',
      text: edl('01:00:03:00'),
    });
    expect(cut.shots!.map((x) => x.from)).toEqual([0, 50]);
    expect(words.join(' ')).toMatch(/1 cut was read from cut.*75 frames and the film 150/);
    const refused = await s.call('POST', `/masters/${first.id}/cut-list`, {
      fileName: 'cut.edl',
      text: edl('01:00:03:29'),
    });
    expect(refused).toMatchObject({
      status: 422,
      body: { sentence: expect.stringMatching(/cut\.edl was not taken.*25 frames a second/) },
    });
    expect((await s.get(masterSchema, 'POST', `/masters/${first.id}/undo`)).shots).toHaveLength(6);
    expect(
      (await s.get(masterSchema, 'POST', `/masters/${first.id}/setups`)).shots!.map((x) => x.setup),
    ).toEqual(['1', '2', '1', '2', '3', '1']);
  });
  test('a cut that is moved takes the framing’s change along', async () => {
    await frame(0, perShot);
    const m = await masterNow();
    await s.get(masterSchema, 'PATCH', `/masters/${m.id}/work`, {
      revision: m.revision,
      shots: m.shots!.map((x) => (x.from === 50 ? { ...x, from: 55 } : x)),
      movedCut: { from: 50, to: 55 },
    });
    const v = await versionNow(0);
    expect([centre(v, 52), centre(v, 56)]).toEqual([0.3, 0.4]);
    // Taken back, it takes the change back too.
    await s.get(masterSchema, 'POST', `/masters/${m.id}/undo`);
    expect(centre(await versionNow(0), 52)).toBe(0.4);
  });
});

describe('framings', () => {
  test('changes are taken back and done again, also after a reload; a new change ends what could be done again', async () => {
    await frame(1, heldFraming(pose(0.3)));
    await frame(1, heldFraming(pose(0.6)));
    const back = await s.get(versionSchema, 'POST', `/versions/${versions[1]!.id}/undo`);
    expect(back).toMatchObject({ framing: heldFraming(pose(0.3)), can: { undo: true, redo: true } });
    expect((await s.get(versionSchema, 'POST', `/versions/${versions[1]!.id}/redo`)).framing).toEqual(
      heldFraming(pose(0.6)),
    );
    await s.get(versionSchema, 'POST', `/versions/${versions[1]!.id}/undo`);
    await frame(1, heldFraming(pose(0.9)));
    expect((await versionNow(1)).can).toEqual({ undo: true, redo: false });
  });
  test('one shot or the whole film is carried to other versions', async () => {
    await frame(0, perShot);
    await frame(2, heldFraming(pose(0.5)));
    await s.get(carryAnswerSchema, 'POST', `/productions/${productionId}/carry`, {
      fromVersionId: versions[0]!.id,
      toVersionIds: [versions[2]!.id],
      shotAt: 80,
    });
    const one = await versionNow(2);
    expect(one.framing.stretches.map((x) => (x.move.kind === 'hold' ? x.move.pose.x : null))).toEqual([
      0.5, 0.6, 0.5,
    ]);
    const { changed } = await s.get(carryAnswerSchema, 'POST', `/productions/${productionId}/carry`, {
      fromVersionId: versions[0]!.id,
      toVersionIds: versions.map((v) => v.id),
    });
    expect(changed).toBe(2);
    expect((await versionNow(1)).framing).toEqual(perShot);
  });
  test('the framing of a whole master is carried to another, with the versions that are missing there', async () => {
    await frame(0, perShot);
    await film(join(s.dir, 'inbox', 'twin.mp4'), { grade: 'eq=brightness=0.04' });
    await smallFilm(join(s.dir, 'inbox', 'other.mp4'));
    const [twin, other] = [await bring(productionId, 'twin.mp4'), await bring(productionId, 'other.mp4')];
    await wholeRead(productionId);
    const carried = await s.get(carryAnswerSchema, 'POST', `/masters/${first.id}/carry`, {
      toMasterId: twin.id,
    });
    expect(carried).toMatchObject({ changed: 3, words: [expect.stringContaining('6 of 6 shots')] });
    const made = (await detail(productionId)).versions.filter((v) => v.masterId === twin.id);
    expect(made.map((v) => v.placementId).sort()).toEqual(['quick-board', 'quick-square', 'quick-tall']);
    expect(
      [10, 35, 60, 85, 110, 135].map((at) =>
        centre(
          made.find((v) => v.placementId === 'quick-tall')!,
          at,
        ),
      ),
    ).toEqual([0.2, 0.3, 0.4, 0.6, 0.7, 0.8]);
    const none = await s.get(carryAnswerSchema, 'POST', `/masters/${first.id}/carry`, {
      toMasterId: other.id,
    });
    expect(none).toMatchObject({ changed: 0, words: [expect.stringContaining('nothing was carried')] });
    expect((await s.call('POST', `/masters/${first.id}/carry`, { toMasterId: first.id })).status).toBe(404);
    for (const m of [twin, other]) await s.call('DELETE', `/masters/${m.id}`);
  }, 150_000);
  test('a plan file leaves and comes back; a faulty one changes nothing', async () => {
    await frame(0, perShot);
    const saved = await s.call('GET', `/versions/${versions[0]!.id}/plan`);
    expect(saved.headers.get('content-disposition')).toContain('film_quick-tall.plan.json');
    const text = JSON.stringify(saved.body);
    expect(readVersionPlan(text).ok).toBe(true);
    const { version, words } = await s.get(versionReadSchema, 'POST', `/versions/${versions[1]!.id}/plan`, {
      fileName: 'a.plan.json',
      text,
    });
    expect(version.framing).toEqual(perShot);
    expect(words[0]).toContain('a.plan.json');
    // Its cut comes along: made once, and played the second time.
    const cut = {
      name: 'Short',
      kept: [
        { from: 50, to: 75 },
        { from: 0, to: 10 },
      ],
      pace: { num: 21, den: 20 },
      joinMs: 40,
    };
    for (const i of [1, 2]) {
      const read = await s.get(versionReadSchema, 'POST', `/versions/${versions[i]!.id}/plan`, {
        fileName: 'b.plan.json',
        text: JSON.stringify({ ...(JSON.parse(text) as object), cut }),
      });
      expect(read.words.at(-1)).toBe('It plays the cut “Short”.');
      const { cuts } = await masterNow();
      expect(cuts).toMatchObject([cut]);
      expect(read.version.cutId).toBe(cuts[0]!.id);
    }
    expect(await (await fetch(`${s.base}/api/versions/${versions[1]!.id}/plan`)).json()).toMatchObject({
      cut,
    });
    expect(
      await s.call('POST', `/versions/${versions[1]!.id}/plan`, {
        fileName: 'c.plan.json',
        text: JSON.stringify({
          ...(JSON.parse(text) as object),
          cut: {
            kept: [
              { from: 0, to: 9 },
              { from: 5, to: 20 },
            ],
          },
        }),
      }),
    ).toMatchObject({ status: 422, body: { sentence: expect.stringContaining('kept twice') } });
    await s.get(masterSchema, 'DELETE', `/cuts/${(await masterNow()).cuts[0]!.id}`);
    expect(
      await s.call('POST', `/versions/${versions[1]!.id}/plan`, {
        fileName: 'a.plan.json',
        text: text.replace('"version":1', '"version":9'),
      }),
    ).toMatchObject({ status: 422, body: { code: 'plan-refused' } });
  });
  test('a trouble is accepted with a reason, and that can be withdrawn', async () => {
    const mark = 'c'.repeat(64);
    const v = await s.get(versionSchema, 'POST', `/versions/${versions[0]!.id}/acceptances`, {
      mark,
      reason: 'the client likes it',
    });
    expect(v.accepted).toMatchObject([{ mark, reason: 'the client likes it' }]);
    expect(
      (await s.call('POST', `/versions/${versions[0]!.id}/acceptances`, { mark, reason: ' ' })).status,
    ).toBe(400);
    expect(
      (await s.get(versionSchema, 'POST', `/versions/${versions[0]!.id}/acceptances/withdraw`, { mark }))
        .accepted,
    ).toEqual([]);
  });
  test('guides come as PNG, SVG and numbers, for some versions or all', async () => {
    const table = String((await s.call('GET', `/masters/${first.id}/guides/guides.tsv?frame=30`)).body);
    expect(table.split('\n')).toHaveLength(5);
    expect(
      String(
        (await s.call('GET', `/masters/${first.id}/guides/guides.svg?versions=${versions[1]!.id}`)).body,
      ).match(/<rect/g),
    ).toHaveLength(2);
    const png = await fetch(`${s.base}/api/masters/${first.id}/guides/guides.png`);
    expect([
      png.headers.get('content-type'),
      Buffer.from(await png.arrayBuffer()).toString('latin1', 1, 4),
    ]).toEqual(['image/png', 'PNG']);
    expect((await s.call('GET', `/masters/${first.id}/guides/guides.exe`)).status).toBe(404);
  });
  test('the safe margin is the production’s choice', async () => {
    expect(
      await s.get(productionSchema, 'PATCH', `/productions/${productionId}`, {
        margin: { kind: 'percent', inner: 90 },
      }),
    ).toMatchObject({ margin: { kind: 'percent', inner: 90 } });
    expect(
      (await s.call('PATCH', `/productions/${productionId}`, { margin: { kind: 'percent', inner: 10 } }))
        .status,
    ).toBe(400);
  });
});

describe('a replaced master', () => {
  test('re-graded, trimmed, larger and at another rate, it keeps its framing and keeps shot by shot, and says what was done', async () => {
    await film(join(s.dir, 'inbox', 'graded.mp4'), {
      size: '1280x720',
      rate: 50,
      grade: 'eq=contrast=0.85:brightness=0.06',
      trim: 5,
    });
    await frame(0, perShot);
    const m = await masterNow();
    await s.get(masterSchema, 'PATCH', `/masters/${m.id}/work`, {
      revision: m.revision,
      keeps: [
        {
          id: 'k2',
          name: 'Sign',
          kind: 'logo',
          span: { from: 105, to: 120 },
          keys: [{ at: 105, x: 0.2, y: 0.2, width: 0.1, height: 0.1 }],
        },
      ],
    });
    // The hook from the end, half of the second shot, and the fourth to its end.
    await s.get(masterSchema, 'POST', `/masters/${m.id}/cuts`, {
      name: 'Hook first',
      kept: [
        { from: 125, to: 150 },
        { from: 25, to: 37 },
        { from: 80, to: 100 },
      ],
    });
    await bring(productionId, 'graded.mp4', first.id);
    const after = (await wholeRead(productionId)).masters.find((x) => x.id === first.id)!;
    expect(after).toMatchObject({
      id: first.id,
      name: 'film',
      fileName: 'graded.mp4',
      fileGeneration: 2,
      facts: { video: { frames: 290, rate: { num: 50, den: 1 } } },
    });
    expect(after.shots!.map((x) => x.from)).toEqual([0, 50, 90, 140, 190, 240]);
    expect(after.carried!.words.join(' ')).toMatch(
      /6 shots of 6 kept their framing.*640 × 360 and is 1280 × 720.*ran at 25 and runs at 50/,
    );
    const v = await versionNow(0);
    const centres = [10, 60, 100, 150, 200, 250].map((at) => {
      const w = layoutAt(v.framing, at, { width: 1280, height: 720 }, { width: 180, height: 320 }).panels[0]!
        .source;
      return Number(((w.x + w.width / 2) / 1280).toFixed(2));
    });
    expect(centres).toEqual([0.2, 0.3, 0.4, 0.6, 0.7, 0.8]);
    expect(after.cuts).toMatchObject([
      {
        name: 'Hook first',
        kept: [
          { from: 240, to: 290 },
          { from: 50, to: 74 },
          { from: 150, to: 190 },
        ],
        can: { undo: true },
      },
    ]);
    expect(after.keeps).toMatchObject([{ name: 'Sign', span: { from: 200, to: 230 } }]);
  }, 150_000);
  test('a file that is no film replaces nothing', async () => {
    const { writeFile } = await import('node:fs/promises');
    await writeFile(join(s.dir, 'inbox', 'letter.mp4'), 'Dear client');
    const inbox = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
    const answer = await s.call('POST', `/productions/${productionId}/masters`, {
      inboxFile: inbox.find((f) => f.name === 'letter.mp4')!.path,
      replaces: first.id,
    });
    expect(answer).toMatchObject({
      status: 422,
      body: { sentence: expect.stringContaining('“film” was not replaced.') },
    });
    expect((await masterNow()).fileName).toBe('graded.mp4');
  });
});
