import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { execa } from 'execa';
import { makeRuler } from '../packages/media/src/testing/ruler.ts';
import { addQuickBook, bringIn, choosePlaces, files, openFraming, readProof } from './testing/helpers.ts';

test('a film that browsers cannot play gets a proxy, and its proof shows the same frames', async ({
  page,
}) => {
  const source = join(files, 'deep source.mp4');
  const film = join(files, 'deep.mov');
  const size = { width: 640, height: 360 };
  await makeRuler(source, { size, rate: { num: 25, den: 1 }, frames: 30, sound: true });
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-i',
    source,
    '-c:v',
    'prores_ks',
    '-profile:v',
    '2',
    '-pix_fmt',
    'yuv422p10le',
    '-c:a',
    'pcm_s16le',
    film,
  ]);
  await addQuickBook(page);
  await bringIn(page, film);
  await choosePlaces(page, 'Quickby, Square');
  await openFraming(page, /square, open its framing/);
  const canvas = page.getByTestId('proof-surface').locator('canvas');
  await page.evaluate(() =>
    (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk.seek(22),
  );
  await expect(canvas).toHaveAttribute('data-frame', '22');
  const proof = await readProof(canvas, size);
  expect(proof.frame).toBe(22);
  expect(Math.abs(proof.window.x - 140)).toBeLessThan(2);
  await page.getByRole('link', { name: 'Masters', exact: true }).click();
  await expect(page.getByText('10 bits a channel: delivered at 8.')).toBeVisible();
  await expect(page.getByText('prores', { exact: false }).first()).toBeVisible();
});

test('a sideways phone clip stands upright, and is framed upright', async ({ page }) => {
  const film = join(files, 'phone.mp4');
  const size = { width: 360, height: 640 };
  await makeRuler(film, { size, rate: { num: 30, den: 1 }, frames: 30, rotation: 90 });
  await addQuickBook(page);
  await bringIn(page, film);
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square');
  await openFraming(page, /square, open its framing/);
  await expect(page.getByTestId('window-numbers')).toHaveText('x 0 · y 140 · w 360 · h 360');
  const canvas = page.getByTestId('proof-surface').locator('canvas');
  await page.evaluate(() =>
    (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk.seek(11),
  );
  await expect(canvas).toHaveAttribute('data-frame', '11');
  const proof = await readProof(canvas, size);
  expect(proof.frame).toBe(11);
  expect(Math.abs(proof.window.y - 140)).toBeLessThan(2);
  expect(Math.abs(proof.window.x)).toBeLessThan(2);
  await page.getByRole('link', { name: 'Masters', exact: true }).click();
  await expect(page.getByText('Stored sideways and turned 90° when shown', { exact: false })).toBeVisible();
  await expect(page.getByText('No sound: every version of it is silent.')).toBeVisible();
});
