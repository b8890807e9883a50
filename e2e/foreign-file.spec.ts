import { expect, test } from '@playwright/test';
import { addQuickBook, bringIn, choosePlaces, plainFilm } from './testing/helpers.ts';

test('a file made elsewhere is dropped in and its report read, against a version and for a place alone', async ({
  page,
}) => {
  await addQuickBook(page);
  const film = await plainFilm('from elsewhere.mp4');
  await bringIn(page, film);
  await choosePlaces(page, 'Quickby, Square');
  await page.getByRole('link', { name: 'Deliverables' }).click();
  await page.getByRole('button', { name: 'Check a file made elsewhere' }).click();
  const dialog = page.getByRole('dialog');
  const chooser = dialog.getByTestId('foreign-chooser');
  // Against the version that it is the master of: neither its frame nor its sound is what is wanted.
  await chooser.setInputFiles(film);
  await expect(dialog.getByText('Failed its check')).toBeVisible({ timeout: 150_000 });
  await expect(dialog.getByRole('row', { name: /Frame size/ })).toContainText('360 × 360');
  await expect(dialog.getByRole('row', { name: /Frame size/ })).toContainText('640 × 360');
  const keeping = page.waitForEvent('download');
  await dialog.getByRole('link', { name: 'Keep the report as a page' }).click();
  expect((await keeping).suggestedFilename()).toBe('from elsewhere.mp4.report.html');
  // For a place alone.
  await dialog.getByRole('combobox', { name: 'Held against' }).click();
  await page.getByRole('option', { name: 'Quickby, Tall, without a master' }).click();
  await chooser.setInputFiles({ name: 'notes.mp4', mimeType: 'video/mp4', buffer: Buffer.from('no film') });
  await expect(dialog.getByRole('alert')).toContainText('no picture that can be read');
});
