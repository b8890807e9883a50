import { createRequire } from 'node:module';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { execa } from 'execa';
import { addQuickBook, bringIn, choosePlaces, files, leaveForLater, openFraming } from './testing/helpers.ts';

/** A title that is cut: the textless master is brought in beside the film, matched, and drawn from; the words are said again. */
async function film(name: string, more: string): Promise<string> {
  const path = join(files, name);
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', `testsrc2=s=640x360:r=25:d=2,hue=s=0${more}`],
    ...['-f', 'lavfi', '-i', 'sine=440:d=2', '-pix_fmt', 'yuv420p', '-movflags', '+faststart', path],
  ]);
  return path;
}
/** A block of magenta, which nothing else of the film has, across the edge of every narrow window. */
const title = ",drawbox=x=150:y=270:w=160:h=50:color=0xff00ff:t=fill:enable='between(n,10,39)'";

const head = (page: Page, frame: number) =>
  page.evaluate(
    (f) => (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk.seek(f),
    frame,
  );
const isMagenta = (r: number, g: number, b: number) => r > 190 && g < 90 && b > 190;
/** Pixels of the title in the proof at work. */
async function titleInProof(page: Page): Promise<number> {
  const pixels = await page
    .getByTestId('proof-surface')
    .locator('canvas')
    .first()
    .evaluate((element) => {
      const c = element as HTMLCanvasElement;
      return Array.from(c.getContext('2d')!.getImageData(0, 0, c.width, c.height).data);
    });
  return countTitle(Uint8Array.from(pixels), 4);
}
function countTitle(pixels: Uint8Array, channels: number): number {
  let count = 0;
  for (let i = 0; i < pixels.length; i += channels)
    if (isMagenta(pixels[i]!, pixels[i + 1]!, pixels[i + 2]!)) count++;
  return count;
}

test('a textless master is matched with its film, a version is drawn from it, and its file has no title', async ({
  page,
}) => {
  test.setTimeout(300_000);
  page.setDefaultTimeout(50_000);
  await addQuickBook(page);
  await bringIn(page, await film('Titled.mp4', title));
  await choosePlaces(page, 'Quickby, Tall');
  await page.getByRole('link', { name: 'Masters', exact: true }).click();
  const facts = page.getByRole('region', { name: 'Textless master' });
  await expect(facts).toContainText('same edit with its titles switched off');
  await page
    .getByTestId('film-chooser')
    .first()
    .setInputFiles(await film('Plain.mp4', ''));
  await leaveForLater(page);

  // Chosen, matched, and what differs is shown from both films.
  await page.getByRole('link', { name: /^Titled/ }).click();
  await facts.getByRole('button', { name: 'Textless master: change' }).click();
  await page.getByRole('menuitem', { name: 'Plain' }).click();
  await expect(facts).toContainText('All 50 frames were held against each other, and the sound.');
  await expect(facts).toContainText('One difference outside the titles that are known');
  await expect(facts.getByRole('img', { name: 'In the textless master' })).toBeVisible();
  await expect(facts.getByRole('button', { name: '00:00:00:10 to 00:00:01:14' })).toBeVisible();
  await facts.getByRole('button', { name: 'It is a title: keep it in view' }).click();
  await expect(facts).toContainText('They differ in one place where a title stands.');
  await expect(page.getByRole('link', { name: /^Plain/ })).toContainText('Textless master of the film above');

  // The version cuts it; of the ways out, the one that is drawn from the other film.
  await page.getByRole('link', { name: 'Proof sheet' }).click();
  await openFraming(page, /Quickby tall/);
  await head(page, 20);
  await expect.poll(() => titleInProof(page)).toBeGreaterThan(50);
  await page.getByRole('button', { name: 'See the ways out' }).click();
  const way = page
    .getByRole('dialog')
    .getByRole('listitem')
    .filter({ hasText: 'drawn from the textless master' });
  await way.getByRole('textbox', { name: 'What is said again' }).fill('Kite Weekend');
  await way.getByRole('button', { name: 'Take it' }).click();
  // Both changes can be taken back at once, and it can be taken again.
  await page.getByRole('button', { name: 'Take both back' }).click();
  await expect(page.getByRole('button', { name: 'Drawn from: change' })).toHaveText('the film itself');
  await page.getByRole('button', { name: 'See the ways out' }).click();
  await way.getByRole('textbox', { name: 'What is said again' }).fill('Kite Weekend');
  await way.getByRole('button', { name: 'Take it' }).click();
  await expect(page.getByRole('button', { name: 'Drawn from: change' })).toHaveText('the textless master');
  await expect(page.getByRole('button', { name: 'See the ways out' })).toHaveCount(0);
  await head(page, 20);
  await expect.poll(() => titleInProof(page)).toBe(0);

  // The words are set in a typeface of the house.
  await page.getByRole('link', { name: 'Layers', exact: true }).click();
  const font = createRequire(import.meta.url).resolve(
    '@fontsource/noto-serif/files/noto-serif-latin-800-normal.woff2',
  );
  await page.getByTestId('typeface-chooser').setInputFiles(font);
  await expect(page.getByRole('button', { name: 'Typeface: change' })).toHaveText(/Noto Serif/);
  await expect(page.getByText('Saved.')).toBeVisible();
  // It can be offered no more; what is set in it stays so.
  await page.getByRole('button', { name: 'Typeface: change' }).click();
  await page.getByRole('menuitem', { name: /^Offer Noto Serif.* no more/ }).click();
  await expect(page.getByText('What is set in it stays so.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Typeface: change' })).toHaveText(/Noto Serif/);
  await page.getByRole('button', { name: 'Typeface: change' }).click();
  await expect(page.getByRole('menuitem', { name: /^Offer Noto Serif/ })).toHaveCount(0);
  await page.keyboard.press('Escape');

  // In the file, not a pixel of the title is left.
  await page.getByRole('link', { name: 'Exports' }).click();
  await page.getByRole('button', { name: 'Export 1 version' }).click();
  await page.getByRole('link', { name: 'Deliverables' }).click();
  await expect(page.locator('tbody tr .stamp').first()).toHaveText('Passed', { timeout: 120_000 });
  const production = /productions\/([\w-]+)/.exec(page.url())![1]!;
  const listed = await page.request.get(`/api/productions/${production}/deliverables`);
  const [made] = (await listed.json()) as { id: string; passed: boolean; findings: unknown[] }[];
  expect(made).toMatchObject({ passed: true, findings: [] });
  const { stdout } = await execa(
    'ffmpeg',
    [
      ...['-v', 'error', '-i', 'pipe:0', '-vf', 'select=eq(n\\,20),format=rgb24', '-frames:v', '1'],
      ...['-f', 'rawvideo', 'pipe:1'],
    ],
    {
      input: await (await page.request.get(`/api/deliverables/${made!.id}/file`)).body(),
      encoding: 'buffer',
    },
  );
  expect(stdout.length).toBeGreaterThan(1000);
  expect(countTitle(stdout, 3)).toBe(0);

  // Whoever removes the textless master is told which versions are drawn from it.
  await page.getByRole('link', { name: 'Masters' }).click();
  await page.getByRole('link', { name: /^Plain/ }).click();
  await page.getByRole('button', { name: 'Remove this master' }).click();
  await expect(page.getByRole('dialog')).toContainText(
    'Quickby tall is drawn from it, and cannot be exported',
  );
  await page.getByRole('button', { name: 'Keep it' }).click();
});
