import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { execa } from 'execa';
import { bringIn, choosePlaces, files, plainFilm, quickBook } from './testing/helpers.ts';

/** A book of this file's own: what is changed here must not meet another test. */
const bookOf = (id: string, name: string) =>
  JSON.stringify(quickBook).replaceAll('quick', id).replace('Quickby', name);

async function addBook(page: Page, id: string, name: string): Promise<void> {
  const answer = await page.request.post('/api/spec-book/files', {
    data: { fileName: `${id}.specbook.json`, text: bookOf(id, name) },
  });
  expect(answer.ok()).toBe(true);
}

const setNumber = async (page: Page, label: string, value: string) => {
  await page.getByRole('button', { name: `${label}: change` }).click();
  await page.getByRole('textbox', { name: label }).fill(value);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('textbox', { name: label })).toHaveCount(0);
};

test('a placement is changed by dragging and by numbers; what it touches is shown, and brought over', async ({
  page,
}) => {
  await addBook(page, 'mole', 'Moleside');
  await bringIn(page, await plainFilm('mole film.mp4'));
  await choosePlaces(page, 'Moleside, Tall');
  await page.goto('/spec-book/mole-tall');
  await expect(page.getByRole('heading', { name: 'Tall' })).toBeVisible();

  // The area is dragged up and to the left; its corner makes it larger.
  const drawing = page.getByTestId('frame-drawing');
  const frame = (await drawing.boundingBox())!;
  const area = drawing.getByRole('button', { name: 'buttons' });
  const drag = async (from: [number, number], by: [number, number]) => {
    await page.mouse.move(...from);
    await page.mouse.down();
    await page.mouse.move(from[0] + by[0] / 2, from[1] + by[1] / 2);
    await page.mouse.move(from[0] + by[0], from[1] + by[1]);
    await page.mouse.up();
  };
  const box = (await area.boundingBox())!;
  await drag([box.x + box.width / 2, box.y + box.height / 2], [-frame.width * 0.1, -frame.height * 0.2]);
  const slip = page.getByRole('form', { name: 'Changes that are not kept yet' });
  await expect(slip).toContainText('blocked area “buttons” 14 % × 38 % at 86 %, 45 % → 14 % × 38 % at 7');
  const moved = (await area.boundingBox())!;
  expect((moved.x - frame.x) / frame.width).toBeCloseTo(0.76, 1);
  expect((moved.y - frame.y) / frame.height).toBeCloseTo(0.25, 1);
  // By key, half a hundredth at a time.
  const at = async () => (await area.boundingBox())!.y;
  const before = await at();
  await area.focus();
  await page.keyboard.press('ArrowUp');
  await expect.poll(async () => (before - (await at())) / frame.height).toBeCloseTo(0.005, 3);

  // What contradicts itself cannot be kept, and says why.
  await setNumber(page, 'Highest bitrate', '2');
  await expect(slip.getByRole('alert')).toContainText('The target is above the ceiling');
  await expect(slip.getByRole('button', { name: 'Keep it' })).toBeDisabled();
  await setNumber(page, 'Highest bitrate', '5');
  await slip.getByRole('textbox', { name: 'Who' }).fill('Ada');
  await slip.getByRole('textbox', { name: 'Why' }).fill('the handbook of this autumn');
  await slip.getByRole('button', { name: 'Keep it' }).click();
  await expect(slip).toHaveCount(0);
  const slips = page.getByRole('region', { name: 'Revisions' });
  await expect(slips.getByRole('listitem').first()).toContainText('Revision 2');
  await expect(slips.getByRole('listitem').first()).toContainText(
    'highest bitrate 4000 kbit/s → 5000 kbit/s',
  );
  await expect(slips.getByRole('listitem').first()).toContainText('by Ada');

  // Two slips side by side.
  for (const one of [0, 1]) await slips.getByRole('checkbox').nth(one).check();
  await expect(slips.getByRole('row', { name: 'highest bitrate' })).toContainText('5000 kbit/s');

  // The version keeps to the first until it is brought over, and says so where it is framed.
  const touched = page.getByRole('region', { name: 'Versions of this placement' });
  await expect(touched).toContainText('keeps to revision 1 and has no file yet');
  await touched.getByRole('link', { name: /mole film/ }).click();
  await expect(page.getByText('Made for revision 1 of its place.')).toBeVisible();
  await page.getByRole('button', { name: 'Bring this version over' }).click();
  await expect(page.getByText('Made for revision 1 of its place.')).toHaveCount(0);
  await page.goto('/spec-book/mole-tall');
  await expect(page.getByText('is made for revision 2')).toBeVisible();

  // Its areas are seen over any frame of a film that is here.
  await page.getByRole('button', { name: 'What the frame is drawn over: change' }).click();
  await page.getByRole('menuitem', { name: /^mole film/ }).click();
  await expect(drawing).toHaveCSS('background-image', /\/poster"/);
  await page.getByRole('slider', { name: /^Frame of mole film/ }).press('End');
  await expect(drawing).toHaveCSS('background-image', /\/stills\/49\?/);
  const [, still] = /url\("(.+)"\)/.exec(
    await drawing.evaluate((element) => getComputedStyle(element).backgroundImage),
  )!;
  const answer = await page.request.get(still!);
  expect([answer.status(), answer.headers()['content-type']]).toEqual([200, 'image/jpeg']);
});

test('two windows change one placement: the second sees what the first did, and puts its own on top', async ({
  page,
  context,
}) => {
  await addBook(page, 'weir', 'Weirside');
  await page.goto('/spec-book/weir-square');
  await setNumber(page, 'Quality: lower is better', '25');
  const other = await context.newPage();
  await other.goto('/spec-book/weir-square');
  await setNumber(other, 'Largest file, MB', '8');
  const [mine, theirs] = [page, other].map((p) =>
    p.getByRole('form', { name: 'Changes that are not kept yet' }),
  ) as [ReturnType<Page['getByRole']>, ReturnType<Page['getByRole']>];
  await theirs.getByRole('textbox', { name: 'Who' }).fill('Bo');
  await theirs.getByRole('button', { name: 'Keep it' }).click();
  await expect(theirs).toHaveCount(0);
  await expect(mine.getByRole('alert')).toContainText('Bo made revision 2 meanwhile: largest file');
  await expect(mine.getByRole('button', { name: 'Keep it' })).toBeDisabled();
  await mine.getByRole('button', { name: 'Put mine on top' }).click();
  await mine.getByRole('button', { name: 'Keep it' }).click();
  await expect(mine).toHaveCount(0);
  await expect(page.getByRole('region', { name: 'Revisions' }).getByRole('listitem').first()).toContainText(
    'Revision 3',
  );
});

test('a placement is made like another, traced from a picture, checked, retired and offered again', async ({
  page,
}) => {
  await addBook(page, 'sluice', 'Sluiceway');
  await page.goto('/spec-book/sluice-board');
  await page.getByRole('button', { name: 'Make another like it' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('textbox', { name: 'Placement’s name' }).fill('Poster 埠');
  await dialog.getByRole('button', { name: 'Add it' }).click();
  await expect(page).toHaveURL(/spec-book\/sluiceway-poster$/);
  await expect(page.getByRole('heading', { name: 'Poster 埠' })).toBeVisible();

  const picture = join(files, 'phone.png');
  await execa('ffmpeg', [...'-v error -y -f lavfi -i testsrc2=s=240x360 -frames:v 1'.split(' '), picture]);
  await page.getByTestId('evidence-chooser').setInputFiles(picture);
  await expect(page.getByTestId('frame-drawing')).toHaveCSS('background-image', /evidence/);
  await page.getByTestId('evidence-chooser').setInputFiles({
    name: 'notes.png',
    mimeType: 'image/png',
    buffer: Buffer.from('no picture'),
  });
  await expect(page.getByText('That is not a picture that can be read.')).toBeVisible();

  await page.getByRole('button', { name: 'Draw a blocked area' }).click();
  const frame = (await page.getByTestId('frame-drawing').boundingBox())!;
  await page.mouse.move(frame.x + frame.width * 0.2, frame.y + frame.height * 0.8);
  await page.mouse.down();
  await page.mouse.move(frame.x + frame.width * 0.6, frame.y + frame.height * 0.9, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByRole('form')).toContainText('blocked area “area 1”');
  await page.getByRole('button', { name: 'Let go' }).click();

  await expect(page.getByText('Not checked yet.')).toBeVisible();
  await page.getByRole('button', { name: 'Checked again today' }).click();
  await expect(page.getByText('Not checked yet.')).toHaveCount(0);
  await page.getByRole('button', { name: 'Retire it' }).click();
  await expect(page.getByText(/Retired on/)).toBeVisible();
  await page.getByRole('button', { name: 'Offer it again' }).click();
  await expect(page.getByRole('button', { name: 'Retire it' })).toBeVisible();
});
