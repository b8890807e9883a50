import { expect, test } from '@playwright/test';
import { bringIn, plainFilm } from './testing/helpers.ts';

/** Sixty placements of six shapes. */
const shapes = [
  { width: 270, height: 480 },
  { width: 360, height: 360 },
  { width: 480, height: 270 },
  { width: 288, height: 360 },
  { width: 240, height: 360 },
  { width: 480, height: 120 },
];
const count = 60;
const book = {
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'manyby',
      name: 'Manyby',
      placements: Array.from({ length: count }, (_, i) => ({
        id: `many-${i}`,
        name: `place ${i + 1}`,
        frame: shapes[i % shapes.length],
        container: 'mp4',
        video: { codec: 'h264', rate: { mode: 'quality', crf: 24 } },
        audio: null,
      })),
    },
  ],
};

test('a sheet of sixty versions draws those that are in view, all of them as one scrolls, and at one time', async ({
  page,
}) => {
  await page.request.post('/api/spec-book/files', {
    data: { fileName: 'manyby.specbook.json', text: JSON.stringify(book) },
  });
  await bringIn(page, await plainFilm('for sixty places.mp4', 4));
  const base = `/api${new URL(page.url()).pathname}`;
  const production = (await (await page.request.get(base)).json()) as { masters: { id: string }[] };
  const answer = await page.request.post(`${base}/versions`, {
    data: { masterId: production.masters[0]!.id, placementIds: book.outlets[0]!.placements.map((p) => p.id) },
  });
  expect(answer.ok()).toBe(true);
  await page.reload();

  const cells = page.locator('.cellbox');
  const names = () => cells.locator('.name').allTextContents();
  await expect(cells.first().locator('canvas')).toHaveAttribute('data-frame', '0');
  const seen = new Set(await names());
  expect(seen).toContain('Manyby place 1');
  // None is smaller than says anything.
  const tall = (await cells.first().locator('canvas').boundingBox())!;
  expect(tall.width).toBeGreaterThan(60);
  // So many that fill the room and a little more, and never all of them.
  expect(seen.size).toBeGreaterThan(5);
  expect(seen.size).toBeLessThan(count * 0.7);

  // Scrolled to its end, every version has been there, in order, and no more are drawn than before.
  const room = page.locator('.proofroom');
  await expect
    .poll(async () => {
      await room.evaluate((element) => element.scrollBy(0, 120));
      (await names()).forEach((name) => seen.add(name));
      return (await names()).includes(`Manyby place ${count}`);
    })
    .toBe(true);
  expect(seen.size).toBe(count);
  await room.evaluate((element) => element.scrollTo(0, element.scrollHeight));
  expect((await names()).length).toBeLessThan(count * 0.7);
  await expect(page.getByRole('link', { name: `Manyby place ${count}, open its framing` })).toBeInViewport();

  // What came into view shows the same frame as the play head, and goes on with it.
  await page.evaluate(() =>
    (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk.seek(60),
  );
  await expect
    .poll(async () => {
      const frames = await cells
        .locator('canvas')
        .evaluateAll((all) => all.map((canvas) => (canvas as HTMLCanvasElement).dataset.frame));
      return [...new Set(frames)];
    })
    .toEqual(['60']);
});
