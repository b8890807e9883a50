import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { copyFile, readdir, readFile, rename, rm, stat, utimes, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import * as z from 'zod';
import { checkReportSchema, nameKey } from '@mivvy/core';
import {
  deliverableSchema,
  jobSchema,
  masterSchema,
  problemSchema,
  productionSchema,
  versionSchema,
  type Deliverable,
} from '@mivvy/api';
import { deliverables, masters } from '../db/schema.ts';
import { faultsOf } from '../testing/process.ts';
import { quickBook, smallFilm, testServer, until, type TestServer } from '../testing/server.ts';

// Files that are called alike, and files that are changed, swapped and removed behind the server's back.

let s: TestServer;
let inbox: string;
beforeAll(async () => {
  s = await testServer();
  inbox = join(s.dir, 'inbox');
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
});
afterAll(() => s.stop());

const detail = (id: string) => s.detail(id);
const quiet = (id: string) =>
  until(async () => {
    const d = await detail(id);
    return d.jobs.length === 0 && d;
  });
const production = () =>
  s.get(productionSchema, 'POST', '/productions', { name: 'Kite Weekend', client: '' });

/** Brings a film in under a name, reads it, and makes a file of it. */
async function make(
  productionId: string,
  name: string,
  seconds: number,
): Promise<{ masterId: string; versionId: string; file: Deliverable }> {
  await smallFilm(join(inbox, name), seconds);
  const master = await s.get(masterSchema, 'POST', `/productions/${productionId}/masters`, {
    inboxFile: join('inbox', name),
  });
  await quiet(productionId);
  const [version] = await s.get(z.array(versionSchema), 'POST', `/productions/${productionId}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall'],
  });
  await exportIt(productionId, version!.id);
  const made = (await detail(productionId)).versions.find((v) => v.id === version!.id)!;
  expect(made.standing).toBe('passed');
  return { masterId: master.id, versionId: version!.id, file: made.deliverable! };
}
async function exportIt(productionId: string, versionId: string) {
  await s.get(z.array(jobSchema), 'POST', `/productions/${productionId}/exports`, {
    versionIds: [versionId],
  });
  return quiet(productionId);
}
const download = async (id: string) => {
  const answer = await fetch(`${s.base}/api/deliverables/${id}/file`);
  return {
    status: answer.status,
    bytes: Buffer.from(await answer.arrayBuffer()),
    disposition: answer.headers.get('content-disposition'),
  };
};
const pathOf = async (id: string) =>
  join(s.dir, (await s.ws.db.select().from(deliverables).where(eq(deliverables.id, id)))[0]!.path);
const standing = async (productionId: string, versionId: string) =>
  (await detail(productionId)).versions.find((v) => v.id === versionId)!.standing;

describe('films that are called alike', () => {
  test.each<[string, [string, string]]>([
    ['in other scripts', ['東京の夏.mp4', '大阪の冬.mp4']],
    ['but for their ending', ['teaser.mov', 'teaser.mp4']],
    ['but for their case and signs', ['Teaser!.mp4', 'tEASER.mp4']],
    ['but for the form of their letters', ['Café.mp4', 'Cafe\u0301.mp4']],
    ['by signs alone', ['🎬.mp4', '🎥.mp4']],
  ])(
    '%s: each has its own file under a name of its own, and removing one leaves the other',
    async (_what, names) => {
      const { id } = await production();
      const first = await make(id, names[0], 1);
      const second = await make(id, names[1], 2);
      expect(nameKey(first.file.fileName)).not.toBe(nameKey(second.file.fileName));
      for (const { file } of [first, second]) {
        const got = await download(file.id);
        expect(got.status).toBe(200);
        const report = await s.get(checkReportSchema, 'GET', `/deliverables/${file.id}/report`);
        expect([got.bytes.length, report.measured.video.frames]).toEqual([
          file.bytes,
          file === first.file ? 25 : 50,
        ]);
        expect(got.disposition).toContain('attachment');
      }
      expect((await s.call('DELETE', `/versions/${second.versionId}`)).status).toBe(204);
      expect((await download(first.file.id)).bytes.length).toBe(first.file.bytes);
      expect((await download(second.file.id)).status).toBe(404);
      await s.call('DELETE', `/productions/${id}`);
      await Promise.all(names.map((name) => rm(join(inbox, name))));
    },
  );
});

describe('files behind our back', () => {
  test('one that is changed, swapped or removed stands as changed on disk and is not handed out', async () => {
    const { id } = await production();
    const a = await make(id, 'a.mp4', 1);
    const b = await make(id, 'b.mp4', 2);
    const [pathA, pathB] = [await pathOf(a.file.id), await pathOf(b.file.id)];
    // Swapped, with the times that each had.
    const [timeA, timeB] = [await stat(pathA), await stat(pathB)];
    await rename(pathA, `${pathA}.x`);
    await rename(pathB, pathA);
    await rename(`${pathA}.x`, pathB);
    await utimes(pathA, timeA.atime, timeA.mtime);
    await utimes(pathB, timeB.atime, timeB.mtime);
    expect(await standing(id, a.versionId)).toBe('changed-on-disk');
    const refused = await s.call('GET', `/deliverables/${a.file.id}/file`);
    expect([refused.status, problemSchema.parse(refused.body).code]).toEqual([409, 'changed-on-disk']);
    // Put back, it is known again by its sum.
    await rename(pathA, `${pathA}.x`);
    await rename(pathB, pathA);
    await rename(`${pathA}.x`, pathB);
    await until(
      async () =>
        (await standing(id, a.versionId)) === 'passed' && (await standing(id, b.versionId)) === 'passed',
    );
    // One byte, with the length and the time that it had.
    const bytes = await readFile(pathA);
    const { atime, mtime } = await stat(pathA);
    bytes[bytes.length >> 1]! ^= 1;
    await writeFile(pathA, bytes);
    await utimes(pathA, atime, mtime);
    await until(async () => (await standing(id, a.versionId)) === 'changed-on-disk');
    expect((await download(a.file.id)).status).toBe(409);
    await rm(pathB);
    expect(await standing(id, b.versionId)).toBe('changed-on-disk');
    expect(problemSchema.parse((await s.call('GET', `/deliverables/${b.file.id}/file`)).body).code).toBe(
      'file-gone',
    );
    // Made again, both stand as passed, each with its own file.
    await exportIt(id, a.versionId);
    await exportIt(id, b.versionId);
    expect([await standing(id, a.versionId), await standing(id, b.versionId)]).toEqual(['passed', 'passed']);
    await s.call('DELETE', `/productions/${id}`);
  });

  test('a film in the inbox that was replaced on disk is not delivered as the old one; taken in its place, its framing stays', async () => {
    const { id } = await production();
    const { masterId, versionId } = await make(id, 'film.mp4', 1);
    await smallFilm(join(inbox, 'film.mp4'), 2);
    expect((await detail(id)).masters[0]!.file).toBe('changed');
    const [job] = await s.get(z.array(jobSchema), 'POST', `/productions/${id}/exports`, {
      versionIds: [versionId],
    });
    const failed = await until(async () =>
      (await s.get(z.array(jobSchema), 'GET', `/productions/${id}/jobs`)).find(
        (j) => j.id === job!.id && j.state === 'failed',
      ),
    );
    expect(failed.problem).toMatchObject({
      code: 'master-changed',
      sentence: expect.stringContaining('“film” was changed on the disk'),
    });
    expect((await s.call('GET', `/masters/${masterId}/media`)).status).toBe(409);
    await s.get(masterSchema, 'POST', `/masters/${masterId}/renew`);
    const after = await quiet(id);
    expect(after.masters[0]).toMatchObject({
      file: 'same',
      fileGeneration: 2,
      facts: { video: { frames: 50 } },
    });
    expect(after.versions[0]!.standing).toBe('failed');
    await exportIt(id, versionId);
    const [remade] = (await detail(id)).versions;
    expect(remade).toMatchObject({ standing: 'passed', deliverable: { passed: true, findings: [] } });
    expect(
      await s.get(checkReportSchema, 'GET', `/deliverables/${remade!.deliverable!.id}/report`),
    ).toMatchObject({ measured: { video: { frames: 50 } } });
    await s.call('DELETE', `/productions/${id}`);
  });

  test('a film that is gone, and one whose reading was stopped: exports fail with a sentence, and the film can be read again', async () => {
    const { id } = await production();
    const { masterId, versionId } = await make(id, 'gone.mp4', 1);
    await rename(join(inbox, 'gone.mp4'), join(inbox, 'gone.mp4.aside'));
    expect((await detail(id)).masters[0]!.file).toBe('gone');
    await exportIt(id, versionId);
    const failed = (await s.get(z.array(jobSchema), 'GET', `/productions/${id}/jobs`)).find(
      (j) => j.state === 'failed',
    )!;
    expect(failed.problem!.code).toBe('master-gone');
    expect(JSON.stringify(failed.problem)).not.toContain(s.dir);
    await rename(join(inbox, 'gone.mp4.aside'), join(inbox, 'gone.mp4'));
    // As a reading that was given up leaves it.
    await s.ws.db.update(masters).set({ sha256: null }).where(eq(masters.id, masterId));
    expect((await detail(id)).masters[0]).toMatchObject({ unread: true });
    await exportIt(id, versionId);
    expect((await s.get(z.array(jobSchema), 'GET', `/productions/${id}/jobs`))[0]!.problem).toMatchObject({
      code: 'master-unread',
      mend: expect.stringContaining('Read it again'),
    });
    await s.get(masterSchema, 'POST', `/masters/${masterId}/read`);
    expect((await quiet(id)).masters[0]).toMatchObject({
      unread: false,
      state: 'ready',
      sha256: expect.any(String),
    });
    await s.call('DELETE', `/productions/${id}`);
  });

  test('a reading that is cancelled before the sum is known leaves the film as not read, and started again it is read', async () => {
    const { id } = await production();
    await smallFilm(join(inbox, 'stopped.mp4'), 2);
    const master = await s.get(masterSchema, 'POST', `/productions/${id}/masters`, {
      inboxFile: join('inbox', 'stopped.mp4'),
    });
    const [job] = (await detail(id)).jobs;
    await s.call('POST', `/jobs/${job!.id}/cancel`);
    const stopped = await quiet(id);
    if (stopped.masters[0]!.sha256 === null) {
      expect(stopped.masters[0]).toMatchObject({
        state: 'failed',
        unread: true,
        problem: { code: 'reading-stopped' },
      });
      await s.get(jobSchema, 'POST', `/jobs/${job!.id}/retry`);
    }
    expect((await quiet(id)).masters.find((m) => m.id === master.id)).toMatchObject({
      state: 'ready',
      sha256: expect.any(String),
    });
    await s.call('DELETE', `/productions/${id}`);
  });

  test('a film whose preparing is stopped says so, and is prepared when that is started again', async () => {
    const { id } = await production();
    await smallFilm(join(inbox, 'unprepared.mp4'), 1.4);
    s.ws.runner.hold('prepare', true);
    await s.get(masterSchema, 'POST', `/productions/${id}/masters`, {
      inboxFile: join('inbox', 'unprepared.mp4'),
    });
    const job = await until(async () =>
      (await detail(id)).jobs.find((j) => j.kind === 'prepare' && j.state === 'queued'),
    );
    await s.call('POST', `/jobs/${job.id}/cancel`);
    expect((await detail(id)).masters[0]).toMatchObject({
      state: 'failed',
      shots: null,
      problem: { code: 'preparing-stopped' },
    });
    await s.get(jobSchema, 'POST', `/jobs/${job.id}/retry`);
    expect((await detail(id)).masters[0]).toMatchObject({ state: 'ready', problem: null });
    // Read anew while it waits: the waiting one gives way to another, and nothing is said of that.
    await s.get(masterSchema, 'POST', `/masters/${(await detail(id)).masters[0]!.id}/read`);
    await until(async () => (await detail(id)).jobs.some((j) => j.kind === 'prepare' && j.id !== job.id));
    expect((await detail(id)).masters[0]).toMatchObject({ state: 'ready', problem: null });
    s.ws.runner.hold('prepare', false);
    expect((await quiet(id)).masters[0]).toMatchObject({ state: 'ready', shots: expect.any(Array) });
    await s.call('DELETE', `/productions/${id}`);
  });

  test('four replacements at once leave one film of the master and none of the others', async () => {
    const { id } = await production();
    await smallFilm(join(s.dir, 'take.mp4'), 1);
    const bytes = await readFile(join(s.dir, 'take.mp4'));
    const send = async (replaces?: string) => {
      const metadata = Object.entries({
        filename: 'take.mp4',
        productionId: id,
        ...(replaces ? { replaces } : {}),
      })
        .map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`)
        .join(',');
      const created = await fetch(`${s.base}/api/uploads`, {
        method: 'POST',
        headers: {
          'Tus-Resumable': '1.0.0',
          'Upload-Length': String(bytes.length),
          'Upload-Metadata': metadata,
        },
      });
      return fetch(new URL(created.headers.get('location')!, `${s.base}/api/`), {
        method: 'PATCH',
        headers: {
          'Tus-Resumable': '1.0.0',
          'Upload-Offset': '0',
          'Content-Type': 'application/offset+octet-stream',
        },
        body: new Uint8Array(bytes),
      });
    };
    const master = masterSchema.parse(await (await send()).json());
    const answers = await Promise.all([1, 2, 3, 4].map(() => send(master.id)));
    expect(answers.map((a) => a.status)).toEqual([200, 200, 200, 200]);
    const after = await quiet(id);
    expect(after.masters).toMatchObject([{ fileGeneration: 5, state: 'ready', sha256: expect.any(String) }]);
    await until(
      async () =>
        (await readdir(join(s.dir, 'originals', master.id), { recursive: true })).filter((f) =>
          f.endsWith('.mp4'),
        ).length === 1,
    );
    await s.call('DELETE', `/productions/${id}`);
    expect(await readdir(join(s.dir, 'originals'))).toEqual([]);
  });
});

