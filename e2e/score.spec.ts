import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { execa } from 'execa';
import { addQuickBook, bringIn, choosePlaces, files } from './testing/helpers.ts';

const [minutes, rate, shots] = [10, 25, 300];
const frames = minutes * 60 * rate;
const each = frames / shots;

/** A long film of little to see; what counts is its length. */
async function longFilm(): Promise<string> {
  const path = join(files, 'ten minutes.mp4');
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', `testsrc2=s=192x108:r=${rate}:d=${minutes * 60}`],
    ...[
      '-f',
      'lavfi',
      '-i',
      `sine=440:d=${minutes * 60}`,
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-crf',
      '40',
    ],
    ...['-g', '50', '-pix_fmt', 'yuv420p', '-c:a', 'aac', '-b:a', '48k', '-movflags', '+faststart', path],
  ]);
  return path;
}

const seek = (page: Page, frame: number) =>
  page.evaluate(
    (f) => (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk.seek(f),
    frame,
  );
const headAt = async (page: Page) =>
  Number(await page.getByRole('slider', { name: 'Play head' }).getAttribute('aria-valuenow'));
const shown = async (page: Page) => {
  const axis = page.locator('.timeaxis');
  return [Number(await axis.getAttribute('data-from')), Number(await axis.getAttribute('data-to'))] as const;
};

test('ten minutes in 300 shots: zoomed to a shot, its edge trimmed by a frame, a key set and found again', async ({
  page,
}) => {
  test.setTimeout(600_000);
  await addQuickBook(page);
  await bringIn(page, await longFilm());
  await choosePlaces(page, 'Quickby, Square');
  const id = /productions\/([\w-]+)/.exec(page.url())![1]!;
  const detail = async () =>
    (await (await page.request.get(`/api/productions/${id}`)).json()) as {
      masters: {
        id: string;
        revision: number;
        shots: unknown[] | null;
        cuts: { kept: { from: number; to: number }[] }[];
      }[];
      versions: {
        id: string;
        framing: { stretches: { move: { kind: string; keys?: { at: number }[] } }[] };
      }[];
    };
  await expect.poll(async () => (await detail()).masters[0]!.shots !== null, { timeout: 150_000 }).toBe(true);
  const [master] = (await detail()).masters;
  await page.request.patch(`/api/masters/${master!.id}/work`, {
    data: {
      revision: master!.revision,
      shots: Array.from({ length: shots }, (_, i) => ({ from: i * each, setup: String((i % 5) + 1) })),
    },
  });
  await page.request.post(`/api/masters/${master!.id}/cuts`, {
    data: { name: 'middle', kept: [{ from: 150 * each, to: 151 * each }] },
  });
  const version = (await detail()).versions[0]!.id;

  // The whole film: shots too narrow to be told apart stand in groups, and the ruler has room for its labels.
  await page.goto(`/productions/${id}/framing/${version}`);
  expect(await shown(page)).toEqual([0, frames]);
  await expect(page.locator('.shotrow .group').first()).toBeVisible();
  expect(await page.locator('.ruler .labelled').count()).toBeLessThan(12);

  // This shot, by key: it fills the score, the ruler counts its frames, and its neighbours are not drawn.
  await seek(page, 150 * each + 20);
  await page.keyboard.press('j');
  const [from, to] = await shown(page);
  expect(from).toBeGreaterThan(149 * each);
  expect(from).toBeLessThanOrEqual(150 * each);
  expect(to).toBeLessThan(152 * each);
  expect(await page.locator('.shotrow .shot').count()).toBeLessThan(5);
  // A point of the score is a frame now: a click hits the one that is meant.
  const axis = page.getByRole('slider', { name: 'Play head' });
  const box = (await axis.boundingBox())!;
  const wanted = 150 * each + 33;
  await page.mouse.click(box.x + ((wanted + 0.5 - from) / (to - from)) * box.width, box.y + 30);
  expect(await headAt(page)).toBe(wanted);

  // A key is set there, and found again from the other end of the film, where the score turns over to it.
  await page.keyboard.press('k');
  await expect
    .poll(async () => (await detail()).versions[0]!.framing.stretches.some((s) => s.move.kind === 'path'))
    .toBe(true);
  await expect(page.locator('.pathrow i')).not.toHaveCount(0);
  await seek(page, 20);
  await expect(page.locator('.pathrow i')).toHaveCount(0);
  await seek(page, wanted);
  await expect(page.locator('.pathrow i')).not.toHaveCount(0);

  // By wheel with ctrl, by the score's own keys, and all of it again.
  await page.mouse.move(box.x + box.width / 2, box.y + 30);
  await page.keyboard.down('Control');
  await page.mouse.wheel(0, -300);
  await page.keyboard.up('Control');
  await expect.poll(async () => (await shown(page))[1] - (await shown(page))[0]).toBeLessThan(to - from);
  await axis.focus();
  await page.keyboard.press('-');
  await page.keyboard.press('-');
  await expect.poll(async () => (await shown(page))[1] - (await shown(page))[0]).toBeGreaterThan(to - from);
  // The overview is dragged: another part of the film comes into view, as long as the one before.
  const overview = (await page.getByTestId('overview').boundingBox())!;
  const before = await shown(page);
  await page.mouse.move(overview.x + overview.width * 0.8, overview.y + 4);
  await page.mouse.down();
  await page.mouse.move(overview.x + overview.width * 0.9, overview.y + 4, { steps: 3 });
  await page.mouse.up();
  const after = await shown(page);
  expect((after[0] + after[1]) / 2 / frames).toBeCloseTo(0.9, 1);
  expect(after[1] - after[0]).toBeCloseTo(before[1] - before[0], 3);
  await page.keyboard.press('Shift+J');
  expect(await shown(page)).toEqual([0, frames]);

  // On a keyboard where the bracket takes AltGr it goes to the next shot all the same, and so does the letter beside it.
  await seek(page, 10);
  const typed = (key: string, code: string, altGr: boolean) =>
    page.evaluate(
      ([k, c, g]) =>
        document.body.dispatchEvent(
          new KeyboardEvent('keydown', { key: k, code: c, modifierAltGraph: g, bubbles: true }),
        ),
      [key, code, altGr] as const,
    );
  await typed(']', 'Digit9', true);
  await expect.poll(() => headAt(page)).toBe(each);
  await typed('w', 'KeyW', false);
  await expect.poll(() => headAt(page)).toBe(2 * each);
  await typed(']', 'BracketRight', false);
  await expect.poll(() => headAt(page)).toBe(3 * each);

  // In Timing the same part is shown as the shot is gone to, and an edge is trimmed by a frame there.
  await page.getByRole('link', { name: 'Timing', exact: true }).click();
  await expect(page.getByTestId('kept-row')).toBeVisible();
  await seek(page, 150 * each + 2);
  await page.keyboard.press('j');
  await page.keyboard.press('e');
  await page.keyboard.press('ArrowRight');
  await expect
    .poll(async () => (await detail()).masters[0]!.cuts[0]!.kept)
    .toEqual([{ from: 150 * each + 1, to: 151 * each }]);

  // Dragged near the shot's own edge, the kept span's edge is drawn to it; with alt it stays where the hand is.
  const handle = page.getByTestId('kept-row').locator('i.from').first();
  const lane = (await page.getByTestId('kept-row').boundingBox())!;
  const xOf = (frame: number) => lane.x + (frame / frames) * lane.width;
  const grip = (await handle.boundingBox())!;
  await page.mouse.move(grip.x + grip.width / 2, grip.y + grip.height / 2);
  await page.mouse.down();
  await page.mouse.move(xOf(150 * each) + 3, grip.y + grip.height / 2, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await detail()).masters[0]!.cuts[0]!.kept[0]!.from).toBe(150 * each);
});
