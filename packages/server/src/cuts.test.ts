import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { execa } from 'execa';
import * as z from 'zod';
import { checkReportSchema } from '@mivvy/core';
import {
  filmActivitySchema,
  cutReadSchema,
  deliverableSchema,
  inboxFileSchema,
  jobSchema,
  masterSchema,
  productionSchema,
  versionSchema,
  type Master,
  type Version,
} from '@mivvy/api';
import { testServer, until, type TestServer } from './testing/server.ts';

let s: TestServer;
let productionId: string;
let master: Master;
let version: Version;
const book = JSON.stringify({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'quick',
      name: 'Quick',
      placements: [
        {
          id: 'quick-short',
          name: 'Short',
          frame: { width: 180, height: 320 },
          duration: { maxSeconds: 3 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
          audio: { codec: 'aac', kbps: 96, sampleRate: 48000, channels: 2 },
        },
      ],
    },
  ],
});
const detail = () => s.detail(productionId);
const versionNow = async () => (await detail()).versions[0]!;
const cutNow = async (i = 0) => (await detail()).masters[0]!.cuts[i]!;

beforeAll(async () => {
  s = await testServer();
  // Six seconds: a tone that is cut by a second of silence.
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=320x180:r=25:d=6',
    '-f',
    'lavfi',
    '-i',
    'sine=440:d=6:r=48000',
    '-af',
    "volume='if(between(t,2,3),0,1)':eval=frame",
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-pix_fmt',
    'yuv420p',
    '-c:a',
    'aac',
    join(s.dir, 'inbox', 'six.mp4'),
  ]);
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: book });
  ({ id: productionId } = await s.get(productionSchema, 'POST', '/productions', { name: 'Six seconds' }));
  const [file] = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  await s.get(masterSchema, 'POST', `/productions/${productionId}/masters`, { inboxFile: file!.path });
  master = (
    await until(async () => {
      const d = await detail();
      return d.jobs.length === 0 && d.masters[0]!.shots !== null && d;
    })
  ).masters[0]!;
  [version] = (await s.get(z.array(versionSchema), 'POST', `/productions/${productionId}/versions`, {
    masterId: master.id,
    placementIds: ['quick-short'],
  })) as [Version];
}, 150_000);
afterAll(() => s.stop());

