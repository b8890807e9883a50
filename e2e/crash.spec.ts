import { mkdtemp, mkdir, readdir, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { plainFilm } from './testing/helpers.ts';
import { endServer, startServer } from './testing/own-server.ts';

test('the server is killed during an upload and during an export: after a restart both end well', async ({
  request,
}) => {
  const dataDir = await mkdtemp(join(tmpdir(), 'mivvy crash '));
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  const bytes = await readFile(await plainFilm('crash.mp4', 12));
  let { child, base } = await startServer(dataDir);
  const call = async (method: 'get' | 'post', path: string, data?: unknown) => {
    const answer = await request[method](`${base}/api${path}`, data === undefined ? {} : { data });
    expect(answer.ok(), `${path}: ${await answer.text()}`).toBe(true);
    return (await answer.json()) as never;
  };
  const { id } = (await call('post', '/productions', { name: 'Crash' })) as { id: string };
  const meta = `filename ${Buffer.from('crash.mp4').toString('base64')},productionId ${Buffer.from(id).toString('base64')}`;
  const created = await request.post(`${base}/api/uploads`, {
    headers: { 'Tus-Resumable': '1.0.0', 'Upload-Length': String(bytes.length), 'Upload-Metadata': meta },
  });
  const uploadId = created.headers().location!.split('/').at(-1)!;
  const piece = (from: number, to: number) =>
    request.patch(`${base}/api/uploads/${uploadId}`, {
      headers: {
        'Tus-Resumable': '1.0.0',
        'Upload-Offset': String(from),
        'Content-Type': 'application/offset+octet-stream',
      },
      data: bytes.subarray(from, to),
    });
  await piece(0, 150_000);

  await endServer(child);
  ({ child, base } = await startServer(dataDir));
  const head = await request.head(`${base}/api/uploads/${uploadId}`, {
    headers: { 'Tus-Resumable': '1.0.0' },
  });
  expect(head.headers()['upload-offset']).toBe('150000');
  await piece(150_000, bytes.length);

  interface Detail {
    masters: { id: string; sha256: string | null }[];
    versions: { id: string; standing: string }[];
  }
  const detail = async () => (await call('get', `/productions/${id}`)) as Detail;
  await expect
    .poll(async () => (await detail()).masters[0]?.sha256 ?? null, { timeout: 75_000 })
    .not.toBeNull();
  const masterId = (await detail()).masters[0]!.id;
  const [version] = (await call('post', `/productions/${id}/versions`, {
    masterId,
    placementIds: ['starter-square'],
  })) as { id: string }[];
  await call('post', `/productions/${id}/exports`, { versionIds: [version!.id] });
  await expect.poll(async () => (await readdir(join(dataDir, 'work'))).length, { timeout: 50_000 }).toBe(1);
  await new Promise((r) => setTimeout(r, 1500));

  await endServer(child);
  const seen = async () =>
    (await readdir(join(dataDir, 'exports', id)).catch(() => [] as string[])).filter((f) =>
      f.endsWith('.mp4'),
    );
  expect(await seen()).toEqual([]);
  ({ child, base } = await startServer(dataDir));
  await expect.poll(async () => (await detail()).versions[0]!.standing, { timeout: 200_000 }).toBe('passed');
  expect(await seen()).toHaveLength(1);
  expect(await readdir(join(dataDir, 'work'))).toEqual([]);
  await endServer(child);
  await rm(dataDir, { recursive: true, force: true });
});
