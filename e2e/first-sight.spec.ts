import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { makeFollowedFilm } from '../packages/media/src/testing/followed-film.ts';
import { files, quickBook } from './testing/helpers.ts';
import { endServer, startServer, type OwnServer } from './testing/own-server.ts';

/** Five places of five shapes. */
const fivePlaces = {
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'first',
      name: 'Firstby',
      placements: [
        [270, 480],
        [288, 360],
        [360, 360],
        [480, 270],
        [240, 360],
      ].map(([width, height], i) => ({
        ...quickBook.outlets[0]!.placements[1],
        id: `first-${i}`,
        name: ['Tall', 'Four by five', 'Square', 'Wide', 'Board'][i],
        frame: { width, height },
      })),
    },
  ],
};

// Each begins where the one before has ended.
test.describe.configure({ mode: 'serial' });

let dataDir: string;
let server: OwnServer;
test.beforeAll(async () => {
  dataDir = await mkdtemp(join(tmpdir(), 'mivvy first '));
  // Films are looked at as soon as they have been read, as they are for everybody.
  server = await startServer(dataDir);
  await fetch(`${server.base}/api/spec-book/files`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ fileName: 'first.specbook.json', text: JSON.stringify(fivePlaces) }),
  });
});
test.afterAll(async () => {
  await endServer(server.child, 'SIGTERM');
  await rm(dataDir, { recursive: true, force: true });
});

/** Counts what a person does: a click, a drop, a key. */
function counted(page: Page) {
  let actions = 0;
  return {
    drop: async (...paths: string[]) => {
      actions++;
      await page.getByTestId('film-chooser').first().setInputFiles(paths);
    },
    click: async (name: string | RegExp) => {
      actions++;
      await page.getByRole('button', { name }).first().click();
    },
    done: () => actions,
  };
}

test('from the empty workspace to five passed files, in at most eight actions and without a page that leads nowhere', async ({
  page,
}) => {
  test.setTimeout(600_000);
  const film = join(files, 'first sight.mp4');
  await makeFollowedFilm(film, [0, 17]);
  await page.goto(server.base);
  await expect(page.getByText('Drop a finished film here')).toBeVisible();
  const person = counted(page);
  await person.drop(film);
  // Where it goes is asked at once, over the film's first picture.
  await expect(page.getByRole('heading', { name: 'Where does “first sight.mp4” go?' })).toBeVisible();
  await expect(page.getByRole('dialog').locator('video')).toBeVisible();
  await person.click('All of Firstby');
  await person.click('Make 5 versions');
  await expect(page.locator('[data-placement]')).toHaveCount(5);
  // They are in the centre for now, and say so, until the film has been looked at; then nobody has to ask.
  await expect(page.getByText('centre for now').first()).toBeVisible();
  await expect(page.getByText('centre for now')).toHaveCount(0, { timeout: 225_000 });
  await expect(page.getByRole('region', { name: 'What was checked' })).toContainText(
    'Versions that nobody has framed are framed by what is seen.',
  );
  await person.click('Export 5 versions');
  const anyway = page.getByRole('button', { name: /all the same/ });
  if (await anyway.isVisible()) await person.click(/all the same/);
  await expect(page.locator('[data-placement]').getByText('Passed')).toHaveCount(5, { timeout: 300_000 });
  process.stdout.write(
    `First sight: ${person.done()} actions from the empty workspace to five passed files.\n`,
  );
  expect(person.done()).toBeLessThanOrEqual(8);
});

