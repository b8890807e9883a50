import { execa } from 'execa';
import ICAL from 'ical.js';
import { mkdir, readdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { fromBuffer, type Entry, type ZipFile } from 'yauzl';
import { bringIn, choosePlaces, files, openFraming, plainFilm } from './testing/helpers.ts';

const quick = (id: string, name: string, width: number, height: number) => ({
  id,
  name,
  frame: { width, height },
  container: 'mp4',
  video: { codec: 'h264', rate: { mode: 'quality', crf: 24 } },
  audio: null,
  blocked: [{ name: 'buttons', x: 0.8, y: 0.5, width: 0.2, height: 0.3 }],
});
const book = {
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'handby',
      name: 'Handby',
      placements: [
        quick('handby-tall', 'Tall', 180, 320),
        quick('handby-feed', 'Feed', 240, 300),
        quick('handby-square', 'Square', 240, 240),
        quick('handby-board', 'Board', 200, 300),
        quick('handby-wide', 'Wide', 320, 180),
      ],
    },
  ],
};
/** Unpacks an archive by another program's reading of it. */
async function unzipTo(bytes: Buffer, folder: string): Promise<void> {
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    fromBuffer(bytes, { lazyEntries: true }, (error, file) => (file ? resolve(file) : reject(error!))),
  );
  await new Promise<void>((resolve, reject) => {
    zip.on('error', reject).on('end', resolve);
    zip.on('entry', (entry: Entry) =>
      zip.openReadStream(entry, (error, stream) => {
        if (!stream) return reject(error!);
        const path = join(folder, entry.fileName);
        void mkdir(dirname(path), { recursive: true })
          .then(() => writeFile(path, stream))
          .then(() => zip.readEntry(), reject);
      }),
    );
    zip.readEntry();
  });
}

const stamp = (page: Page, name: string) =>
  page
    .locator('tbody tr', { has: page.getByRole('button', { name: new RegExp(`^Handby ${name}:`) }) })
    .locator('.stamp');

