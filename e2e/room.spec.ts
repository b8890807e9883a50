import { mkdir, mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import { expect, test, type APIRequestContext } from '@playwright/test';
import { execa } from 'execa';
import { onRows } from '../packages/server/src/testing/rows.ts';
import { quickBook } from '../packages/server/src/testing/server.ts';
import { endServer, startServer, type OwnServer } from './testing/own-server.ts';

let dir: string;
let server: OwnServer;
test.beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy room '));
  await mkdir(join(dir, 'inbox'), { recursive: true });
  // No browser plays it, so it gets a proof copy.
  await execa('ffmpeg', [
    ...['-v', 'error', '-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=1'],
    ...['-c:v', 'mpeg4', join(dir, 'inbox', 'film.avi')],
  ]);
  server = await startServer(dir, { MIVVY_REVIEW_PORT: '0', MIVVY_LOOKING: 'when-asked' });
});
test.afterAll(async () => {
  await endServer(server.child, 'SIGTERM');
  await rm(dir, { recursive: true, force: true });
});

interface File {
  exportNumber: number;
  onDisk: { code: string } | null;
}

/** A production with two files of one version, in which nothing has happened since June. */
async function resting(request: APIRequestContext): Promise<{ id: string; files: () => Promise<File[]> }> {
  const call = async <T>(method: string, path: string, data?: unknown): Promise<T> =>
    (await (await request.fetch(`${server.base}/api${path}`, { method, data })).json()) as T;
  await call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  const { id } = await call<{ id: string }>('POST', '/productions', { name: 'Tidal garden', client: '' });
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  const master = await call<{ id: string }>('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  const idle = () =>
    expect
      .poll(
        async () =>
          (await call<{ state: string }[]>('GET', `/productions/${id}/jobs`)).every(
            ({ state }) => state === 'done',
          ),
        { timeout: 60_000 },
      )
      .toBe(true);
  await idle();
  const [version] = await call<{ id: string }[]>('POST', `/productions/${id}/versions`, {
    masterId: master.id,
    placementIds: ['quick-square'],
  });
  for (let i = 0; i < 2; i++) {
    await call('POST', `/productions/${id}/exports`, { versionIds: [version!.id] });
    await idle();
  }
  await onRows(join(dir, 'mivvy.sqlite'), (rows) =>
    rows.execute("update productions set updated_at = '2026-06-12T10:00:00.000Z'"),
  );
  return { id, files: () => call<File[]>('GET', `/productions/${id}/deliverables`) };
}

test('what rests may go: told first, proof copies at once, files once that was confirmed', async ({
  page,
}) => {
  test.setTimeout(180_000);
  const { id, files } = await resting(page.request);
  await page.goto(`${server.base}/machines`);
  const row = page.getByRole('row', { name: /Tidal garden/ });
  await expect(row).toContainText('12 Jun');
  const { violations } = await new AxeBuilder({ page }).analyze();
  expect(violations.map(({ id: rule }) => rule)).toEqual([]);

  // Two of each version stay: then no file is older.
  await page.getByRole('button', { name: /^Files of each version that stay/ }).click();
  await page.getByRole('textbox', { name: /Files of each version that stay/ }).fill('2');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: /Clear 1 older file/ })).toHaveCount(0);
  await page.getByRole('button', { name: /^Files of each version that stay/ }).click();
  await page.getByRole('textbox', { name: /Files of each version that stay/ }).fill('1');
  await page.keyboard.press('Enter');

  await page.getByRole('button', { name: /Clear 1 proof copy/ }).click();
  await expect(page.getByText('Cleared proof copies of 1 production.')).toBeVisible();
  await expect(page.getByRole('button', { name: /proof cop/ })).toHaveCount(0);

  await page.getByRole('button', { name: /Clear 1 older file/ }).click();
  await page.getByRole('button', { name: 'Keep them all' }).click();
  expect((await files()).filter(({ onDisk }) => onDisk)).toEqual([]);
  await page.getByRole('button', { name: /Clear 1 older file/ }).click();
  await page.getByRole('button', { name: 'Clear 1 file' }).click();
  await expect(page.getByText('Nothing would go')).toBeVisible();
  const gone = (await files()).filter(({ onDisk }) => onDisk);
  expect(gone).toMatchObject([{ exportNumber: 1, onDisk: { code: 'cleared' } }]);

  // Opened again, it gets its proof copy back.
  await page.goto(`${server.base}/productions/${id}`);
  await expect
    .poll(
      () =>
        page.evaluate(() =>
          [...document.querySelectorAll('canvas')].some((c) => Number(c.dataset.frame ?? -1) >= 0),
        ),
      { timeout: 60_000 },
    )
    .toBe(true);
});
