import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { addQuickBook, bringIn, choosePlaces, plainFilm } from './testing/helpers.ts';

/** Faults by WCAG 2.2 AA and by good practice, but for minor ones, and a page that scrolls as a whole, on the screen as it stands. */
async function expectSound(page: Page, name: string): Promise<void> {
  const { violations } = await new AxeBuilder({ page })
    .withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice'])
    .analyze();
  expect
    .soft(
      violations
        .filter((v) => v.impact !== 'minor')
        .map(
          (v) =>
            `${name}: ${v.id} at ${v.nodes
              .map((n) => n.target.join(' '))
              .slice(0, 3)
              .join(', ')}`,
        ),
    )
    .toEqual([]);
  const scrolls = await page.evaluate(
    () =>
      document.documentElement.scrollHeight > window.innerHeight + 1 ||
      document.documentElement.scrollWidth > window.innerWidth + 1,
  );
  expect.soft(scrolls, `${name} scrolls as a page`).toBe(false);
}

test('every screen is sound by WCAG 2.2 AA and fits its window, on the light desk and the dark one', async ({
  page,
}) => {
  // Thirty screens, each gone through by all rules.
  test.setTimeout(1_050_000);
  await addQuickBook(page);
  await bringIn(page, await plainFilm('screens.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square', 'Quickby, Short');
  const base = page.url().replace(/\/$/, '');
  const { masters, versions } = (await (
    await page.request.get(base.replace('/productions/', '/api/productions/'))
  ).json()) as { masters: { id: string; dressingRevision: number }[]; versions: { id: string }[] };
  await page.request.post(`/api/masters/${masters[0]!.id}/cuts`, {
    data: {
      name: '1 s',
      kept: [
        { from: 20, to: 40 },
        { from: 0, to: 5 },
      ],
    },
  });
  const words = {
    kind: 'words',
    text: 'A title',
    style: {
      name: 'plain',
      face: { family: 'Archivo', weight: 800 },
      size: 0.08,
      colour: '#ffffff',
      plate: { colour: '#14181c', opacity: 0.8 },
      shadow: false,
      align: 'left',
    },
  };
  const title = {
    id: 'title1',
    name: 'Title',
    what: words,
    span: { from: 0, to: 30 },
    fadeIn: 0,
    fadeOut: 0,
    place: { anchor: 'bottom left', across: 0, down: -0.1, width: 0.9 },
    otherwise: {},
  };
  const dressed = await page.request.put(`/api/masters/${masters[0]!.id}/dressing`, {
    data: {
      revision: masters[0]!.dressingRevision,
      dressing: {
        layers: [title, { ...title, id: 'title2', name: 'Under it' }],
        captions: [
          {
            id: 'english1',
            language: 'en',
            cues: [
              { from: 0.2, to: 0.6, lines: ['Far too many words for so little time'], sure: 0.3 },
              { from: 0.8, to: 1.9, lines: ['Not far.'] },
            ],
          },
        ],
        draftMark: true,
      },
    },
  });
  expect(dressed.ok()).toBe(true);
  for (const desk of ['Light', 'Dark'] as const) {
    for (const [name, path] of [
      ['proof sheet', base],
      ['masters', `${base}/masters`],
      ['framing', `${base}/framing`],
      ['timing', `${base}/timing`],
      ['timing of a cut', `${base}/timing`],
      ['layers', `${base}/layers/${versions[0]!.id}`],
      ['captions', `${base}/layers/${versions[0]!.id}/captions`],
      ['exports', `${base}/exports`],
      ['deliverables', `${base}/deliverables`],
      ['deliverables as a board', `${base}/deliverables?as=board`],
      ['deliverables as a calendar', `${base}/deliverables?as=calendar`],
      ['dispatch', `${base}/dispatch`],
      ['ledger', '/ledger'],
      ['spec book', '/spec-book'],
      ['productions', '/'],
    ] as const) {
      await page.goto(path);
      await page.locator('main').waitFor();
      await page.waitForTimeout(400);
      if (name === 'timing of a cut') await page.getByRole('link', { name: '1 s', exact: true }).click();
      await expectSound(page, `${name}, ${desk} desk`);
    }
    if (desk === 'Light') await page.getByRole('button', { name: 'Dark desk' }).click();
  }
});

test('a screen that is still being fetched is sound too, and so is one that could not be', async ({
  page,
}) => {
  let answer = () => {};
  const held = new Promise<void>((resolve) => (answer = resolve));
  await page.route(/\/api\/productions/, async (route) => {
    await held;
    await route.fulfill({
      status: 503,
      json: { code: 'disk', sentence: 'The disk does not answer.', mend: 'Look at it.' },
    });
  });
  await page.goto('/');
  await page.getByRole('progressbar').waitFor();
  await expectSound(page, 'a screen that is fetched');
  answer();
  await page.getByText('The disk does not answer.').waitFor();
  await expectSound(page, 'a screen that could not be fetched');
});

test('everything by keyboard: the keys are listed, overlays and play answer to them', async ({ page }) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('keys.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square');
  const blocked = page.locator('.cell .blocked').first();
  await expect(blocked).toBeVisible();
  await page.keyboard.press('b');
  await expect(blocked).toHaveCount(0);
  await page.keyboard.press('m');
  await expect(page.locator('.cell .margin')).toHaveCount(0);
  await page.keyboard.press('.');
  await expect(page.getByTestId('timecode')).toHaveText('00:00:00:01');
  await page.keyboard.press('Shift+?');
  await expect(page.getByRole('dialog').getByText('this sheet')).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('link', { name: /tall, open its framing/ }).press('Enter');
  await expect(page.getByRole('heading', { name: 'Quickby tall' })).toBeVisible();
  await page.keyboard.press('PageDown');
  await expect(page.getByRole('heading', { name: 'Quickby square' })).toBeVisible();
  // The choice of overlays is remembered.
  await page.reload();
  await expect(page.getByRole('button', { name: 'Margin hidden' })).toBeVisible();
});