test('from master to receipt, with a client’s note in the middle that makes two of five deliverables behind', async ({
  page,
  browser,
}) => {
  test.setTimeout(600_000);
  page.setDefaultTimeout(50_000);
  const answer = await page.request.post('/api/spec-book/files', {
    data: { fileName: 'handby.specbook.json', text: JSON.stringify(book) },
  });
  expect(answer.ok()).toBe(true);
  await bringIn(page, await plainFilm('Kite film.mp4'));
  await choosePlaces(page, 'Handby, Tall', 'Handby, Feed', 'Handby, Square', 'Handby, Board', 'Handby, Wide');
  await page.getByRole('link', { name: 'Exports' }).click();
  await page.getByRole('button', { name: 'Export 5 versions' }).click();
  await page.getByRole('link', { name: 'Deliverables', exact: true }).click();
  for (const name of ['tall', 'feed', 'square', 'board', 'wide'])
    await expect(stamp(page, name)).toHaveText('Passed', { timeout: 225_000 });

  // A day and a person.
  await page.getByRole('button', { name: 'The production is due: change' }).click();
  await page.getByRole('textbox', { name: 'The production is due' }).fill('2999-06-02');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Who has it: change' }).click();
  await page.getByRole('textbox', { name: 'Who has it' }).fill('Tove');
  await page.keyboard.press('Enter');
  await expect(page.getByText('2 Jun 2999').first()).toBeVisible();
  await expect(page.getByRole('complementary').getByText('Tove has it')).toBeVisible();

  // Names, built from words and typed.
  await page.getByRole('button', { name: 'Names' }).click();
  const names = page.getByRole('dialog');
  await names.getByRole('textbox', { name: 'Typed in one line' }).fill('OUTLET final');
  await expect(names.getByText('5 versions would be called so', { exact: false }).first()).toBeVisible();
  await names.getByRole('textbox', { name: 'Typed in one line' }).fill('PRODUCTION-PLACEMENT_MAKING');
  await expect(names.getByText('kite-film-handby-tall_v2.mp4')).toBeVisible();
  await names.getByRole('button', { name: /rename 5 files/ }).click();
  await expect(page.getByText('5 files renamed', { exact: false })).toBeVisible();

  // The client looks at them on a phone.
  await page.getByRole('button', { name: 'Show to the client' }).click();
  await page.getByRole('textbox', { name: 'For whom' }).fill('The board');
  await page.getByRole('button', { name: 'Make the link' }).click();
  const address = (await page.getByTestId('review-address').textContent())!;
  await page.getByRole('button', { name: 'Close' }).click();
  await expect(stamp(page, 'tall')).toHaveText('In review');
  const phone = await browser.newContext({
    viewport: { width: 390, height: 844 },
    hasTouch: true,
    isMobile: true,
  });
  const client = await phone.newPage();
  await client.goto(address);
  await expect(client.getByRole('heading', { name: 'Handby, Tall' })).toBeVisible();
  await expect(client.getByText('1 of 5', { exact: false })).toBeVisible();
  // One thumb, one hand: nothing lies off the screen, and the answers are at its foot.
  expect(await client.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  const good = client.getByRole('button', { name: 'It is good' });
  const box = (await good.boundingBox())!;
  expect([box.y + box.height > 780, box.height >= 44]).toEqual([true, true]);
  await expect(client.locator('.blocked')).toHaveText('buttons');
  await client.getByRole('button', { name: 'Hide the place’s buttons' }).tap();
  await expect(client.locator('.blocked')).toHaveCount(0);
  await client.getByRole('button', { name: 'Something should change' }).tap();
  const picture = (await client.getByTestId('picture').boundingBox())!;
  await client.touchscreen.tap(picture.x + picture.width * 0.25, picture.y + picture.height * 0.5);
  await client.getByRole('textbox', { name: 'What should change?' }).fill('Could it stand more to the left?');
  await client.getByRole('button', { name: 'Send it' }).tap();
  await client.getByRole('textbox', { name: 'Your name' }).fill('Ines');
  await client.getByRole('button', { name: 'Go on' }).tap();
  await expect(client.getByText('Something should change, says Ines.', { exact: false })).toBeVisible();
  for (let i = 0; i < 4; i++) {
    await client.getByRole('button', { name: 'The next film' }).tap();
    await good.tap();
    await expect(client.getByText('It is good, says Ines.', { exact: false })).toBeVisible();
  }

  // The note comes back to the ledger, and leads into Framing at its frame.
  await expect(stamp(page, 'tall')).toHaveText('Changes asked');
  await expect(stamp(page, 'wide')).toHaveText('Approved');
  await page.getByRole('button', { name: /^Handby tall:/ }).click();
  const side = page.getByRole('complementary', { name: 'Handby tall' });
  await expect(side.getByRole('list', { name: 'Notes' })).toContainText('Could it stand more to the left?');
  await side.getByRole('link', { name: /^at / }).click();
  await expect(page.getByRole('list', { name: 'What people asked for' })).toContainText('Ines');
  await expect(page.getByTestId('timecode')).toHaveText('00:00:00:00');
  await page.keyboard.press('Shift+ArrowLeft');
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByRole('list', { name: 'What people asked for' })).toBeHidden();
  await page.getByRole('link', { name: 'Proof sheet' }).click();
  await openFraming(page, /Handby feed/);
  await page.keyboard.press('Shift+ArrowLeft');
  await expect(page.getByText('Saved.')).toBeVisible();

  // Exactly two are behind, and the one that was approved says by whom.
  await page.getByRole('link', { name: 'Deliverables' }).click();
  await expect(page.getByRole('button', { name: 'Export what is behind (2)' })).toBeVisible();
  await page.getByRole('button', { name: /^Handby feed:/ }).click();
  await expect(page.getByText(/Ines approved this earlier file on/)).toBeVisible();
  await page.getByRole('button', { name: 'Export what is behind (2)' }).click();
  for (const name of ['tall', 'feed'])
    await expect(stamp(page, name)).toHaveText('In review', { timeout: 150_000 });
  for (const name of ['square', 'board', 'wide']) await expect(stamp(page, name)).toHaveText('Approved');

  // What was made before is beside today's, and told apart.
  await page.getByRole('button', { name: 'Compare' }).click();
  await expect(page.getByRole('dialog').getByText('The pictures differ at', { exact: false })).toBeVisible({
    timeout: 75_000,
  });
  await page.getByRole('button', { name: 'Close' }).click();

  await client.reload();
  for (const title of ['Handby, Tall', 'Handby, Feed']) {
    await expect(client.getByRole('heading', { name: title })).toBeVisible();
    await expect(client.getByText('This is a new film', { exact: false })).toBeVisible();
    await good.tap();
    await expect(client.getByText('It is good, says Ines.', { exact: false })).toBeVisible();
    await client.getByRole('button', { name: 'The next film' }).tap();
  }
  await phone.close();

  // Out of the house, with a receipt each.
  for (const as of ['Board', 'Calendar']) await page.getByRole('button', { name: as, exact: true }).click();
  const calendar = await page.request.get(
    (await page.getByRole('link', { name: 'As a calendar file' }).getAttribute('href'))!,
  );
  const events = new ICAL.Component(ICAL.parse(await calendar.text()) as never).getAllSubcomponents('vevent');
  expect(events.map((each) => new ICAL.Event(each).startDate.toString())).toEqual(
    Array(5).fill('2999-06-02'),
  );
  await page.getByRole('link', { name: 'Hand over' }).click();
  await page.getByRole('button', { name: 'Hand 5 files over' }).click();
  const sent = page.getByRole('region', { name: 'Handed over' });
  await expect(sent.getByText('Live', { exact: true })).toHaveCount(5, { timeout: 150_000 });
  await expect(sent.getByText(/^Receipt/)).toHaveCount(5);

  // The package is opened by other programs, and its sums hold.
  const detail = await page.request.get(
    page.url().replace(/\/productions\/([\w-]+)\/dispatch$/, '/api/productions/$1'),
  );
  const { versions } = (await detail.json()) as {
    versions: { deliverable: { id: string; fileName: string } }[];
  };
  const ids = versions.map((version) => version.deliverable.id).join(',');
  const zip = await page.request.get(
    `${page.url().replace(/\/productions\/([\w-]+)\/dispatch$/, '/api/productions/$1')}/package?files=${ids}`,
  );
  const into = join(files, 'package');
  await unzipTo(await zip.body(), into);
  const [root] = await readdir(into);
  const checked = await execa('sha256sum', ['-c', 'SHA256SUMS'], { cwd: join(into, root!) });
  expect(checked.stdout.split('\n').every((line) => line.endsWith(': OK'))).toBe(true);
  const manifest = await readFile(join(into, root!, 'manifest.csv'), 'utf8');
  expect(manifest).toContain('kite-film-handby-tall_v2.mp4');
  expect(manifest.match(/,Ines,/g)).toHaveLength(5);
});
