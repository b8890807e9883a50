import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { existsSync } from 'node:fs';
import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { execa } from 'execa';
import { fromBuffer, type Entry, type ZipFile } from 'yauzl';
import * as z from 'zod';
import { packageWrittenSchema, versionSchema } from '@mivvy/api';
import { deliverables } from './db/schema.ts';
import { fromStored } from './storage.ts';
import { madeProduction, type MadeProduction } from './testing/made.ts';
import { testServer, until, type TestServer } from './testing/server.ts';

/** Packages, opened by other programs: yauzl reads the archive, `sha256sum -c` the checksums. */
let s: TestServer;
let made: MadeProduction;
let dir: string;
let ids: string[];
beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy packages '));
  s = await testServer();
  made = await madeProduction(s, ['quick-tall', 'quick-square']);
  ids = (await made.make()).map((version) => version.deliverable!.id);
}, 375_000);
afterAll(async () => {
  await s.stop();
  await rm(dir, { recursive: true, force: true });
});

/** The names and bytes in an archive. */
async function unzipped(bytes: Buffer): Promise<Map<string, Buffer>> {
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    fromBuffer(bytes, { lazyEntries: true }, (error, file) => (file ? resolve(file) : reject(error!))),
  );
  const found = new Map<string, Buffer>();
  await new Promise<void>((resolve, reject) => {
    zip.on('error', reject).on('end', resolve);
    zip.on('entry', (entry: Entry) =>
      zip.openReadStream(entry, (error, stream) => {
        if (!stream) return reject(error!);
        const chunks: Buffer[] = [];
        stream.on('data', (chunk: Buffer) => chunks.push(chunk));
        stream.on('end', () => {
          found.set(entry.fileName, Buffer.concat(chunks));
          zip.readEntry();
        });
      }),
    );
    zip.readEntry();
  });
  return found;
}

const manifestSchema = z.object({
  format: z.literal('mivvy-manifest'),
  version: z.literal(1),
  files: z.array(z.object({ file: z.string(), sha256: z.string(), bytes: z.number(), passed: z.boolean() })),
});

test('an archive has films, reports, a manifest and checksums that hold', async () => {
  const answer = await fetch(`${s.base}/api/productions/${made.id}/package?files=${ids.join(',')}`);
  expect(answer.headers.get('content-type')).toBe('application/zip');
  const files = await unzipped(Buffer.from(await answer.arrayBuffer()));
  const [root] = [...files.keys()][0]!.split('/');
  expect([...files.keys()].map((name) => name.replace(`${root}/`, '')).sort()).toEqual(
    [
      'SHA256SUMS',
      'films/kite_film_quick-square_120x120_25fps_v1.mp4',
      'films/kite_film_quick-tall_90x160_25fps_v1.mp4',
      'manifest.csv',
      'manifest.json',
      ...['quick-square_120x120', 'quick-tall_90x160'].flatMap((place) => [
        `reports/kite_film_${place}_25fps_v1.mp4.report.html`,
        `reports/kite_film_${place}_25fps_v1.mp4.report.json`,
      ]),
    ].sort(),
  );
  const at = join(dir, 'unzipped');
  for (const [name, bytes] of files) {
    const path = join(at, name);
    await execa('mkdir', ['-p', join(path, '..')]);
    await writeFile(path, bytes);
  }
  const checked = await execa('sha256sum', ['-c', 'SHA256SUMS'], { cwd: join(at, root!) });
  expect(checked.stdout.split('\n').every((line) => line.endsWith(': OK'))).toBe(true);
  expect(checked.stdout.split('\n')).toHaveLength(files.size - 1);
  const manifest = manifestSchema.parse(JSON.parse(files.get(`${root}/manifest.json`)!.toString()));
  for (const file of manifest.files)
    expect([file.file, files.get(`${root}/${file.file}`)!.length]).toEqual([file.file, file.bytes]);
  expect(files.get(`${root}/manifest.csv`)!.toString().trim().split('\n')).toHaveLength(3);
});

test('the same lies in a folder, whole; the next one does not write over it', async () => {
  const folder = join(dir, 'for the client');
  const write = () =>
    s.get(packageWrittenSchema, 'POST', `/productions/${made.id}/package`, { deliverableIds: ids, folder });
  const [first, second] = [(await write()).path, (await write()).path];
  expect(first).not.toBe(second);
  expect((await readdir(folder)).every((name) => !name.startsWith('.'))).toBe(true);
  await execa('sha256sum', ['-c', '--quiet', 'SHA256SUMS'], { cwd: first });
});

test('four at once into one folder take a number each; a folder inside the workspace is refused', async () => {
  const folder = join(dir, 'at once');
  const write = (to: string) =>
    s.call('POST', `/productions/${made.id}/package`, { deliverableIds: ids, folder: to });
  const answers = await Promise.all([1, 2, 3, 4].map(() => write(folder)));
  expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200]);
  const names = await readdir(folder);
  expect([names.length, names.some((name) => name.startsWith('.'))]).toEqual([4, false]);
  for (const name of names)
    await execa('sha256sum', ['-c', '--quiet', 'SHA256SUMS'], { cwd: join(folder, name) });
  for (const own of [s.ws.storage.root, join(s.ws.storage.root, 'deliverables', 'x')]) {
    const refused = await write(own);
    expect([refused.status, (refused.body as { code: string }).code]).toEqual([400, 'own-folder']);
  }
});