test('an empty workspace says what to do first, and a missing production says so', async ({ page }) => {
  await page.goto('/productions/nosuchthing');
  await expect(page.getByText('That production is not here any more.')).toBeVisible();
  await page.goto('/');
  await page.getByRole('button', { name: 'New production' }).click();
  await page.getByRole('button', { name: 'Start' }).click();
  await expect(page.getByText('A name is needed')).toBeVisible();
  await page.getByLabel('Name of the film or job').fill('Nothing yet');
  await page.getByRole('button', { name: 'Start' }).click();
  await expect(page.getByRole('heading', { name: 'Drop the finished film here' })).toBeVisible();
  // Stops of the road that have nothing to show are absent.
  await expect(page.getByRole('link', { name: 'Framing' })).toHaveCount(0);
  await page.getByRole('link', { name: 'Mivvy, all productions' }).click();
  await page.getByRole('button', { name: 'Rename Nothing yet' }).click();
  await page.getByLabel('Name of the film or job').fill('Something else');
  await page.getByRole('button', { name: 'Rename', exact: true }).last().click();
  await page.getByRole('button', { name: 'Remove Something else' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(page.getByText('Something else')).toHaveCount(0);
});

test('a server that stops answering is said on the page', async ({ page }) => {
  await page.goto('/');
  await page.route('**/api/spec-book', (route) => route.abort());
  await page.getByRole('link', { name: 'Spec book' }).click();
  await expect(page.getByText('The server cannot be reached.')).toBeVisible();
  await page.unroute('**/api/spec-book');
  await page.getByRole('button', { name: 'Try again' }).click();
  await expect(page.getByRole('heading', { name: 'Starter formats' })).toBeVisible();
});

test('windows of other versions over the master, and the area that all of them show', async ({ page }) => {
  await addQuickBook(page);
  await bringIn(page, await plainFilm('common.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square');
  await page.getByRole('link', { name: /square, open its framing/ }).click();
  await expect(page.getByTestId('window-numbers')).toHaveText('x 140 · y 0 · w 360 · h 360');
  await expect(page.getByTestId('common-area')).toHaveCount(0);
  await page.getByRole('button', { name: 'Window of A' }).click();
  await expect(page.getByTestId('common-size')).toHaveText('202.5 × 360');
  const [common, surface] = [
    await page.getByTestId('common-area').boundingBox(),
    await page.getByTestId('master-surface').boundingBox(),
  ];
  expect(common!.width / surface!.width).toBeCloseTo(202.5 / 640, 2);
  // Moved away from each other, the common area shrinks with the hand.
  for (let i = 0; i < 8; i++) await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByTestId('common-size')).toHaveText('201.3 × 360');
  await page.getByRole('button', { name: 'none' }).click();
  await expect(page.getByTestId('common-area')).toHaveCount(0);
});