test('a workspace in which files had one place is put right at its start, and what cannot be is said', async () => {
  const old = await testServer();
  await old.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  const { id } = await old.get(productionSchema, 'POST', '/productions', { name: 'Old', client: '' });
  for (const [name, seconds] of [
    ['one.mp4', 1],
    ['two.mp4', 2],
  ] as const) {
    await smallFilm(join(old.dir, 'inbox', name), seconds);
    const master = await old.get(masterSchema, 'POST', `/productions/${id}/masters`, {
      inboxFile: join('inbox', name),
    });
    await until(async () => (await old.detail(id)).jobs.length === 0);
    const [version] = await old.get(z.array(versionSchema), 'POST', `/productions/${id}/versions`, {
      masterId: master.id,
      placementIds: ['quick-tall'],
    });
    await old.get(z.array(jobSchema), 'POST', `/productions/${id}/exports`, { versionIds: [version!.id] });
    await until(async () => (await old.detail(id)).jobs.length === 0);
  }
  // As the release before wrote them: both rows name one file, in which the second export lies.
  const [first, second] = await old.ws.db.select().from(deliverables).orderBy(deliverables.madeAt);
  const shared = join('exports', id, 'old_untitled_quick-tall_v1.mp4');
  await copyFile(join(old.dir, second!.path), join(old.dir, shared));
  for (const row of [first!, second!]) await rm(join(old.dir, row.path));
  await old.ws.db
    .update(deliverables)
    .set({ path: shared, fileName: 'old_untitled_quick-tall_v1.mp4', nameKey: null, mark: null });
  await old.stop(true);

  const again = await testServer({ dataDir: old.dir });
  const files = await until(async () => {
    const list = await again.get(z.array(deliverableSchema), 'GET', `/productions/${id}/deliverables`);
    return list.every((f) => f.onDisk?.code !== 'comparing') && list;
  });
  const [one, two] = [files.find((f) => f.id === first!.id)!, files.find((f) => f.id === second!.id)!];
  expect([one.onDisk?.code, two.onDisk]).toEqual(['file-gone', null]);
  expect(nameKey(one.fileName)).not.toBe(nameKey(two.fileName));
  expect((await again.detail(id)).versions.map((v) => v.standing)).toEqual(['changed-on-disk', 'passed']);
  await again.call('DELETE', `/versions/${(await again.detail(id)).versions[0]!.id}`);
  await again.stop(true);
  expect(await faultsOf(old.dir)).toEqual([]);
  await rm(old.dir, { recursive: true, force: true });
});
