import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { copyFile, mkdir, mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { Job } from '@mivvy/api';
import { detailOf, faultsOf, processesOn, startProcess, type ServerProcess } from '../testing/process.ts';
import { quickBook, smallFilm, until } from '../testing/server.ts';

// The server is killed at random moments of uploads, readings and exports; afterwards nothing is lost, doubled or half.

const kills = 20;
/** The same moments in every run; another seed tries others. */
const seed = Number(process.env.MIVVY_SEED) || 20261125;

function randomFrom(start: number): () => number {
  let state = start >>> 0;
  // A linear congruential generator; its numbers need not be good, only other ones each time.
  return () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}

let dataDir: string;
let server: ServerProcess;
beforeAll(async () => {
  dataDir = await mkdtemp(join(tmpdir(), 'mivvy kills '));
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  await smallFilm(join(dataDir, 'inbox', 'first.mp4'), 3);
  server = await startProcess(dataDir);
});
afterAll(async () => {
  await server.kill();
  await rm(dataDir, { recursive: true, force: true });
});

const meta = (values: Record<string, string>) =>
  Object.entries(values)
    .map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`)
    .join(',');
const tus = { 'Tus-Resumable': '1.0.0' };

/** Sends an upload on from where the server says that it is, and tells when it knows all of it. */
async function sendOn(
  address: string,
  bytes: Buffer,
  pieceBytes: number,
  beforeEach?: () => void,
): Promise<boolean> {
  const head = await fetch(`${server.base}${address}`, { method: 'HEAD', headers: tus });
  expect(head.status).toBe(200);
  for (let at = Number(head.headers.get('upload-offset')); at < bytes.length;) {
    const piece = bytes.subarray(at, at + pieceBytes);
    beforeEach?.();
    const sent = await fetch(`${server.base}${address}`, {
      method: 'PATCH',
      headers: { ...tus, 'Upload-Offset': String(at), 'Content-Type': 'application/offset+octet-stream' },
      body: new Uint8Array(piece),
    });
    if (sent.status >= 300) return false;
    at += piece.length;
  }
  return true;
}

test(`${kills} kills at random moments: every upload ends in one master, every export in one file, nothing is left over`, async () => {
  const random = randomFrom(seed);
  const call = <T>(method: string, path: string, body?: unknown) =>
    server.call(method, path, body).then((a) => a.body as unknown as T);
  await call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  const { id } = await call<{ id: string }>('POST', '/productions', { name: '東京の夏', client: '' });
  const detail = () => detailOf(call, id);
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  const master = await call<{ id: string }>('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  await until(async () => (await detail()).masters[0]?.sha256);
  const bytes = await readFile(join(dataDir, 'inbox', 'first.mp4'));
  const [version] = await call<{ id: string }[]>('POST', `/productions/${id}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall'],
  });

  const again = async () => {
    await server.kill();
    server = await startProcess(dataDir);
  };
  let uploads = 0;
  let readings = 0;
  let exports = 0;
  for (let n = 0; n < kills; n++) {
    const kind = n % 4;
    if (kind === 0 || kind === 1) {
      // An upload, killed somewhere on its way or about when its last byte comes in, then gone on with.
      uploads++;
      const own = Buffer.concat([bytes, Buffer.from(`upload ${n}`)]);
      const created = await fetch(`${server.base}/api/uploads`, {
        method: 'POST',
        headers: {
          ...tus,
          'Upload-Length': String(own.length),
          'Upload-Metadata': meta({ filename: `大阪の冬 ${n}.mp4`, productionId: id }),
        },
      });
      const address = new URL(created.headers.get('location')!, `${server.base}/api/`).pathname;
      const pieces = 4;
      const chosen = kind === 1 ? pieces - 1 : Math.floor(random() * pieces);
      let piece = 0;
      const dying: Promise<void>[] = [];
      await sendOn(address, own, Math.ceil(own.length / pieces), () => {
        if (piece++ === chosen) dying.push(pause(random() * 60).then(() => server.kill()));
      }).catch(() => false);
      await Promise.all(dying);
      server = await startProcess(dataDir);
      expect(await sendOn(address, own, own.length)).toBe(true);
      // Asked once more, it is still there.
      expect(
        (await fetch(`${server.base}${address}`, { method: 'HEAD', headers: tus })).headers.get(
          'upload-offset',
        ),
      ).toBe(String(own.length));
    } else if (kind === 2) {
      readings++;
      const name = `reading ${n}.mp4`;
      await copyFile(join(dataDir, 'inbox', 'first.mp4'), join(dataDir, 'inbox', name));
      const inbox = await call<{ path: string; name: string }[]>('GET', '/inbox');
      await call('POST', `/productions/${id}/masters`, {
        inboxFile: inbox.find((f) => f.name === name)!.path,
      });
      await pause(random() * 900);
      await again();
    } else {
      exports++;
      await call<Job[]>('POST', `/productions/${id}/exports`, { versionIds: [version!.id] });
      await pause(random() * 900);
      await again();
      await until(async () => (await detail()).jobs.filter((j) => j.kind === 'export').length === 0);
    }
  }
  const done = await until(async () => {
    const now = await detail();
    return now.jobs.length === 0 && now.masters.every((m) => m.sha256) && now;
  });
  expect(done.masters).toHaveLength(1 + uploads + readings);
  for (let n = 0; n < kills; n++) {
    if (n % 4 > 1) continue;
    const sum = createHash('sha256').update(bytes).update(`upload ${n}`).digest('hex');
    expect(done.masters.filter((m) => m.sha256 === sum)).toHaveLength(1);
  }
  const files = await call<{ exportNumber: number; passed: boolean; onDisk: unknown }[]>(
    'GET',
    `/productions/${id}/deliverables`,
  );
  expect(files.map((f) => f.exportNumber).sort((a, b) => a - b)).toEqual(
    Array.from({ length: exports }, (_, i) => i + 1),
  );
  expect(files.every((f) => f.passed && f.onDisk === null)).toBe(true);
  expect(await server.stop()).toBe(0);
  expect(await faultsOf(dataDir)).toEqual([]);
  expect(await processesOn(dataDir)).toEqual([]);
}, 1_500_000);
