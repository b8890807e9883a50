import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { copyFile, mkdir, mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { detailOf, faultsOf, processesOn, startProcess, type ServerProcess } from '../testing/process.ts';
import { randomFrom, seed } from '../testing/random.ts';
import { smallFilm, until } from '../testing/server.ts';

// The server is killed at random moments of uploads and readings; afterwards nothing is lost, doubled or half.

const kills = Number(process.env.MIVVY_FAULT_KILLS ?? 9);
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

test(`${kills} kills at random moments: every upload ends in one master, every reading too, nothing is left over`, async () => {
  const random = randomFrom(seed);
  const call = <T>(method: string, path: string, body?: unknown) =>
    server.call(method, path, body).then((a) => a.body as unknown as T);
  const { id } = await call<{ id: string }>('POST', '/productions', { name: '東京の夏', client: '' });
  const detail = () => detailOf(call, id);
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  await call('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  await until(async () => (await detail()).masters[0]?.sha256);
  const bytes = await readFile(join(dataDir, 'inbox', 'first.mp4'));

  const again = async () => {
    await server.kill();
    server = await startProcess(dataDir);
  };
  let uploads = 0;
  let readings = 0;
  for (let n = 0; n < kills; n++) {
    const kind = n % 3;
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
    } else {
      readings++;
      const name = `reading ${n}.mp4`;
      await copyFile(join(dataDir, 'inbox', 'first.mp4'), join(dataDir, 'inbox', name));
      const inbox = await call<{ path: string; name: string }[]>('GET', '/inbox');
      await call('POST', `/productions/${id}/masters`, {
        inboxFile: inbox.find((f) => f.name === name)!.path,
      });
      await pause(random() * 900);
      await again();
      // A job that died with the server three times is given up: what was begun before may end now.
      await until(async () => (await detail()).jobs.length === 0);
    }
  }
  const done = await until(async () => {
    const now = await detail();
    return now.jobs.length === 0 && now.masters.every((m) => m.sha256) && now;
  });
  expect(done.masters).toHaveLength(1 + uploads + readings);
  for (let n = 0; n < kills; n++) {
    if (n % 3 === 2) continue;
    const sum = createHash('sha256').update(bytes).update(`upload ${n}`).digest('hex');
    expect(done.masters.filter((m) => m.sha256 === sum)).toHaveLength(1);
  }
  expect(await server.stop()).toBe(0);
  expect(await faultsOf(dataDir)).toEqual([]);
  expect(await processesOn(dataDir)).toEqual([]);
}, 1_500_000);
