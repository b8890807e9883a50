import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import {
  addQuickBook,
  bringIn,
  choosePlaces,
  files,
  leaveForLater,
  plainFilm,
  quickBook,
} from './testing/helpers.ts';

test('a file that is no film is said in words, and nothing else is lost', async ({ page }) => {
  const letter = join(files, 'letter.mp4');
  await writeFile(letter, 'Dear client, the film follows.');
  await page.goto('/');
  await page
    .getByTestId('film-chooser')
    .first()
    .setInputFiles([letter, await plainFilm('beside a letter.mp4')]);
  await leaveForLater(page);
  await expect(page.getByText('This is not a video that can be read.').first()).toBeVisible();
  await expect(page.getByRole('button', { name: 'Choose places' })).toBeVisible();
  await page.getByRole('link', { name: 'Masters', exact: true }).click();
  // The sheet, which says it too, is shown until the screen has been loaded.
  await expect(page.getByRole('button', { name: 'Bring in films' })).toBeVisible();
  await expect(page.getByText('Cannot be used')).toBeVisible();
  await expect(page.getByText('640 × 360, 25 fps, 2 s', { exact: false })).toBeVisible();
});

test('a version whose film cannot be used is said not to have been checked', async ({ page, request }) => {
  const letter = join(files, 'no film.mp4');
  await writeFile(letter, 'Dear client, the film follows.');
  await addQuickBook(page);
  await page.goto('/');
  await page
    .getByTestId('film-chooser')
    .first()
    .setInputFiles([letter, await plainFilm('beside no film.mp4')]);
  await leaveForLater(page);
  await expect(page.getByText('This is not a video that can be read.').first()).toBeVisible();
  const production = `/api/productions/${/productions\/([\w-]+)/.exec(page.url())![1]!}`;
  let masters: { id: string; state: string }[] = [];
  // The other one may be on its way still.
  await expect
    .poll(async () => {
      ({ masters } = (await (await request.get(production)).json()) as { masters: typeof masters });
      return masters.map(({ state }) => state).sort();
    })
    .toEqual(['failed', 'ready']);
  for (const { id } of masters) {
    const data = { masterId: id, placementIds: ['quick-square'] };
    expect((await request.post(`${production}/versions`, { data })).ok()).toBe(true);
  }
  const checked = page.getByRole('region', { name: 'What was checked' });
  await expect(checked).toContainText('1 version could not be checked.');
  await expect(checked).not.toContainText('Every version');
  const unusable = masters.find(({ state }) => state === 'failed')!;
  expect((await request.delete(`/api/masters/${unusable.id}`)).ok()).toBe(true);
  await expect(checked).toContainText('Every version keeps to its place’s numbers.');
  await expect(checked).not.toContainText('could not be checked');
});

test('an upload that is cut in the middle goes on by itself', async ({ page }) => {
  const film = await plainFilm('long way.mp4', 20);
  await page.goto('/');
  let cut = 0;
  await page.route('**/api/uploads/*', async (route) => {
    if (route.request().method() === 'PATCH' && cut < 2) {
      cut++;
      return route.abort('connectionreset');
    }
    return route.continue();
  });
  await page.getByTestId('film-chooser').first().setInputFiles(film);
  await leaveForLater(page);
  await expect(page.getByRole('button', { name: 'Choose places' })).toBeVisible({ timeout: 75_000 });
  expect(cut).toBe(2);
});

test('two windows on one version: the later one is told, shows the newer framing, and can put its own on top', async ({
  page,
  context,
}) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('shared.mp4'));
  await choosePlaces(page, 'Quickby, Tall');
  await page.getByRole('link', { name: /open its framing/ }).click();
  // The address changes when the screen has been loaded.
  await expect(page).toHaveURL(/\/framing\//);
  const other = await context.newPage();
  // The other window hears nothing of the first one's change.
  await other.route('**/api/events', (route) => route.abort());
  await other.goto(page.url());
  await expect(other.getByTestId('window-numbers')).toBeVisible();
  await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByText('Saved.')).toBeVisible();
  const newer = await page.getByTestId('window-numbers').textContent();
  await other.keyboard.press('Shift+ArrowLeft');
  await expect(
    other.getByText('This version was changed in another window meanwhile.', { exact: false }),
  ).toBeVisible();
  await expect(other.getByTestId('window-numbers')).toHaveText(newer!);
  await other.getByRole('button', { name: 'Put mine on top' }).click();
  await expect(other.getByTestId('window-numbers')).not.toHaveText(newer!);
  await expect(other.getByText('Saved.')).toBeVisible();
  const mine = await other.getByTestId('window-numbers').textContent();
  await expect(page.getByTestId('window-numbers')).toHaveText(mine!);
  // Neither is lost: the one below can be taken back to.
  await other.getByRole('button', { name: /undo|take back/i }).click();
  await expect(page.getByTestId('window-numbers')).toHaveText(newer!);
});

