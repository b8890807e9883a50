import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { mkdir, readdir, readFile, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import * as z from 'zod';
import { heldFraming } from '@mivvy/core';
import {
  deliverableSchema,
  inboxFileSchema,
  jobSchema,
  masterSchema,
  problemSchema,
  productionSchema,
  specBookViewSchema,
  versionSchema,
  type Master,
  type Version,
} from '@mivvy/api';
import { operations } from '@mivvy/api/openapi';
import { jobs, versions } from './db/schema.ts';
import { quickBook as book, smallFilm, testServer, until, type TestServer } from './testing/server.ts';

let s: TestServer;
let inboxDir: string;
beforeAll(async () => {
  s = await testServer();
  inboxDir = join(s.dir, 'inbox');
  await smallFilm(join(inboxDir, 'my_film.mp4'));
});
afterAll(() => s.stop());

async function production(server = s) {
  return server.get(productionSchema, 'POST', '/productions', { name: 'Kite Weekend', client: 'Gullhaven' });
}
async function fromInbox(id: string, server = s): Promise<Master> {
  const [film] = await server.get(z.array(inboxFileSchema), 'GET', '/inbox');
  return server.get(masterSchema, 'POST', `/productions/${id}/masters`, { inboxFile: film!.path });
}
const detail = (id: string, server = s) => server.detail(id);
const wholeRead = (id: string, server = s) =>
  until(async () => {
    const d = await detail(id, server);
    return d.jobs.length === 0 && d.masters.every((m) => m.state === 'failed' || m.sha256) && d;
  });
async function versionOf(
  productionId: string,
  masterId: string,
  placementId = 'quick-tall',
  server = s,
): Promise<Version> {
  await server.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: book });
  return (
    await server.get(z.array(versionSchema), 'POST', `/productions/${productionId}/versions`, {
      masterId,
      placementIds: [placementId],
    })
  )[0]!;
}

