import { createHash } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { execa } from 'execa';
import { makeRuler, readRuler } from '../packages/media/src/testing/ruler.ts';
import { addQuickBook, asOneShot, bringIn, choosePlaces, drag, files, readProof } from './testing/helpers.ts';

const master = { width: 1280, height: 720 };

test('a film is dropped, placed, framed, exported, downloaded; and the file is what the proof showed', async ({
  page,
}) => {
  const film = join(files, 'Ruler film.mp4');
  await makeRuler(film, { size: master, rate: { num: 25, den: 1 }, frames: 60, sound: true });
  await addQuickBook(page);
  await bringIn(page, film);
  await choosePlaces(page, 'Quickby, Tall');
  await asOneShot(page);
  const cell = page.getByRole('link', { name: /Quickby tall, open its framing/ });
  await expect(cell).toBeVisible();
  await cell.click();

  const numbers = page.getByTestId('window-numbers');
  await expect(numbers).toHaveText('x 437.5 · y 0 · w 405 · h 720');
  // Dragged on the master to the left, nudged by key, typed by number: each moves the window, and none lets it out.
  await drag(page, page.getByTestId('master-surface'), -120, 0);
  const dragged = Number((await numbers.textContent())!.match(/x ([\d.]+)/)![1]);
  expect(dragged).toBeLessThan(300);
  await page.keyboard.press('ArrowRight');
  await expect(numbers).toContainText(`x ${Number((dragged + 1).toFixed(1))}`);
  await page.keyboard.press('Shift+ArrowLeft');
  await expect(numbers).toContainText(`x ${Number((dragged - 9).toFixed(1))}`);
  for (let i = 0; i < 3; i++) await drag(page, page.getByTestId('proof-surface'), 100, 0);
  await expect(numbers).toContainText('x 0 ·');
  await page.getByRole('button', { name: 'Zoom: change' }).click();
  await page.getByRole('textbox', { name: 'Zoom' }).fill('1.25');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Left edge: change' }).click();
  await page.getByRole('textbox', { name: 'Left edge' }).fill('211');
  await page.keyboard.press('Enter');
  await expect(numbers).toHaveText('x 211 · y 72 · w 324 · h 576');
  await expect(page.getByText('Saved.')).toBeVisible();

  // Live while scrubbing: the proof shows the window and the frame that the head stands on.
  await page.evaluate(() =>
    (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk.seek(37),
  );
  await expect(page.getByTestId('timecode')).toHaveText('00:00:01:12');
  const canvas = page.getByTestId('proof-surface').locator('canvas');
  await expect(canvas).toHaveAttribute('data-frame', '37');
  const proof = await readProof(canvas, master);
  expect(proof.frame).toBe(37);
  // One level of the ruler's red is six of its pixels, and a browser may round colours half a level either way.
  expect(Math.abs(proof.window.x - 211)).toBeLessThan(4);
  expect(Math.abs(proof.window.y - 72)).toBeLessThan(4);

  // And while playing.
  await page.getByRole('heading', { name: 'Quickby tall' }).click(); // space would press the button that has the focus
  await page.keyboard.press('Home');
  await expect(canvas).toHaveAttribute('data-frame', '0');
  await page.keyboard.press('Space');
  await expect.poll(async () => Number(await canvas.getAttribute('data-frame'))).toBeGreaterThan(12);
  await page.keyboard.press('Space');

  await page.getByRole('link', { name: 'Exports' }).click();
  await page.getByRole('button', { name: 'Export 1 version' }).click();
  await page.getByRole('link', { name: 'See the file' }).click({ timeout: 150_000 });
  await expect(page.getByRole('table').last()).toContainText('270 × 480');
  await expect(page.getByRole('complementary').getByText('Passed', { exact: true })).toBeVisible();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download' }).first().click(),
  ]);
  const got = join(files, download.suggestedFilename());
  expect(download.suggestedFilename()).toBe('ruler-film_quick-tall_270x480_25fps_v1.mp4');
  await download.saveAs(got);
  await expect(
    page.getByText(
      createHash('sha256')
        .update(await readFile(got))
        .digest('hex'),
    ),
  ).toBeVisible();

  const { stdout } = await execa('ffprobe', [
    '-v',
    'error',
    '-select_streams',
    'v',
    '-show_entries',
    'stream=width,height,r_frame_rate,profile,level,nb_frames,color_space',
    '-of',
    'json',
    got,
  ]);
  expect(JSON.parse(stdout).streams[0]).toMatchObject({
    width: 270,
    height: 480,
    r_frame_rate: '25/1',
    profile: 'High',
    nb_frames: '60',
    color_space: 'bt709',
  });
  const readings = await readRuler(got, { width: 270, height: 480 }, master);
  expect(readings.map((r) => r.frame)).toEqual(Array.from({ length: 60 }, (_, i) => i));
  for (const { window } of readings) {
    expect(Math.abs(window.x - 211)).toBeLessThan(1);
    expect(Math.abs(window.y - 72)).toBeLessThan(1);
    expect(Math.abs(window.width - 324)).toBeLessThan(1.5);
  }

  // Moving the window afterwards puts the file behind, with the reason.
  await page.getByRole('link', { name: 'Open its framing' }).click();
  await expect(numbers).toHaveText('x 211 · y 72 · w 324 · h 576');
  await page.keyboard.press('Shift+ArrowRight');
  await expect(numbers).toContainText('x 221 ·');
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.getByRole('link', { name: 'Deliverables' }).click();
  await expect(
    page.getByText(/This file is older than the version: the framing was moved on \d/),
  ).toBeVisible();

  // The file is looked at beside its plan, frame by frame.
  await page.getByRole('button', { name: 'The file beside its plan' }).click();
  const beside = page.getByRole('dialog', { name: /^The file at/ });
  for (const name of ['In the file', 'As it was planned']) {
    const picture = beside.getByRole('img', { name });
    await expect.poll(() => picture.evaluate((img: HTMLImageElement) => img.naturalWidth)).toBeGreaterThan(0);
  }
  const before = await beside.getByRole('heading').textContent();
  await beside.getByRole('button', { name: 'One on' }).click();
  await expect(beside.getByRole('heading')).not.toHaveText(before!);
  await beside.getByRole('button', { name: 'Close' }).click();
  await expect(beside).toHaveCount(0);
});
