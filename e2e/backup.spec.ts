import { createHash } from 'node:crypto';
import { mkdir, mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test, type Page } from '@playwright/test';
import { execa } from 'execa';
import { addQuickBook, bringIn, choosePlaces, openFraming, plainFilm } from './testing/helpers.ts';
import { endServer, startServer, type OwnServer } from './testing/own-server.ts';

const root = fileURLToPath(new URL('..', import.meta.url));
const quiet = { MIVVY_REVIEW_PORT: '0', MIVVY_LOOKING: 'when-asked' };

let dir: string;
let server: OwnServer | undefined;
test.beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy backup '));
  await mkdir(join(dir, 'data', 'inbox'), { recursive: true });
});
test.afterAll(async () => {
  if (server) await endServer(server.child);
  await rm(dir, { recursive: true, force: true });
});

/** Runs the program as the launcher does, on a data folder; what it says. */
async function run(command: 'backup' | 'restore', data: string): Promise<string> {
  const program = [
    join(root, 'packages/bundle/src/run.mjs'),
    join(root, 'packages/server/src/backup/main.ts'),
  ];
  const { stderr } = await execa('node', [...program, command, join(dir, 'kept')], {
    env: { MIVVY_DATA: join(dir, data) },
  });
  return stderr;
}

/** Sum of the file that the deliverables screen hands out first. */
async function downloadedSum(page: Page): Promise<string> {
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download' }).first().click(),
  ]);
  const got = join(dir, 'downloaded.mp4');
  await download.saveAs(got);
  return createHash('sha256')
    .update(await readFile(got))
    .digest('hex');
}

test('a workspace is backed up while it is worked in; restored elsewhere, every production opens and has its films and files', async ({
  browser,
}) => {
  test.setTimeout(300_000);
  server = await startServer(join(dir, 'data'), quiet);
  let page = await (await browser.newContext({ baseURL: server.base })).newPage();
  await page.goto('/');
  await addQuickBook(page);
  await bringIn(page, await plainFilm('Harbour lights.mp4'));
  await choosePlaces(page, 'Quickby, Tall');
  await page.getByRole('link', { name: 'Exports' }).click();
  await page.getByRole('button', { name: 'Export 1 version' }).click();
  await page.getByRole('link', { name: 'See the file' }).click({ timeout: 150_000 });
  const sum = await downloadedSum(page);
  await bringIn(page, await plainFilm('Orchard.mp4'));
  await choosePlaces(page, 'Quickby, Square', 'Quickby, Board');
  await expect(page.getByRole('link', { name: 'Quickby board, open its framing' })).toBeVisible();

  expect(await run('backup', 'data')).toMatch(/^Backed up \d+ files, /);
  // What is done from now on is not in it.
  await page.getByRole('link', { name: 'Mivvy, all productions' }).click();
  await page.getByRole('button', { name: 'Rename Orchard' }).click();
  await page.getByLabel('Name of the film or job').fill('Vineyard');
  await page.getByRole('button', { name: 'Rename', exact: true }).click();
  await expect(page.getByRole('link', { name: 'Vineyard' })).toBeVisible();
  await endServer(server.child, 'SIGTERM');
  await rm(join(dir, 'data'), { recursive: true });

  await mkdir(join(dir, 'another machine'));
  expect(await run('restore', 'another machine')).toMatch(/^Restored \d+ files, /);
  server = await startServer(join(dir, 'another machine'), quiet);
  page = await (await browser.newContext({ baseURL: server.base })).newPage();
  await page.goto('/');
  await expect(page.getByRole('link', { name: 'Vineyard' })).toHaveCount(0);
  await page.getByRole('link', { name: 'Orchard' }).first().click();
  // Its film is drawn, and so are both versions.
  for (const name of [/Quickby square, open/, /Quickby board, open/]) {
    await openFraming(page, name);
    await page.goBack();
  }

  await page.getByRole('link', { name: 'Mivvy, all productions' }).click();
  await page.getByRole('link', { name: 'Harbour lights' }).first().click();
  await openFraming(page, /Quickby tall, open/);
  await page.getByRole('link', { name: 'Deliverables' }).click();
  await expect(page.getByRole('complementary').getByText('Passed', { exact: true })).toBeVisible();
  expect(await downloadedSum(page)).toBe(sum);
});
