import { expect, test } from '@playwright/test';
import { addQuickBook, bringIn, choosePlaces, plainFilm } from './testing/helpers.ts';

test('the ledger finds a deliverable among all productions, keeps the view, and leads to it', async ({
  page,
}) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('Regatta.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square');
  const base = new URL(page.url()).pathname;
  await page.goto('/ledger');
  const grid = page.getByRole('grid', { name: 'Deliverables' });
  await page.getByRole('searchbox', { name: 'Find' }).fill('regatta square');
  await expect(grid.getByRole('row')).toHaveCount(2);
  await page.getByRole('textbox', { name: 'Keep this view as' }).fill('Regatta’s square');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Everything' }).click();
  await expect(page.getByRole('searchbox', { name: 'Find' })).toHaveValue('');
  await page.getByRole('button', { name: 'Regatta’s square', exact: true }).click();
  await expect(grid.getByRole('row')).toHaveCount(2);
  // Put together by production, and one of them looked at alone.
  await page.getByRole('button', { name: 'Everything' }).click();
  const groups = page.getByRole('group', { name: 'Groups' });
  await groups.getByRole('button', { name: /How deliverables are put together/ }).click();
  await page.getByRole('menuitem', { name: 'by production' }).click();
  await page.getByRole('searchbox', { name: 'Find' }).fill('regatta');
  // Each has its head above its rows; folded it stands alone, and the others are what they were.
  const head = grid.getByRole('button', { name: /^Regatta 2/ });
  await expect(head).toHaveAttribute('aria-expanded', 'true');
  const link = grid.getByRole('link', { name: /^Quickby square Regatta/ });
  await expect(link).toBeVisible();
  await head.click();
  await expect(link).toHaveCount(0);
  await expect(head).toHaveAttribute('aria-expanded', 'false');
  await head.click();
  await expect(link).toBeVisible();
  await grid.getByRole('button', { name: /^This one alone.*Regatta/ }).click();
  await expect(grid.getByRole('row')).toHaveCount(4);
  await grid.getByRole('button', { name: 'All groups' }).click();
  await expect(grid.getByRole('button', { name: /^This one alone.*Regatta/ })).toBeVisible();
  await page.getByRole('button', { name: 'Regatta’s square', exact: true }).click();
  await expect(grid.getByRole('row')).toHaveCount(2);
  await page.getByRole('group', { name: 'Standing' }).getByRole('button').first().click();
  await grid.getByRole('link', { name: /Quickby square/ }).click();
  await expect(page).toHaveURL(new RegExp(`${base}/deliverables/`));
  await expect(page.getByRole('complementary', { name: 'Quickby square' })).toBeVisible();
});

test('the ledger of all productions is folded by standing and by day, and each card leads to its deliverable', async ({
  page,
}) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('Lantern Walk.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square');
  const base = new URL(page.url()).pathname;
  // A day of the page's own clock: in the middle of its month, so that no other month's weeks show it too.
  const day = '2999-05-15';
  await page.clock.setFixedTime(new Date(`${day}T12:00:00`));
  await page.request.patch(`/api${base}`, { data: { dueOn: day } });
  await page.goto('/ledger?as=board');
  await page.getByRole('searchbox', { name: 'Find' }).fill('lantern walk');
  const planned = page.getByRole('region', { name: 'Planned' });
  await expect(planned.getByRole('listitem')).toHaveCount(2);
  await expect(planned).toContainText('due ');
  await page.getByRole('group', { name: 'Folded as' }).getByRole('button', { name: 'Calendar' }).click();
  const cell = page.getByRole('listitem').filter({ has: page.locator(`time[datetime="${day}"]`) });
  await expect(cell.getByRole('link')).toHaveCount(2);
  await expect(cell.locator('time')).toHaveAttribute('aria-current', 'date');
  await page.getByRole('button', { name: 'After' }).click();
  await expect(page.getByRole('link', { name: /^Quickby/ })).toHaveCount(0);
  await page.getByRole('button', { name: 'Before' }).click();
  await cell.getByRole('link', { name: 'Quickby square' }).click();
  await expect(page).toHaveURL(new RegExp(`${base}/deliverables/`));
});

test('the finder answers words with sentences of what would happen, and goes there', async ({ page }) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('Harbour.mp4'));
  await choosePlaces(page, 'Quickby, Tall');
  const base = new URL(page.url()).pathname;
  await page.keyboard.press('/');
  const finder = page.getByRole('dialog', { name: 'What would you like to do?' });
  await finder.getByRole('combobox').fill('zip');
  await expect(finder.getByRole('option').first()).toHaveText('Hand over the files of “Harbour”.');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(new RegExp(`${base}/dispatch$`));
  await page.keyboard.press('F2');
  await finder.getByRole('combobox').fill('frame quickby tall');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/framing/);
});

test('a production is started like another, and its places are offered', async ({ page }) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('Lighthouse.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Board');
  await page.goto('/');
  await page.getByRole('button', { name: 'One like Lighthouse', exact: true }).click();
  await page.getByRole('textbox', { name: 'Name of the film or job' }).fill('Lighthouse, spring');
  await page.getByRole('textbox', { name: 'Due' }).fill('2999-03-01');
  await page.getByRole('button', { name: 'Start it' }).click();
  await expect(page).toHaveURL(/productions\/[\w-]+$/);
  const { id, dueOn } = (await (
    await page.request.get(new URL(page.url()).pathname.replace('/productions/', '/api/productions/'))
  ).json()) as { id: string; dueOn: string };
  expect([id.length > 3, dueOn]).toEqual([true, '2999-03-01']);
});