test('several films are asked about once, and a set and the last choice are offered', async ({ page }) => {
  test.setTimeout(300_000);
  const [one, two] = [join(files, 'one of two.mp4'), join(files, 'two of two.mp4')];
  await makeFollowedFilm(one, [3]);
  await makeFollowedFilm(two, [4]);
  await page.goto(server.base);
  const person = counted(page);
  await person.drop(one, two);
  await expect(page.getByRole('heading', { name: 'Where do these 2 films go?' })).toBeVisible();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('button', { name: 'The same as last time (5)' })).toBeVisible();
  await dialog.getByLabel('Search places').fill('square');
  await expect(dialog.getByRole('checkbox', { name: 'Firstby, Square' })).toBeVisible();
  await expect(dialog.getByRole('checkbox', { name: 'Firstby, Tall' })).toHaveCount(0);
  await dialog.getByRole('checkbox', { name: 'Firstby, Square' }).check();
  await dialog.getByLabel('Search places').fill('');
  await dialog.getByRole('checkbox', { name: 'Firstby, Tall' }).check();
  await dialog.getByRole('button', { name: 'Save these 2 as a set' }).click();
  await dialog.getByLabel('Name of the set').fill('Tall and square');
  await dialog.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(dialog.getByRole('button', { name: 'Tall and square (2)' })).toBeVisible();
  await dialog.getByRole('button', { name: 'Make 4 versions' }).click();
  // Each film has its two; one leads, the other is a line.
  await expect(page.locator('[data-placement]')).toHaveCount(2);
  await expect(page.getByRole('button', { name: /^Show (one|two) of two/ })).toHaveCount(1);
  await expect(page.getByText('2 versions', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: /^Show (one|two) of two/ }).click();
  await expect(page.locator('[data-placement]')).toHaveCount(2);
});

test('the sheet never says more than was looked at, and one remedy serves every version that needs it', async ({
  page,
}) => {
  test.setTimeout(450_000);
  const film = join(files, 'edges.mp4');
  await makeFollowedFilm(film, [0]);
  await page.goto(server.base);
  const person = counted(page);
  await person.drop(film);
  await page.getByRole('button', { name: 'The same as last time (2)' }).click();
  await person.click('Make 2 versions');
  const checked = page.getByRole('region', { name: 'What was checked' });
  await expect(checked).toContainText('Nothing has been looked for in the film yet.');
  await expect(checked).not.toContainText('Nothing that was found');
  await expect(checked).not.toContainText('Nothing has been looked for', { timeout: 225_000 });
  await expect(checked).toContainText('No keeps are drawn.');
  // A keep at the far edge is cut in both, which is one cause with two letters.
  const id = /productions\/([\w-]+)/.exec(page.url())![1]!;
  const detail = async () =>
    (await (await page.request.get(`${server.base}/api/productions/${id}`)).json()) as {
      masters: { id: string; revision: number; facts: { video: { frames: number } } }[];
      versions: { id: string; standing: string }[];
    };
  const [master] = (await detail()).masters;
  const frames = master!.facts.video.frames;
  const key = { at: 0, x: 0.005, y: 0.4, width: 0.08, height: 0.2 };
  await page.request.patch(`${server.base}/api/masters/${master!.id}/work`, {
    data: {
      revision: master!.revision,
      keeps: [{ id: 'k1', name: 'far sign', kind: 'other', span: { from: 0, to: frames }, keys: [key] }],
    },
  });
  const needs = page.getByRole('complementary', { name: 'Needs a look' });
  const row = needs.locator('li', { hasText: 'Far sign cut' });
  await expect(row).toHaveCount(1);
  await expect(row.getByRole('button', { name: /^Go to it in/ })).toHaveCount(2);
  await expect(page.locator('[data-placement]').getByText('At fault')).toHaveCount(2);
  await expect
    .poll(async () => (await detail()).versions.map((v) => v.standing))
    .toEqual(['at-fault', 'at-fault']);
  // Exporting is allowed, after the faults have been named.
  await page.getByRole('button', { name: 'Export 2 versions' }).click();
  await expect(page.getByRole('dialog')).toContainText('far sign cut, shot 1');
  await page.getByRole('button', { name: 'Not now' }).click();
  await row.getByRole('button', { name: 'Mend' }).click();
  await page.getByRole('menuitem', { name: /^Show the shot whole over a soft copy, in all 2/ }).click();
  await expect(row).toHaveCount(0);
  await expect
    .poll(async () => (await detail()).versions.map((v) => v.standing))
    .toEqual(['to-make', 'to-make']);
  await page.getByRole('button', { name: 'Take back' }).click();
  await expect(row).toHaveCount(1);
  await row.getByRole('button', { name: 'Mend' }).click();
  await page.getByRole('menuitem', { name: /^Accept in all 2/ }).click();
  await row.getByLabel('Why it is in order').fill('it is a passer-by’s sign');
  await row.getByRole('button', { name: 'Accept' }).click();
  await expect(row).toHaveCount(0);
});
