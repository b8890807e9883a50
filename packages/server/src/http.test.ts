import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readdir, utimes, writeFile } from 'node:fs/promises';
import { request } from 'node:http';
import { join } from 'node:path';
import * as z from 'zod';
import { heldFraming } from '@mivvy/core';
import { masterSchema, problemSchema, productionSchema, versionSchema, type Master } from '@mivvy/api';
import { sweepUploads } from './files/put-right.ts';
import { quickBook, smallFilm, testServer, until, type TestServer } from './testing/server.ts';

// What the door lets in, and in which words it does not.

let s: TestServer;
let production: string;
let master: Master;
beforeAll(async () => {
  s = await testServer();
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  await smallFilm(join(s.dir, 'inbox', 'film.mp4'), 2);
  production = (await s.get(productionSchema, 'POST', '/productions', { name: 'Door', client: '' })).id;
  master = await s.get(masterSchema, 'POST', `/productions/${production}/masters`, {
    inboxFile: 'inbox/film.mp4',
  });
  await until(async () => (await s.detail(production)).jobs.length === 0);
});
afterAll(() => s.stop());

const problem = (answer: { body: never }) => problemSchema.parse(answer.body);
/** Begins an upload; `length` null leaves it to be said later. */
const begin = (filename: string, length: number | null, to = production, server = s) =>
  fetch(`${server.base}/api/uploads`, {
    method: 'POST',
    headers: {
      'Tus-Resumable': '1.0.0',
      ...(length === null ? { 'Upload-Defer-Length': '1' } : { 'Upload-Length': String(length) }),
      'Upload-Metadata': Object.entries({ filename, productionId: to })
        .map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`)
        .join(','),
    },
  });

describe('uploads', () => {
  test('one whose length is left open is refused: the disk could not be asked', async () => {
    const answer = await begin('film.mp4', null);
    expect([answer.status, problemSchema.parse(await answer.json()).code]).toEqual([400, 'bad-request']);
  });
  test('one of no bytes is answered as the API answers', async () => {
    const answer = await begin('film.mp4', 0);
    expect([answer.status, problemSchema.parse(await answer.json()).code]).toEqual([422, 'empty-file']);
  });
  test('an unknown one is answered as the API answers', async () => {
    const answer = await fetch(`${s.base}/api/uploads/nothere`, {
      method: 'PATCH',
      headers: {
        'Tus-Resumable': '1.0.0',
        'Upload-Offset': '0',
        'Content-Type': 'application/offset+octet-stream',
      },
      body: 'x',
    });
    expect([answer.status, problemSchema.parse(await answer.json()).code]).toEqual([404, 'not-found']);
  });
  test.each(['film\u0007.mp4', '\u200b\u2060', `${'x'.repeat(256)}.mp4`])(
    'a name that cannot be used is refused: %j',
    async (name) => {
      const answer = await begin(name, 100);
      expect([answer.status, problemSchema.parse(await answer.json()).code]).toEqual([400, 'bad-request']);
    },
  );
  test('no other origin is given leave to read an answer', async () => {
    for (const answer of [
      await begin('film.mp4', 100),
      await fetch(`${s.base}/api/uploads`, { method: 'OPTIONS' }),
    ])
      expect(answer.headers.get('access-control-allow-origin')).toBeNull();
  });
  test('the room of films that are on their way is not given away twice', async () => {
    const tight = await testServer({ freeBytes: async () => 1_000_000_000 });
    const { id } = await tight.get(productionSchema, 'POST', '/productions', { name: 'Tight', client: '' });
    expect((await begin('one.mp4', 600_000_000, id, tight)).status).toBe(201);
    const second = await begin('two.mp4', 600_000_000, id, tight);
    expect([second.status, problemSchema.parse(await second.json()).sentence]).toEqual([
      507,
      'The film is 600 MB and the disk has 1.00 GB free (600 MB of it for other films on their way).',
    ]);
    await tight.stop();
  });
  test('those that were given up, and those of a production that is removed, go', async () => {
    const uploads = () => readdir(join(s.dir, 'uploads'));
    const { id } = await s.get(productionSchema, 'POST', '/productions', { name: 'Short', client: '' });
    await begin('stays.mp4', 1000);
    await begin('goes.mp4', 1000, id);
    const before = (await uploads()).length;
    await s.call('DELETE', `/productions/${id}`);
    expect((await uploads()).length).toBe(before - 2);
    const week = (Date.now() - 8 * 24 * 3600 * 1000) / 1000;
    const note = (await uploads()).find((name) => name.endsWith('.json'))!;
    await writeFile(
      join(s.dir, 'uploads', note),
      JSON.stringify({
        id: note.replace('.json', ''),
        size: 1000,
        metadata: { productionId: production },
        creation_date: new Date(week * 1000).toISOString(),
      }),
    );
    await utimes(join(s.dir, 'uploads', note), week, week);
    await sweepUploads(s.ws);
    expect(await uploads()).not.toContain(note);
  });
});

describe('answers', () => {
  test('a range that cannot be met is 416 with the length (RFC 9110, section 14.4)', async () => {
    const answer = await fetch(`${s.base}/api/masters/${master.id}/media`, {
      headers: { Range: 'bytes=999999999-' },
    });
    expect([answer.status, answer.headers.get('content-range')]).toEqual([416, `bytes */${master.bytes}`]);
  });
  test('an unknown name of an edit list is a plain 404', async () => {
    const [version] = await s.get(z.array(versionSchema), 'POST', `/productions/${production}/versions`, {
      masterId: master.id,
      placementIds: ['quick-tall'],
    });
    const answer = await s.call('GET', `/versions/${version!.id}/cut-list/secret.doc`);
    expect([answer.status, answer.headers.get('content-disposition')]).toEqual([404, null]);
  });
  test.each(['a\u0000b', 'line\nbreak', '\u200b', '\u2060\u200f', 'x'.repeat(121)])(
    'a name that nobody can read is refused: %j',
    async (name) => {
      expect((await s.call('POST', '/productions', { name })).status).toBe(400);
    },
  );
  test('length is counted as it is stated: 120 characters, whatever they take', async () => {
    expect((await s.call('POST', '/productions', { name: '🎬'.repeat(120) })).status).toBe(200);
  });
  test('a page of another site cannot make a browser send a form here; a link may be followed', async () => {
    const headers = { 'Sec-Fetch-Site': 'cross-site', 'Sec-Fetch-Mode': 'navigate' };
    // Fetch does not let its caller set these; a browser does.
    const ask = (method: string, path: string) =>
      new Promise<number>((resolve, reject) => {
        request(`${s.base}/api${path}`, { method, headers }, (answer) => {
          answer.resume();
          resolve(answer.statusCode ?? 0);
        })
          .on('error', reject)
          .end();
      });
    expect([await ask('POST', '/productions'), await ask('GET', '/health')]).toEqual([403, 200]);
  });
});

describe('limits that a person never meets', () => {
  test('an edit list of 320,000 events is refused with a sentence', async () => {
    const time = (frame: number) =>
      [Math.floor(frame / 90000), Math.floor(frame / 1500) % 60, Math.floor(frame / 25) % 60, frame % 25]
        .map((n) => String(n).padStart(2, '0'))
        .join(':');
    // Making the list takes so long that an idle connection would be closed under it.
    const lines = Array.from(
      { length: 320_000 },
      (_, i) =>
        `${String((i % 999) + 1).padStart(3, '0')}  AX V C ${time(i)} ${time(i + 1)} ${time(i)} ${time(i + 1)}`,
    );
    const text = lines.join('\n');
    expect(text.length).toBeGreaterThan(19_000_000);
    await new Promise((resolve) => setTimeout(resolve, 100));
    const [shots, cut] = [
      await s.call('POST', `/masters/${master.id}/cut-list`, { fileName: 'long.edl', text }),
      await s.call('POST', `/masters/${master.id}/cuts/read`, { fileName: 'long.edl', text }),
    ];
    for (const answer of [shots, cut])
      expect([answer.status, problem(answer).code]).toEqual([422, 'edl-long']);
  });
  test('keeps of more points than anybody draws are refused with a sentence', async () => {
    const keep = (n: number, points: number) => ({
      id: `k${n}`,
      name: `Keep ${n}`,
      kind: 'title',
      span: { from: 0, to: 50 },
      keys: Array.from({ length: points }, (_, i) => ({ at: i, x: 0.1, y: 0.1, width: 0.2, height: 0.2 })),
    });
    const { revision } = (await s.detail(production)).masters[0]!;
    const one = await s.call('PATCH', `/masters/${master.id}/work`, { revision, keeps: [keep(1, 5000)] });
    expect([one.status, problem(one).sentence]).toEqual([
      400,
      expect.stringContaining('at most 2000 points'),
    ]);
    const many = await s.call('PATCH', `/masters/${master.id}/work`, {
      revision,
      keeps: Array.from({ length: 55 }, (_, n) => keep(n, 1000)),
    });
    expect([many.status, problem(many).sentence]).toEqual([
      400,
      expect.stringContaining('at most 10000 points together'),
    ]);
  });
  test('a spec book file above 20 MB is refused with that', async () => {
    const answer = await s.call('POST', '/spec-book/files', {
      fileName: 'big.specbook.json',
      text: ' '.repeat(20_000_001),
    });
    expect([answer.status, problem(answer).sentence]).toEqual([
      400,
      expect.stringContaining('larger than 20 MB'),
    ]);
  });
});

describe('what belongs together is written together', () => {
  test('framing several versions of which one was changed elsewhere meanwhile changes none', async () => {
    const versions = await s.get(z.array(versionSchema), 'POST', `/productions/${production}/versions`, {
      masterId: master.id,
      placementIds: ['quick-tall', 'quick-square'],
    });
    const from = versions.find((v) => v.placementId === 'quick-tall')!;
    const to = versions.find((v) => v.placementId === 'quick-square')!;
    const moved = await s.get(versionSchema, 'PATCH', `/versions/${from.id}`, {
      revision: from.revision,
      framing: heldFraming({ x: 0.3, y: 0.5, zoom: 1 }),
    });
    const results = await Promise.all([
      s.call('POST', `/productions/${production}/carry`, { fromVersionId: moved.id, toVersionIds: [to.id] }),
      s.call('PATCH', `/versions/${to.id}`, {
        revision: to.revision,
        framing: heldFraming({ x: 0.9, y: 0.5, zoom: 1 }),
      }),
    ]);
    // Whoever came second was refused as a whole.
    expect(results.map((r) => r.status).sort((a, b) => a - b)).toEqual([200, 409]);
  });
  test('exports of which one is refused queue none', async () => {
    const versions = await s.get(z.array(versionSchema), 'POST', `/productions/${production}/versions`, {
      masterId: master.id,
      placementIds: ['quick-tall', 'quick-short'],
    });
    const answer = await s.call('POST', `/productions/${production}/exports`, {
      versionIds: versions.map((v) => v.id),
    });
    expect([answer.status, problem(answer).code]).toEqual([409, 'refused']);
    expect((await s.detail(production)).jobs.filter((j) => j.kind === 'export')).toEqual([]);
  });
});
