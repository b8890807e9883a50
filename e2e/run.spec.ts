import { expect, test } from '@playwright/test';
import { addQuickBook, bringIn, choosePlaces, plainFilm } from './testing/helpers.ts';

test('a run is paused, put in another order, and goes on; the page says what each file will come to', async ({
  page,
}) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('the run.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square', 'Quickby, Board');
  await page.getByRole('link', { name: 'Exports' }).click();
  const notYet = page.getByRole('region', { name: 'Not asked for yet' });
  await expect(notYet.getByRole('listitem')).toHaveCount(3);
  await expect(notYet.getByRole('listitem').first()).toContainText(/about|not known before the first/);
  // One is left out, and taken in again.
  await notYet.getByRole('checkbox', { name: 'Quickby board' }).uncheck();
  await expect(page.getByRole('button', { name: 'Export 2 versions' })).toBeVisible();
  await notYet.getByRole('button', { name: 'All of them' }).click();
  // Held before anything is asked for, so that nothing is quicker than this test.
  await page.request.patch('/api/preferences', { data: { exportsPaused: true } });
  try {
    await page.getByRole('button', { name: 'Export 3 versions' }).click();
    const rows = page.locator('li.job');
    await expect(rows).toHaveCount(3);
    await expect(page.getByText('Paused: what is being made is finished')).toBeVisible();
    await page.context().grantPermissions(['notifications']);
    await page.evaluate(() => {
      const told: string[] = [];
      const fake = function (title: string) {
        told.push(title);
      };
      Object.assign(fake, { permission: 'granted', requestPermission: () => Promise.resolve('granted') });
      Object.assign(window, { Notification: fake, told });
    });
    await page.getByRole('button', { name: 'Tell me when it is done' }).click();
    const names = () => rows.locator('b').allTextContents();
    const before = await names();
    await rows
      .nth(2)
      .getByRole('button', { name: /: sooner$/ })
      .click();
    await expect.poll(names).toEqual([before[0], before[2], before[1]]);
    await rows
      .nth(0)
      .getByRole('button', { name: /: later$/ })
      .press('Enter');
    await expect.poll(names).toEqual([before[2], before[0], before[1]]);
    await expect(rows.nth(0).getByRole('button', { name: /: sooner$/ })).toBeDisabled();
    await page.getByRole('button', { name: 'Go on with the run' }).click();
    await expect(page.getByText('Nothing in the queue')).toBeVisible({ timeout: 225_000 });
    await expect(page.locator('li.job[data-state=done]')).toHaveCount(3);
    expect(await page.evaluate(() => (window as unknown as { told: string[] }).told)).toEqual([
      expect.stringContaining('the run has ended'),
    ]);
  } finally {
    await page.request.patch('/api/preferences', { data: { exportsPaused: false } });
  }
});
