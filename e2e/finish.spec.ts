import { readFile } from 'node:fs/promises';
import { expect, test } from '@playwright/test';
import { addQuickBook, bringIn, choosePlaces, plainFilm, quickBook } from './testing/helpers.ts';

test('a place asks for a cover: it is picked on the film, made beside its file, and downloaded', async ({
  page,
}) => {
  test.setTimeout(300_000);
  const [outlet] = quickBook.outlets;
  const square = { ...outlet!.placements[1]!, id: 'coverly-square' };
  const book = { ...quickBook, outlets: [{ id: 'coverly', name: 'Coverly', placements: [square] }] };
  await page.request.post('/api/spec-book/files', {
    data: { fileName: 'coverly.specbook.json', text: JSON.stringify(book) },
  });
  await page.goto('/spec-book/coverly-square');
  await page.getByRole('button', { name: 'One of the frame’s size' }).click();
  await expect(page.getByRole('button', { name: 'Cover: change' })).toHaveText('360 × 360');
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page.getByRole('button', { name: 'Keep it' })).toHaveCount(0);
  await bringIn(page, await plainFilm('cover.mp4'));
  await choosePlaces(page, 'Coverly, Square');
  const production = page.url().replace(/\/$/, '');
  await page.goto(`${production}/framing`);
  const note = page.getByRole('region', { name: 'Delivery note' });
  await expect(note).toContainText(
    'Its cover, JPEG of 360 × 360, is the picture at 00:00:01:00, the middle of what plays',
  );
  await note.getByRole('button', { name: 'Take the picture at the head' }).click();
  await expect(note).toContainText('is the picture at 00:00:00:00. Take the middle one');
  await expect(note.getByRole('img', { name: 'The cover' })).toBeVisible();
  await page.goto(`${production}/exports`);
  await page.getByRole('button', { name: 'Export 1 version' }).click();
  await expect(page.getByText('Made', { exact: true })).toBeVisible({ timeout: 150_000 });
  await page.goto(`${production}/deliverables`);
  await page.getByText('Square').first().click();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Its cover, .jpg' }).click(),
  ]);
  expect(download.suggestedFilename()).toMatch(/\.jpg$/);
  expect((await readFile(await download.path())).subarray(0, 3)).toEqual(Buffer.from([0xff, 0xd8, 0xff]));
});

test('a test strip is made in two ways, wiped, and one of its sharpenings kept; the effort is measured', async ({
  page,
}) => {
  test.setTimeout(450_000);
  await addQuickBook(page);
  await bringIn(page, await plainFilm('strip.mp4'));
  await choosePlaces(page, 'Quickby, Tall');
  const production = page.url().replace(/\/$/, '');
  await page.goto(`${production}/framing`);
  const note = page.getByRole('region', { name: 'Delivery note' });
  await note.getByRole('button', { name: 'Try it on a test strip' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: 'and in another way' }).click();
  await dialog.getByRole('button', { name: 'Make the strip' }).click();
  await expect(dialog.locator('video')).toHaveCount(2, { timeout: 150_000 });
  // Pixel for pixel: a film of 270 × 480 takes that much of the screen.
  await expect
    .poll(() =>
      dialog
        .locator('video')
        .first()
        .evaluate((v: HTMLVideoElement) => [v.clientWidth, v.clientHeight]),
    )
    .toEqual([270, 480]);
  await expect(dialog.getByRole('listitem')).toHaveCount(2);
  await dialog.getByRole('button', { name: 'On the left: change' }).click();
  await page.getByRole('menuitem', { name: 'as usual, sharpened lightly' }).click();
  await expect
    .poll(() =>
      dialog
        .locator('video')
        .nth(1)
        .evaluate((v: HTMLVideoElement) => v.currentSrc),
    )
    .toMatch(/second$/);
  await dialog.getByRole('button', { name: 'Keep it sharpened lightly' }).click();
  await expect(dialog).toHaveCount(0);
  await expect(note.getByRole('button', { name: 'Sharpening: change' })).toHaveText('sharpened lightly');

  await page.goto(`${production}/exports`);
  await page.getByRole('button', { name: 'Measure what each costs and gains here' }).click();
  await expect(page.getByText(/measured on “strip”/)).toBeVisible({ timeout: 225_000 });
  await page.getByRole('button', { name: 'Effort: change' }).click();
  await expect(page.getByRole('menuitem', { name: /^thoroughly about \d/ })).toBeVisible();
  await page.getByRole('menuitem', { name: /^quickly/ }).click();
  await expect(page.getByRole('button', { name: 'Effort: change' })).toHaveText('quickly');
  await page.getByRole('button', { name: 'Effort: change' }).click();
  await page.getByRole('menuitem', { name: /^as usual/ }).click();
});