test('a cover is picked, made, packed and handed out; another pick makes its file behind, a changed one is not packed', async () => {
  const book = JSON.stringify({
    format: 'mivvy-spec-book',
    version: 1,
    outlets: [
      {
        id: 'stills',
        name: 'Stills',
        placements: [
          {
            id: 'stills-cover',
            name: 'With a cover',
            frame: { width: 90, height: 160 },
            container: 'mp4',
            video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
            audio: null,
            cover: { width: 180, height: 320 },
          },
        ],
      },
    ],
  });
  await s.call('POST', '/spec-book/files', { fileName: 'stills.specbook.json', text: book });
  const [added] = await s.get(z.array(versionSchema), 'POST', `/productions/${made.id}/versions`, {
    masterId: made.masterId,
    placementIds: ['stills-cover'],
  });
  const { id } = added!;
  const pick = (frame: number | null) => s.call('PATCH', `/versions/${id}/cover`, { frame });
  expect((await pick(10_000)).status).toBe(422);
  expect((await pick(5)).status).toBe(200);
  await s.call('POST', `/productions/${made.id}/exports`, { versionIds: [id] });
  const done = await until(async () => {
    const now = await s.get(versionSchema, 'GET', `/versions/${id}`);
    return now.standing === 'passed' && now;
  });
  const file = done.deliverable!;
  expect(file.coverBeside).toBe('jpeg');
  const still = await fetch(`${s.base}/api/deliverables/${file.id}/cover`);
  const bytes = Buffer.from(await still.arrayBuffer());
  expect([still.status, still.headers.get('content-type')]).toEqual([200, 'image/jpeg']);
  expect(still.headers.get('content-disposition')).toContain(file.fileName.replace('.mp4', '.jpg'));
  const packed = await fetch(`${s.base}/api/productions/${made.id}/package?files=${file.id}`);
  const files = await unzipped(Buffer.from(await packed.arrayBuffer()));
  const name = [...files.keys()].find((n) => n.endsWith('.jpg'))!;
  expect(files.get(name)!.equals(bytes)).toBe(true);
  expect((await pick(6)).status).toBe(200);
  const behind = await s.get(versionSchema, 'GET', `/versions/${id}`);
  expect([behind.standing, behind.behind]).toEqual(['behind', ['the cover changed']]);
  const [row] = await s.ws.db.select().from(deliverables).where(eq(deliverables.id, file.id));
  const path = fromStored(s.ws.storage, row!.path).replace('.mp4', '.jpg');
  await writeFile(path, bytes.subarray(1));
  const refused = await s.call('GET', `/productions/${made.id}/package?files=${file.id}`);
  expect([refused.status, (refused.body as { code: string }).code]).toEqual([409, 'cover-changed']);
  expect((await s.call('GET', `/deliverables/${file.id}/cover`)).status).toBe(409);
  expect((await s.call('DELETE', `/versions/${id}`)).status).toBe(204);
  expect(existsSync(path)).toBe(false);
});

test('what came of a production’s exports is one page, and the same as JSON', async () => {
  const page = await fetch(`${s.base}/api/productions/${made.id}/reports.html`);
  expect([page.status, page.headers.get('content-security-policy')]).toEqual([
    200,
    "default-src 'none'; style-src 'unsafe-inline'",
  ]);
  const names = (await made.versions()).map((version) => version.deliverable!.fileName);
  const text = await page.text();
  for (const name of names) expect(text).toContain(name);
  expect(text).toContain('2 files passed.');
  const json = (await s.call('GET', `/productions/${made.id}/reports.json`)).body as {
    format: string;
    files: { file: string; passed: boolean; report: object }[];
    notMade: object[];
  };
  expect([json.format, json.notMade]).toEqual(['mivvy-summary', []]);
  expect(json.files.map((file) => [file.file, file.passed])).toEqual(
    names.sort().map((name) => [name, true]),
  );
  for (const form of ['html', 'json'])
    expect((await s.call('GET', `/productions/nobody/reports.${form}`)).status).toBe(404);
});

test('a picture of a file is shown beside the one that was planned; what is not there is said', async () => {
  const { deliverable } = (await made.versions())[0]!;
  const ask = (rest: string) => fetch(`${s.base}/api/deliverables/${deliverable!.id}/frames/${rest}`);
  for (const which of ['file', 'planned']) {
    const picture = await ask(`3/${which}`);
    expect([picture.status, picture.headers.get('content-type')]).toEqual([200, 'image/png']);
    const size = Buffer.from(await picture.arrayBuffer());
    // Width and height stand in the first chunk of a PNG (ISO/IEC 15948).
    expect([size.readUInt32BE(16), size.readUInt32BE(20)]).toEqual([90, 160]);
  }
  for (const rest of ['100000/file', '-1/file', 'x/planned', '3/other'])
    expect([rest, (await ask(rest)).status]).toEqual([rest, 404]);
  expect((await s.call('GET', '/deliverables/nobody/frames/3/file')).status).toBe(404);
  expect((await readdir(join(s.dir, 'work'))).filter((name) => name.startsWith('frames-'))).toEqual([]);
});

test('a file that was changed on the disk is never packed, and a folder that cannot be written to is told', async () => {
  const bad = await s.call('POST', `/productions/${made.id}/package`, {
    deliverableIds: ids,
    folder: '/proc/nowhere',
  });
  expect([bad.status, (bad.body as { code: string }).code]).toEqual([409, 'folder-unwritable']);
  const [row] = await s.ws.db.select().from(deliverables).where(eq(deliverables.id, ids[0]!));
  const path = fromStored(s.ws.storage, row!.path);
  const bytes = await readFile(path);
  bytes[bytes.length - 3]! ^= 1;
  await writeFile(path, bytes);
  const answer = await s.call('GET', `/productions/${made.id}/package?files=${ids.join(',')}`);
  expect([answer.status, (answer.body as { code: string }).code]).toEqual([409, 'changed-on-disk']);
  expect((await s.call('GET', `/productions/${made.id}/package?files=`)).status).toBe(400);
});