describe('cuts', () => {
  test('a version over its limit is blocked; given a cut that fits, it is not; and the file is the cut', async () => {
    expect((await versionNow()).standing).toBe('blocked');
    const made = await s.get(masterSchema, 'POST', `/masters/${master.id}/cuts`, {
      name: '3 s',
      kept: [
        { from: 100, to: 140 },
        { from: 0, to: 35 },
      ],
    });
    expect(made.cuts).toMatchObject([
      {
        name: '3 s',
        kept: [
          { from: 100, to: 140 },
          { from: 0, to: 35 },
        ],
        pace: { num: 1, den: 1 },
        revision: 1,
      },
    ]);
    const plays = await s.get(versionSchema, 'PATCH', `/versions/${version.id}/cut`, {
      cutId: made.cuts[0]!.id,
    });
    expect(plays).toMatchObject({ cutId: made.cuts[0]!.id, standing: 'to-make' });
    await s.get(z.array(jobSchema), 'POST', `/productions/${productionId}/exports`, {
      versionIds: [version.id],
    });
    await until(async () => (await versionNow()).standing === 'passed');
    const [file] = await s.get(
      z.array(deliverableSchema),
      'GET',
      `/productions/${productionId}/deliverables`,
    );
    expect(
      (await s.get(checkReportSchema, 'GET', `/deliverables/${file!.id}/report`)).checks.find(
        (c) => c.name === 'Length',
      ),
    ).toMatchObject({
      measured: '75 frames, 3 s',
      ok: true,
    });
  }, 150_000);

  test('a changed cut puts its files behind, with the reason; taking it back puts them right again', async () => {
    const cut = await cutNow();
    await s.get(masterSchema, 'PATCH', `/cuts/${cut.id}`, {
      revision: cut.revision,
      kept: [{ from: 100, to: 140 }],
    });
    expect(await versionNow()).toMatchObject({ standing: 'behind', behind: ['the cut changed'] });
    await s.get(masterSchema, 'PATCH', `/cuts/${cut.id}`, {
      revision: cut.revision + 1,
      kept: [
        { from: 100, to: 140 },
        { from: 0, to: 35 },
      ],
      pace: { num: 21, den: 20 },
    });
    expect((await versionNow()).behind).toContain('the pace changed');
    for (let i = 0; i < 2; i++) await s.get(masterSchema, 'POST', `/cuts/${cut.id}/undo`);
    expect((await versionNow()).standing).toBe('passed');
    expect((await cutNow()).can).toEqual({ undo: false, redo: true });
    await s.get(masterSchema, 'POST', `/cuts/${cut.id}/redo`);
    expect((await cutNow()).kept).toEqual([{ from: 100, to: 140 }]);
    await s.get(masterSchema, 'POST', `/cuts/${cut.id}/undo`);
  });

  test('two windows on one cut: the later one is told', async () => {
    const cut = await cutNow();
    const answer = await s.call('PATCH', `/cuts/${cut.id}`, { revision: cut.revision - 1, name: 'late' });
    expect(answer.status).toBe(409);
  });

  test.each([
    ['outside the film', [{ from: 100, to: 999 }], /the film has frames 0 to 149/],
    [
      'kept twice',
      [
        { from: 0, to: 40 },
        { from: 30, to: 60 },
      ],
      /kept twice/,
    ],
  ])('spans %s are refused in a sentence', async (_what, kept, sentence) => {
    const cut = await cutNow();
    const answer = await s.call('PATCH', `/cuts/${cut.id}`, { revision: cut.revision, kept });
    expect(answer.status).toBe(422);
    expect((answer.body as { sentence: string }).sentence).toMatch(sentence);
  });
  test('an empty cut, a pace that is none, and a cut of another film', async () => {
    const cut = await cutNow();
    expect((await s.call('PATCH', `/cuts/${cut.id}`, { revision: cut.revision, kept: [] })).status).toBe(400);
    expect(
      (await s.call('PATCH', `/cuts/${cut.id}`, { revision: cut.revision, pace: { num: 3, den: 1 } })).status,
    ).toBe(400);
    expect((await s.call('PATCH', `/versions/${version.id}/cut`, { cutId: 'nowhere123' })).status).toBe(404);
  });

  test('edit lists leave and come back as the same cut', async () => {
    for (const file of ['cut.edl', 'cut.otio']) {
      const text = await (await fetch(`${s.base}/api/versions/${version.id}/cut-list/${file}`)).text();
      const read = await s.get(cutReadSchema, 'POST', `/masters/${master.id}/cuts/read`, {
        fileName: file,
        text,
      });
      expect(read.master.cuts.find((c) => c.id === read.cutId)!.kept).toEqual([
        { from: 100, to: 140 },
        { from: 0, to: 35 },
      ]);
      expect(read.words[0]).toMatch(/keeps 2 spans/);
    }
    expect(
      (await s.call('POST', `/masters/${master.id}/cuts/read`, { fileName: 'a.edl', text: 'nothing' }))
        .status,
    ).toBe(422);
    expect((await s.call('GET', `/versions/${version.id}/cut-list/cut.doc`)).status).toBe(404);
  });

  test('what is heard and seen along the film', async () => {
    // Asked for by two screens at once, it is listened to once.
    const [along, again] = await Promise.all(
      [1, 2].map(() => s.get(filmActivitySchema, 'GET', `/masters/${master.id}/along`)),
    );
    expect(again).toEqual(along);
    expect(along!.levels).toHaveLength(150);
    expect(along!.silences).toHaveLength(1);
    expect(Math.abs(along!.silences[0]!.from - 50)).toBeLessThanOrEqual(2);
    expect(Math.abs(along!.silences[0]!.to - 75)).toBeLessThanOrEqual(2);
    // A steady tone is no speech.
    expect(along!.speech).toEqual([]);
    expect(along!.shots.map((x) => x.from)).toEqual(master.shots!.map((x) => x.from));
  });

  test('removed, its versions play the full film', async () => {
    const cut = await cutNow();
    await s.get(masterSchema, 'DELETE', `/cuts/${cut.id}`);
    expect(await versionNow()).toMatchObject({ cutId: null, standing: 'blocked' });
    expect((await s.call('DELETE', `/cuts/${cut.id}`)).status).toBe(404);
  });
});