test('a version over its limit is at fault, says by how much, and is not offered for export', async ({
  page,
}) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('too long.mp4'));
  await choosePlaces(page, 'Quickby, Short');
  await expect(page.getByText('Runs 2 s; at most 1 s is allowed, so 1 s must go.')).toBeVisible();
  await expect(page.getByRole('button', { name: /^Export/ })).toHaveCount(0);
});

test('a spec book with a fault is refused by its path; a good one is in the book at once', async ({
  page,
}) => {
  await page.goto('/spec-book');
  await expect(page.getByRole('heading', { name: 'Starter formats' })).toBeVisible();
  const odd = structuredClone(quickBook) as {
    outlets: { id: string; placements: { id: string; frame: { width: number } }[] }[];
  };
  odd.outlets[0]!.placements[0]!.frame.width = 271;
  const chooser = page.getByTestId('spec-chooser');
  await chooser.setInputFiles({
    name: 'odd.specbook.json',
    mimeType: 'application/json',
    buffer: Buffer.from(JSON.stringify(odd)),
  });
  await expect(page.getByRole('alert')).toContainText(
    'outlets.0.placements.0.frame.width: a frame side must be even',
  );
  await page.getByRole('button', { name: 'Leave the book as it is' }).click();
  const good = JSON.parse(
    JSON.stringify(quickBook).replaceAll('quick', 'fresh').replace('Quickby', 'Freshwater'),
  ) as object;
  await chooser.setInputFiles({
    name: 'fresh.specbook.json',
    mimeType: 'application/json',
    buffer: Buffer.from(JSON.stringify(good)),
  });
  const dialog = page.getByRole('dialog', { name: 'fresh.specbook.json' });
  await expect(dialog.getByText('Freshwater, Tall')).toBeVisible();
  await dialog.getByRole('button', { name: 'Take it in' }).click();
  await page.getByRole('textbox', { name: 'Find a placement' }).fill('freshwater tall');
  await page.getByRole('heading', { name: 'Freshwater' }).waitFor();
});

test('a film whose upload is given up is asked about no more, and the next one is asked about for itself', async ({
  page,
}) => {
  await page.goto('/');
  await page.route('**/api/uploads', (route) =>
    route.fulfill({
      status: 422,
      contentType: 'application/json',
      body: JSON.stringify({ code: 'no', sentence: 'This film is not taken.', mend: 'Take another.' }),
    }),
  );
  const chooser = page.getByTestId('film-chooser').first();
  await chooser.setInputFiles(await plainFilm('given up.mp4'));
  await expect(page.getByRole('heading', { name: 'Where does “given up.mp4” go?' })).toBeVisible();
  await page.getByRole('checkbox', { name: 'Starter formats, Square 1:1' }).check();
  await page.getByRole('button', { name: /^Make 1 version/ }).click();
  await expect(page.getByText('This film is not taken.', { exact: false })).toBeVisible();
  await page.getByRole('button', { name: 'Clear' }).click();
  await page.unroute('**/api/uploads');
  await page
    .getByTestId('film-chooser')
    .first()
    .setInputFiles(await plainFilm('comes.mp4'));
  await expect(page.getByRole('heading', { name: 'Where does “comes.mp4” go?' })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('button', { name: 'Choose places' })).toBeVisible();
  // What was chosen for the first is not made of the second.
  await expect(page.getByText('Square', { exact: false })).toHaveCount(0);
});
