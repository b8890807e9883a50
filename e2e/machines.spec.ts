import { mkdir, mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import { expect, test } from '@playwright/test';
import { addQuickBook, bringIn, choosePlaces, plainFilm } from './testing/helpers.ts';
import { redisThere, startMachine, startRedis } from './testing/own-redis.ts';
import { endServer, startServer, type OwnServer } from './testing/own-server.ts';

test.skip(!redisThere, 'redis-server is not installed');

let dir: string;
let server: OwnServer;
let redis: Awaited<ReturnType<typeof startRedis>>;
test.beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy machines '));
  await mkdir(join(dir, 'data', 'inbox'), { recursive: true });
  redis = await startRedis(dir);
  server = await startServer(join(dir, 'data'), {
    MIVVY_QUEUE: redis.url,
    MIVVY_EXPORTS: '0',
    MIVVY_REVIEW_PORT: '0',
    MIVVY_LOOKING: 'when-asked',
  });
});
test.afterAll(async () => {
  await endServer(server.child, 'SIGTERM');
  await endServer(redis.child);
  await rm(dir, { recursive: true, force: true });
});

test('a machine joins, makes what waits, takes nothing more when it is told so, and is removed', async ({
  browser,
}) => {
  test.setTimeout(300_000);
  const page = await (await browser.newContext({ baseURL: server.base })).newPage();
  await page.goto('/');
  await addQuickBook(page);
  await bringIn(page, await plainFilm('for machines.mp4', 3));
  await choosePlaces(page, 'Quickby, Tall');
  await page.getByRole('link', { name: 'Exports' }).click();
  await page.getByRole('button', { name: /^Export 1 version/ }).click();

  // The screen that waits says why, and leads to where it is mended.
  await expect(page.getByText('No render machine has joined')).toBeVisible();
  const exports = page.url();
  await page.getByRole('link', { name: 'See what makes them' }).click();
  await expect(page.getByText('It was started with --exports 0')).toBeVisible();
  await expect(page.getByText(`./mivvy worker --server ${server.base}`)).toBeVisible();

  const machine = startMachine({
    server: server.base,
    queue: redis.url,
    cache: join(dir, 'films'),
    name: 'Cupboard',
  });
  const gone = new Promise((resolve) => machine.once('exit', resolve));
  const row = page
    .getByRole('list', { name: 'Machines' })
    .getByRole('listitem')
    .filter({ hasText: 'Cupboard' });
  await expect(row).toContainText('It has made 1 file', { timeout: 60_000 });
  await expect(page.getByText('No render machine has joined')).toBeHidden();
  const { violations } = await new AxeBuilder({ page })
    .withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice'])
    .analyze();
  expect(violations.filter((v) => v.impact !== 'minor').map((v) => v.id)).toEqual([]);

  await page.goto(exports);
  await expect(page.getByText('on Cupboard')).toBeVisible();
  await page.goto('/machines');
  await row.getByRole('button', { name: 'Take nothing more' }).click();
  await expect(row.getByText('Takes nothing', { exact: true })).toBeVisible();
  await expect(
    page.getByRole('status').filter({ hasText: 'Cupboard is told to take nothing more' }),
  ).toBeVisible();
  await row.getByRole('button', { name: 'Let it take work' }).click();
  await expect(row.getByText('Waits', { exact: true })).toBeVisible();
  await row.getByRole('button', { name: 'What Cupboard may do at once: change' }).click();
  await page.getByRole('menuitem', { name: '2 at once at most' }).click();
  await expect(row).toContainText('2 at once at most');
  await row.getByText('Its log').click();
  await expect(row.getByText('joined')).toBeVisible();
  await row.getByRole('button', { name: 'Remove Cupboard' }).click();
  await expect(row).toHaveCount(0);
  expect(await gone).toBe(3);
});