/** Uploads by the tus protocol, in pieces; stops after `pieces` of them. */
async function upload(bytes: Buffer, filename: string, productionId: string, pieces = Infinity, server = s) {
  const meta = Object.entries({ filename, productionId })
    .map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`)
    .join(',');
  const created = await fetch(`${server.base}/api/uploads`, {
    method: 'POST',
    headers: { 'Tus-Resumable': '1.0.0', 'Upload-Length': String(bytes.length), 'Upload-Metadata': meta },
  });
  if (created.status !== 201) return { created, location: '', last: created };
  const location = new URL(created.headers.get('location')!, `${server.base}/api/`).href;
  const last = await send(location, bytes, 0, pieces);
  return { created, location, last };
}
async function send(location: string, bytes: Buffer, from: number, pieces = Infinity) {
  let last!: Response;
  for (let at = from, n = 0; at < bytes.length && n < pieces; n++) {
    const piece = bytes.subarray(at, at + 20_000);
    last = await fetch(location, {
      method: 'PATCH',
      headers: {
        'Tus-Resumable': '1.0.0',
        'Upload-Offset': String(at),
        'Content-Type': 'application/offset+octet-stream',
      },
      body: new Uint8Array(piece),
    });
    at += piece.length;
  }
  return last;
}

describe('bring in', () => {
  test('a film in the inbox is used where it lies, its facts known at once, then read through', async () => {
    const p = await production();
    const master = await fromInbox(p.id);
    expect(master).toMatchObject({
      name: 'my film',
      origin: 'inbox',
      state: 'ready',
      proof: { kind: 'original' },
      facts: { video: { displayed: { width: 320, height: 180 }, frames: 50 } },
    });
    const read = (await wholeRead(p.id)).masters[0]!;
    expect(read.facts).toMatchObject({
      video: { framesCounted: true },
      audio: { loudness: { integratedLufs: expect.any(Number) } },
    });
    expect(read.sha256).toBe(
      createHash('sha256')
        .update(await readFile(join(inboxDir, 'my_film.mp4')))
        .digest('hex'),
    );
    expect(read).toMatchObject({ hasPoster: true, shots: [{ from: 0, setup: '1' }], keeps: [] });
    expect(await readdir(join(s.dir, 'originals'))).toEqual([]);
    const range = await fetch(`${s.base}/api/masters/${read.id}/media`, { headers: { Range: 'bytes=4-7' } });
    expect([range.status, Buffer.from(await range.arrayBuffer()).toString()]).toEqual([206, 'ftyp']);
  });

  test('an upload in pieces, broken in the middle, goes on where it stopped', async () => {
    const p = await production();
    const bytes = await readFile(join(inboxDir, 'my_film.mp4'));
    const { location } = await upload(bytes, 'sent film.mp4', p.id, 2);
    const head = await fetch(location, { method: 'HEAD', headers: { 'Tus-Resumable': '1.0.0' } });
    expect(head.headers.get('upload-offset')).toBe('40000');
    expect((await detail(p.id)).masters).toEqual([]);
    const last = await send(location, bytes, 40_000);
    expect(last.status).toBe(200);
    const master = masterSchema.parse(await last.json());
    expect(master).toMatchObject({ name: 'sent film', origin: 'upload', state: 'ready' });
    expect((await wholeRead(p.id)).masters[0]!.sha256).toBe(createHash('sha256').update(bytes).digest('hex'));
    expect(await readdir(join(s.dir, 'uploads'))).toEqual([]);
  });

  test('a file that is no film is listed with the reason, and can be removed', async () => {
    const p = await production();
    await upload(Buffer.from('Dear client'), '../../letter.mp4', p.id);
    const [master] = (await detail(p.id)).masters;
    expect(master).toMatchObject({
      state: 'failed',
      problem: { code: 'not-a-video' },
      proof: { kind: 'none' },
    });
    expect(await readdir(join(s.dir, 'originals', master!.id))).toHaveLength(1);
    expect((await s.call('DELETE', `/masters/${master!.id}`)).status).toBe(204);
    expect(await readdir(join(s.dir, 'originals'))).not.toContain(master!.id);
  });

  test('what is not in the inbox cannot be registered', async () => {
    const p = await production();
    for (const inboxFile of ['/etc/hostname', '../../etc/passwd', 'mivvy.sqlite']) {
      expect((await s.call('POST', `/productions/${p.id}/masters`, { inboxFile })).status).toBe(404);
    }
  });

  test('a full disk refuses an upload before a byte is sent', async () => {
    const full = await testServer({ freeBytes: async () => 1_000_000 });
    const p = await production(full);
    const { created } = await upload(Buffer.alloc(50), 'film.mp4', p.id, 1, full);
    expect(created.status).toBe(507);
    expect(problemSchema.parse(await created.json()).sentence).toBe(
      'The film is 50 bytes and the disk has 1.0 MB free.',
    );
    await full.stop();
  });
});

describe('versions', () => {
  test('two browsers: the one that knows the newest revision wins, the other is told', async () => {
    const p = await production();
    const master = await fromInbox(p.id);
    const v = await versionOf(p.id, master.id);
    expect(v).toMatchObject({ tag: 'A', revision: 1, standing: 'to-make' });
    const first = await s.get(versionSchema, 'PATCH', `/versions/${v.id}`, {
      revision: 1,
      framing: heldFraming({ x: 0.3, y: 0.5, zoom: 1 }),
    });
    expect(first.revision).toBe(2);
    const second = await s.call('PATCH', `/versions/${v.id}`, {
      revision: 1,
      framing: heldFraming({ x: 0.9, y: 0.5, zoom: 1 }),
    });
    expect([second.status, problemSchema.parse(second.body).code]).toEqual([409, 'changed-elsewhere']);
    expect((await detail(p.id)).versions[0]!.framing).toEqual(first.framing);
  });
  test('a placement becomes a version once; letters tell them apart', async () => {
    const p = await production();
    const master = await fromInbox(p.id);
    await versionOf(p.id, master.id);
    await versionOf(p.id, master.id);
    await versionOf(p.id, master.id, 'quick-square');
    expect((await detail(p.id)).versions.map((v) => [v.tag, v.placementId])).toEqual([
      ['A', 'quick-tall'],
      ['B', 'quick-square'],
    ]);
  });
  test('nonsense is refused with its field', async () => {
    const p = await production();
    const master = await fromInbox(p.id);
    const v = await versionOf(p.id, master.id);
    const bad = await s.call('PATCH', `/versions/${v.id}`, {
      revision: 1,
      framing: {
        version: 1,
        stretches: [{ from: 0, move: { kind: 'hold', pose: { x: 7, y: 0, zoom: 1 } } }],
      },
    });
    expect([bad.status, problemSchema.parse(bad.body).sentence]).toEqual([
      400,
      expect.stringContaining('framing.stretches.0.move.pose.x'),
    ]);
    expect((await s.call('POST', '/productions', { name: '' })).status).toBe(400);
    expect(
      (
        await s.call('POST', `/productions/${p.id}/versions`, {
          masterId: master.id,
          placementIds: ['nowhere'],
        })
      ).status,
    ).toBe(404);
  });
});

describe('export', () => {
  test('a file is made, measured, listed and downloaded; moving the window puts it behind', async () => {
    const p = await production();
    const v = await versionOf(p.id, (await fromInbox(p.id)).id);
    const [job] = await s.get(z.array(jobSchema), 'POST', `/productions/${p.id}/exports`, {
      versionIds: [v.id],
    });
    expect(job).toMatchObject({ kind: 'export', subjectId: v.id });
    const again = await s.get(z.array(jobSchema), 'POST', `/productions/${p.id}/exports`, {
      versionIds: [v.id],
    });
    expect(again[0]!.id).toBe(job!.id);
    const done = await until(async () => {
      const d = (await detail(p.id)).versions[0]!;
      return d.deliverable ? d : false;
    });
    expect(done.standing).toBe('passed');
    const [file] = await s.get(z.array(deliverableSchema), 'GET', `/productions/${p.id}/deliverables`);
    expect(file).toMatchObject({
      fileName: 'kite-weekend_my-film_quick-tall_90x160_25fps_v1.mp4',
      passed: true,
    });
    const bytes = Buffer.from(
      await (await fetch(`${s.base}/api/deliverables/${file!.id}/file`)).arrayBuffer(),
    );
    expect([bytes.length, createHash('sha256').update(bytes).digest('hex')]).toEqual([
      file!.bytes,
      file!.sha256,
    ]);
    const page = await fetch(`${s.base}/api/deliverables/${file!.id}/report.html`);
    expect(page.headers.get('content-security-policy')).toBe("default-src 'none'; style-src 'unsafe-inline'");
    expect(await page.text()).toMatch(/All \d+ lines passed.*Quick, Tall.*beside its master “my film”/s);
    expect(await readdir(join(s.dir, 'work'))).toEqual([]);
    await s.get(versionSchema, 'PATCH', `/versions/${v.id}`, {
      revision: v.revision,
      framing: heldFraming({ x: 0.2, y: 0.5, zoom: 1 }),
    });
    expect((await detail(p.id)).versions[0]).toMatchObject({
      standing: 'behind',
      behind: [expect.stringMatching(/^the framing was moved on \d+ \w+$/)],
    });
    expect((await s.call('GET', `/jobs/${job!.id}/log`)).body).toContain('ffmpeg version');
  });

  test('a version that breaks a rule is refused with what would mend it', async () => {
    const p = await production();
    const v = await versionOf(p.id, (await fromInbox(p.id)).id, 'quick-short');
    await wholeRead(p.id);
    const refused = await s.call('POST', `/productions/${p.id}/exports`, { versionIds: [v.id] });
    expect([refused.status, problemSchema.parse(refused.body)]).toEqual([
      409,
      {
        code: 'refused',
        sentence: expect.stringContaining('at most 1 s is allowed'),
        mend: expect.stringMatching(/./),
      },
    ]);
    expect((await detail(p.id)).versions[0]!.standing).toBe('blocked');
  });

  test('stopping a job leaves nothing; it can be started again', async () => {
    const p = await production();
    const v = await versionOf(p.id, (await fromInbox(p.id)).id);
    await wholeRead(p.id);
    const [job] = await s.get(z.array(jobSchema), 'POST', `/productions/${p.id}/exports`, {
      versionIds: [v.id],
    });
    expect((await s.get(jobSchema, 'POST', `/jobs/${job!.id}/cancel`)).state).toBe('cancelled');
    expect((await s.call('POST', `/jobs/${job!.id}/cancel`)).status).toBe(409);
    await s.ws.runner.ended([job!.id]);
    expect(await readdir(s.ws.storage.work)).toEqual([]);
    expect(await readdir(join(s.ws.storage.exports, p.id)).catch(() => [])).toEqual([]);
    await s.get(jobSchema, 'POST', `/jobs/${job!.id}/retry`);
    await until(async () => (await detail(p.id)).versions[0]!.standing === 'passed');
  });

  test('want of room is foreseen and said; what was asked for last goes on by itself when there is room, after a restart, too', async () => {
    const full = await testServer({ freeBytes: async () => 900_000_000_000 });
    await smallFilm(join(full.dir, 'inbox', 'f.mp4'));
    const p = await production(full);
    const v = await versionOf(p.id, (await fromInbox(p.id, full)).id, 'quick-tall', full);
    await wholeRead(p.id, full);
    await full.stop(true);
    // Room for rows and pictures, so that the disk does not count as full.
    const tight = await testServer({ dataDir: full.dir, freeBytes: async () => 40_000_000 });
    const asked = { versionIds: [v.id] };
    const ask = async () =>
      (await tight.get(z.array(jobSchema), 'POST', `/productions/${p.id}/exports`, asked))[0]!;
    const ended = (id: string, state: string, server: TestServer) =>
      until(async () =>
        (await server.get(z.array(jobSchema), 'GET', `/productions/${p.id}/jobs`)).find(
          (j) => j.id === id && j.state === state,
        ),
      );
    const before = await ended((await ask()).id, 'failed', tight);
    const failed = await ended((await ask()).id, 'failed', tight);
    expect(failed.id).not.toBe(before.id);
    expect(failed.problem).toMatchObject({
      code: 'disk-full',
      sentence: expect.stringContaining('40.0 MB free'),
    });
    // More, and not enough for this one.
    const enough = failed.problem!.bytesNeeded!;
    expect(await tight.ws.runner.retryForRoom(enough - 1)).toBe(true);
    expect(await ended(failed.id, 'failed', tight)).toEqual(failed);
    await tight.stop(true);
    const again = await testServer({ dataDir: full.dir, freeBytes: async () => enough });
    await ended(failed.id, 'done', again);
    expect(await ended(before.id, 'failed', again)).toEqual(before);
    await again.stop();
  });
});

describe('after a crash', () => {
  test('a job whose server died is taken over; half-done work is swept away; the database is sound', async () => {
    const first = await testServer();
    await smallFilm(join(first.dir, 'inbox', 'f.mp4'));
    const p = await production(first);
    const v = await versionOf(p.id, (await fromInbox(p.id, first)).id, 'quick-tall', first);
    await wholeRead(p.id, first);
    // What a killed server leaves: a running job with a lease that runs out, and a working folder.
    const [job] = await first.ws.db
      .insert(jobs)
      .values({
        id: 'crashedjob',
        kind: 'export',
        productionId: p.id,
        subjectId: v.id,
        label: 'x',
        state: 'running',
        owner: 'dead',
        leaseUntil: Date.now() - 1,
        framing: v.framing,
        attempts: 1,
        createdAt: new Date().toISOString(),
      })
      .returning();
    await mkdir(join(first.dir, 'work', job!.id), { recursive: true });
    await writeFile(join(first.dir, 'work', job!.id, 'picture.mp4'), 'half');
    await first.stop(true);
    const second = await testServer({ dataDir: first.dir });
    const done = await until(async () =>
      (await second.get(z.array(jobSchema), 'GET', `/productions/${p.id}/jobs`)).find(
        (j) => j.id === job!.id && j.state === 'done',
      ),
    );
    expect(done.attempts).toBeGreaterThanOrEqual(2);
    expect((await detail(p.id, second)).versions[0]!.standing).toBe('passed');
    expect(await readdir(join(first.dir, 'work'))).toEqual([]);
    const sound = await second.ws.db.$client.execute('PRAGMA integrity_check');
    expect(sound.rows[0]!.integrity_check).toBe('ok');
    await second.stop();
  });
  test('a job that brought the server down three times is given up, in words', async () => {
    const p = await production();
    const v = await versionOf(p.id, (await fromInbox(p.id)).id);
    await wholeRead(p.id);
    await s.ws.db.insert(jobs).values({
      id: 'deadlyjob1',
      kind: 'export',
      productionId: p.id,
      subjectId: v.id,
      label: 'x',
      state: 'running',
      owner: 'dead',
      leaseUntil: 1,
      framing: v.framing,
      attempts: 3,
      createdAt: new Date().toISOString(),
    });
    const failed = await until(async () =>
      (await s.get(z.array(jobSchema), 'GET', `/productions/${p.id}/jobs`)).find((j) => j.state === 'failed'),
    );
    expect(failed.problem!.code).toBe('gave-up');
  });
});

describe('the door', () => {
  test.each<[string, Record<string, string>]>([
    ['a foreign Origin', { Origin: 'http://elsewhere.example' }],
    ['another port’s page', { Origin: 'http://127.0.0.1:1' }],
    ['a cross-site fetch', { 'Sec-Fetch-Site': 'cross-site', 'Sec-Fetch-Mode': 'no-cors' }],
  ])('%s is refused', async (_what, headers) => {
    expect((await s.call('POST', '/productions', { name: 'x' }, headers)).status).toBe(403);
  });
  test('a foreign Host is refused', async () => {
    const { request } = await import('node:http');
    const status = await new Promise<number>((resolve, reject) =>
      request(`${s.base}/api/health`, { headers: { Host: 'elsewhere.example' } }, (res) => {
        res.resume();
        resolve(res.statusCode ?? 0);
      })
        .on('error', reject)
        .end(),
    );
    expect(status).toBe(403);
  });
  test('our own page is let in', async () =>
    expect((await s.call('GET', '/health', undefined, { Origin: s.base })).status).toBe(200));
  test('health tells what works', async () =>
    expect((await s.call('GET', '/health')).body).toMatchObject({
      ok: true,
      ffmpeg: expect.stringContaining('ffmpeg version'),
    }));
  test('every documented operation is served, and nothing is a stack trace', async () => {
    const document = (await s.call('GET', '/openapi.json')).body as {
      paths: Record<string, Record<string, unknown>>;
    };
    for (const op of operations) {
      expect(document.paths[op.path]?.[op.method]).toBeDefined();
      if (op.path === '/api/events') continue;
      const answer = await s.call(
        op.method.toUpperCase(),
        op.path.slice(4).replaceAll(/\{id\}/g, 'nosuchthing'),
        op.body ? {} : undefined,
      );
      expect(answer.status).toBeLessThan(500);
      expect(JSON.stringify(answer.body)).not.toMatch(/There is nothing at this address|node_modules/);
    }
    expect((await s.call('GET', '/nowhere')).status).toBe(404);
    expect(
      (
        await fetch(`${s.base}/api/productions`, {
          method: 'POST',
          headers: { 'Content-Type': 'application/json' },
          body: '{',
        })
      ).status,
    ).toBe(400);
  });
  test('events are told as they happen', async () => {
    const stream = await fetch(`${s.base}/api/events`);
    const reader = stream.body!.getReader();
    await production();
    let heard = '';
    while (!heard.includes('"kind":"productions"'))
      heard += new TextDecoder().decode((await reader.read()).value);
    await reader.cancel();
    expect(heard).toMatch(/event: ?change/);
  });
});

describe('the spec book', () => {
  test('a file with a fault changes nothing and is told by its path; an id of another outlet is refused', async () => {
    const before = await s.get(specBookViewSchema, 'GET', '/spec-book');
    const odd = await s.call('POST', '/spec-book/files', {
      fileName: 'odd.specbook.json',
      text: book.replace('"width":90', '"width":91').replaceAll('quick', 'odd'),
    });
    expect([odd.status, problemSchema.parse(odd.body).sentence]).toEqual([
      422,
      expect.stringContaining('outlets.0.placements.0.frame.width: a frame side must be even'),
    ]);
    const clash = await s.call('POST', '/spec-book/files', {
      fileName: 'other.specbook.json',
      text: book.replace('"id":"quick"', '"id":"quicker"'),
    });
    expect(problemSchema.parse(clash.body).sentence).toContain('already in the book');
    expect(await s.get(specBookViewSchema, 'GET', '/spec-book')).toEqual(before);
  });
  test('a faulty file laid in the folder by hand is shown, and the rest still works', async () => {
    const other = await testServer();
    await writeFile(join(other.dir, 'specs', 'mine.specbook.json'), '{');
    await other.stop(true);
    const again = await testServer({ dataDir: other.dir });
    const view = await again.get(specBookViewSchema, 'GET', '/spec-book');
    expect(view.outlets.map((o) => o.id)).toEqual(['starter']);
    expect(view.refused).toMatchObject([{ file: 'mine.specbook.json' }]);
    await again.stop();
  });
});

test('removing a production removes what was made for it, and leaves the inbox alone', async () => {
  const p = await production();
  const v = await versionOf(p.id, (await fromInbox(p.id)).id);
  await s.get(z.array(jobSchema), 'POST', `/productions/${p.id}/exports`, { versionIds: [v.id] });
  await until(async () => (await detail(p.id)).versions[0]!.deliverable);
  expect((await s.call('DELETE', `/productions/${p.id}`)).status).toBe(204);
  expect(await s.ws.db.select().from(versions).where(eq(versions.productionId, p.id))).toEqual([]);
  expect(await s.ws.db.select().from(jobs).where(eq(jobs.productionId, p.id))).toEqual([]);
  expect(await readdir(join(s.dir, 'exports'))).not.toContain(p.id);
  expect((await stat(join(inboxDir, 'my_film.mp4'))).size).toBeGreaterThan(1000);
});
