import { chmod, mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import { expect, test } from '@playwright/test';
import { execa } from 'execa';
import { endServer, startServer, type OwnServer } from './testing/own-server.ts';

let dir: string;
let broken: string;
let server: OwnServer;
test.beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy shots '));
  await mkdir(join(dir, 'inbox'), { recursive: true });
  await execa('ffmpeg', [
    ...['-v', 'error', '-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=2'],
    ...['-f', 'lavfi', '-i', 'smptebars=s=320x180:r=25:d=2', '-filter_complex', 'concat,format=yuv420p'],
    ...['-c:v', 'libx264', '-preset', 'ultrafast', join(dir, 'inbox', 'Tidal garden.mp4')],
  ]);
  // A decoder that is killed whenever shots are looked for, as long as it is broken.
  broken = join(dir, 'broken');
  const tool = join(dir, 'ffmpeg that is killed');
  const kill = `case "$*" in *-skip_loop_filter*) [ -e '${broken}' ] && kill -9 $$;; esac`;
  await writeFile(tool, `#!/bin/sh\n${kill}\nexec ffmpeg "$@"\n`);
  await chmod(tool, 0o755);
  await writeFile(broken, '');
  server = await startServer(dir, {
    MIVVY_REVIEW_PORT: '0',
    MIVVY_LOOKING: 'when-asked',
    MIVVY_FFMPEG: tool,
  });
});
test.afterAll(async () => {
  await endServer(server.child, 'SIGTERM');
  await rm(dir, { recursive: true, force: true });
});

test('a film whose shots could not be found says so until they are found', async ({ page }) => {
  const call = async <T>(method: string, path: string, data?: unknown): Promise<T> =>
    (await (await page.request.fetch(`${server.base}/api${path}`, { method, data })).json()) as T;
  const { id } = await call<{ id: string }>('POST', '/productions', { name: 'Tidal garden', client: '' });
  const [film] = await call<{ path: string }[]>('GET', '/inbox');
  const bringIn = () => call<{ id: string }>('POST', `/productions/${id}/masters`, { inboxFile: film!.path });
  const master = await bringIn();
  const shots = async () =>
    (await call<{ shots: { from: number }[] | null }>('GET', `/masters/${master.id}`)).shots?.map(
      ({ from }) => from,
    );
  await page.goto(`${server.base}/productions/${id}/masters/${master.id}`);
  const note = page.getByText('Its shots could not be found, so it stands as one', { exact: false });
  await expect(note).toBeVisible({ timeout: 60_000 });
  expect(await shots()).toEqual([0]);
  await expect(page.getByText('No shots found')).toBeVisible();
  expect((await new AxeBuilder({ page }).include('main').analyze()).violations).toEqual([]);

  // It is no better the second time.
  await note.getByRole('button', { name: 'Read it again' }).click();
  await expect(note).toBeHidden();
  await expect(note).toBeVisible({ timeout: 60_000 });

  await rm(broken);
  await note.getByRole('button', { name: 'Read it again' }).click();
  await expect(note).toBeHidden();
  await expect.poll(shots, { timeout: 60_000 }).toEqual([0, 50]);
  await expect(note).toBeHidden();
  await expect(page.getByText('No shots found')).toBeHidden();
  await page.getByRole('tab', { name: 'Shots 2' }).click();
  await expect(page.getByText('2 shots from 2 cameras.', { exact: false })).toBeVisible();
});
