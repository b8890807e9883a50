import { copyFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { addQuickBook, bringIn, choosePlaces, plainFilm, quickBook } from './testing/helpers.ts';

/** What a person does beside the road: each of these is a way that nothing else here goes. */

const dataDir = process.env.MIVVY_E2E_DATA!;

test('a production is named, renamed and removed', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('button', { name: 'New production' }).click();
  await page.getByLabel('Name of the film or job').fill('Slate roof');
  await page.getByLabel('Client').fill('Roofers & Daughters');
  await page.getByRole('button', { name: 'Start' }).click();
  await expect(page.getByText('Drop the finished film here')).toBeVisible();
  await page.goto('/');
  await page.getByRole('button', { name: 'Rename Slate roof' }).click();
  await page.getByLabel('Name of the film or job').fill('Thatched roof');
  await page.getByRole('button', { name: 'Rename', exact: true }).click();
  await expect(page.getByRole('link', { name: 'Thatched roof' })).toBeVisible();
  const card = page.getByRole('listitem').filter({ hasText: 'Thatched roof' });
  await card.getByRole('button', { name: /^Remove/ }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByRole('link', { name: 'Thatched roof' })).toHaveCount(0);
});

test('a film is taken from the inbox, and removed: it stays in its folder', async ({ page, request }) => {
  const inInbox = join(dataDir, 'inbox', 'from the inbox.mp4');
  await copyFile(await plainFilm('from the inbox.mp4'), inInbox);
  const { id } = (await (
    await request.post('/api/productions', { data: { name: 'By the inbox' } })
  ).json()) as { id: string };
  await page.goto(`/productions/${id}/masters`);
  await page.getByRole('button', { name: 'From the inbox' }).click();
  const line = page.getByRole('dialog').getByRole('listitem').filter({ hasText: 'from the inbox.mp4' });
  await line.getByRole('button', { name: 'Bring in' }).click();
  await expect(line.getByRole('button', { name: 'Taken' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.getByText('the inbox folder', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Remove this master' }).click();
  await expect(page.getByRole('dialog')).toContainText('The film itself stays in the inbox folder.');
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByText('Drop the finished film here')).toBeVisible();
  // It would not be there to be removed if it had not stayed.
  await rm(inInbox);
});

test('an export is stopped and started again; one that fails says why and shows its log; one that is behind is made anew and played', async ({
  page,
  request,
}) => {
  await addQuickBook(page);
  // Large and slow, so that there is time to stop it.
  const slow = structuredClone(quickBook) as { outlets: { id: string; placements: object[] }[] };
  slow.outlets[0]!.id = 'slow';
  slow.outlets[0]!.placements = [
    {
      id: 'slow-large',
      name: 'Large',
      frame: { width: 2160, height: 3840 },
      container: 'mp4',
      video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 9000, maxKbps: 12000 } },
      audio: null,
    },
  ];
  const added = await request.post('/api/spec-book/files', {
    data: { fileName: 'slow.specbook.json', text: JSON.stringify(slow).replace('Quickby', 'Slowby') },
  });
  expect(added.ok()).toBe(true);
  await bringIn(page, await plainFilm('stopped.mp4', 8));
  await choosePlaces(page, 'Slowby, Large');
  await page.getByRole('button', { name: 'Export 1 version' }).click();
  await page.getByRole('link', { name: 'Exports', exact: true }).click();
  await page.getByRole('button', { name: 'Stop' }).click();
  await expect(page.getByText('stopped before it was finished; nothing was left behind')).toBeVisible();
  await page.getByRole('button', { name: 'Start again' }).click();
  await expect(page.getByRole('button', { name: 'Stop' })).toBeVisible();
  await page.getByRole('button', { name: 'Stop' }).click();
  await expect(page.getByText('Stopped', { exact: true })).toBeVisible();

  // A film that is no longer there cannot be made from: a true reason, and a log that tells it.
  const inInbox = join(dataDir, 'inbox', 'vanishing.mp4');
  await copyFile(await plainFilm('vanishing.mp4'), inInbox);
  const productionId = /productions\/([\w-]+)/.exec(page.url())![1]!;
  const master = (await (
    await request.post(`/api/productions/${productionId}/masters`, {
      data: { inboxFile: 'inbox/vanishing.mp4' },
    })
  ).json()) as { id: string };
  const made = (await (
    await request.post(`/api/productions/${productionId}/versions`, {
      data: { masterId: master.id, placementIds: ['quick-square'] },
    })
  ).json()) as { id: string; revision: number; framing: object }[];
  const version = made[0]!;
  await expect
    .poll(async () => {
      const answer = await request.get(`/api/masters/${master.id}`);
      return ((await answer.json()) as { sha256: string | null }).sha256;
    })
    .not.toBeNull();
  await expect
    .poll(async () => {
      const answer = await request.get(`/api/productions/${productionId}/jobs`);
      return ((await answer.json()) as { state: string }[]).filter((j) => j.state === 'running').length;
    })
    .toBe(0);
  await rm(inInbox);
  await request.post(`/api/productions/${productionId}/exports`, { data: { versionIds: [version.id] } });
  await page.reload();
  await expect(page.getByText('is no longer where it was', { exact: false }).first()).toBeVisible();
  const log = await request.get(
    (await page.getByRole('link', { name: 'Log' }).first().getAttribute('href'))!,
  );
  expect(await log.text()).toContain('is no longer where it was');

  // Back in its place it is made, put behind by another framing, made anew from its own page, and played.
  await copyFile(await plainFilm('vanishing.mp4'), inInbox);
  await page
    .getByRole('listitem')
    .filter({ hasText: 'Square' })
    .getByRole('button', { name: 'Start again' })
    .click();
  await page.getByRole('link', { name: 'Deliverables', exact: true }).click();
  await page.goto(`/productions/${productionId}/deliverables/${version.id}`);
  await expect(page.getByRole('link', { name: 'Play the file' })).toBeVisible({ timeout: 75_000 });
  const framing = {
    version: 1,
    stretches: [{ from: 0, move: { kind: 'hold', pose: { x: 0.2, y: 0.5, zoom: 1.2 } } }],
  };
  await request.patch(`/api/versions/${version.id}`, { data: { revision: version.revision, framing } });
  await expect(page.getByText('This file is older than the version', { exact: false })).toBeVisible();
  await page.getByRole('button', { name: 'Export it again' }).click();
  await expect(page.getByText('Made before')).toBeVisible({ timeout: 75_000 });
  await expect(page.getByText('This file is older than the version', { exact: false })).toHaveCount(0);
  const [played] = await Promise.all([
    page.context().waitForEvent('page'),
    page.getByRole('link', { name: 'Play the file' }).click(),
  ]);
  await expect(played.locator('video')).toBeVisible();
});

test('a window is zoomed by the wheel and by key, undone and done again; arrows lose no press', async ({
  page,
}) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('zoomed.mp4'));
  await choosePlaces(page, 'Quickby, Square');
  await page.getByRole('link', { name: /open its framing/ }).click();
  await expect(page).toHaveURL(/\/framing\//);
  const numbers = page.getByTestId('window-numbers');
  const width = async () => Number(/w ([\d.]+)/.exec((await numbers.textContent())!)![1]);
  const left = async () => Number(/x ([\d.]+)/.exec((await numbers.textContent())!)![1]);
  await expect(numbers).toBeVisible();
  const whole = await width();
  await page.keyboard.press('+');
  await expect.poll(width).toBeLessThan(whole);
  const byKey = await width();
  const surface = (await page.getByTestId('master-surface').boundingBox())!;
  await page.mouse.move(surface.x + surface.width / 2, surface.y + surface.height / 2);
  await page.mouse.wheel(0, -200);
  await expect.poll(width).toBeLessThan(byKey);
  // Twenty presses as fast as they come: each starts from where the one before left the window.
  const before = await left();
  await page.evaluate(() => {
    for (let n = 0; n < 20; n++)
      document.body.dispatchEvent(
        new KeyboardEvent('keydown', { key: 'ArrowRight', code: 'ArrowRight', bubbles: true }),
      );
    document.body.dispatchEvent(
      new KeyboardEvent('keyup', { key: 'ArrowRight', code: 'ArrowRight', bubbles: true }),
    );
  });
  await expect.poll(left).toBeCloseTo(before + 20, 0);
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect.poll(left).not.toBeCloseTo(before + 20, 0);
  await page.keyboard.press('Control+Shift+z');
  await expect.poll(left).toBeCloseTo(before + 20, 0);
});
