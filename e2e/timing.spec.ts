import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { execa } from 'execa';
import { demoFilms, makeFilm } from '../packages/demo/src/film/make.ts';
import { makeRuler, readRuler } from '../packages/media/src/testing/ruler.ts';
import { addQuickBook, asOneShot, bringIn, choosePlaces, files } from './testing/helpers.ts';

interface Span {
  from: number;
  to: number;
}
interface Detail {
  masters: {
    id: string;
    shots: { from: number }[] | null;
    cuts: { id: string; name: string; kept: Span[]; pace: { num: number; den: number } }[];
  }[];
  versions: { id: string; standing: string; cutId: string | null }[];
}
const detailOf = async (page: Page) =>
  (await (
    await page.request.get(`/api/productions/${/productions\/([\w-]+)/.exec(page.url())![1]}`)
  ).json()) as Detail;
const keptOf = async (page: Page, i = 0) => (await detailOf(page)).masters[0]!.cuts[i]?.kept;
interface Desk {
  pause(): void;
  play(): void;
  seek(frame: number): void;
  snapshot(): { frame: number; playing: boolean };
  subscribe(told: () => void): void;
}
const seek = (page: Page, frame: number) =>
  page.evaluate((f) => {
    const desk = (window as unknown as { mivvyDesk: Desk }).mivvyDesk;
    desk.pause();
    desk.seek(f);
  }, frame);
const length = (kept: readonly Span[]) => kept.reduce((sum, s) => sum + s.to - s.from, 0);

/** Plays the cut from a frame to its end, and lists every frame that a proof showed meanwhile. */
async function playThrough(page: Page, from: number): Promise<number[]> {
  await seek(page, from);
  await expect(page.locator('.timing canvas').first()).toHaveAttribute('data-frame', String(from));
  return page.evaluate(
    () =>
      new Promise<number[]>((resolve) => {
        const desk = (window as unknown as { mivvyDesk: Desk }).mivvyDesk;
        const canvas = document.querySelector<HTMLCanvasElement>('.timing canvas')!;
        const shown: number[] = [];
        const watcher = new MutationObserver(() => shown.push(Number(canvas.dataset.frame)));
        watcher.observe(canvas, { attributes: true, attributeFilter: ['data-frame'] });
        let began = false;
        desk.subscribe(() => {
          began ||= desk.snapshot().playing;
          if (!began || desk.snapshot().playing) return;
          watcher.disconnect();
          resolve(shown);
        });
        desk.play();
      }),
  );
}

test('a cut of 15 s of the demo film: dropped, trimmed, advised, paced to the frame, exported and probed', async ({
  page,
}) => {
  test.setTimeout(750_000);
  const film = join(files, 'Kite weekend.mp4');
  await makeFilm(demoFilms[0]!, film, 0.25);
  const story = {
    id: 'story-15',
    name: 'Story',
    frame: { width: 180, height: 320 },
    container: 'mp4',
    duration: { maxSeconds: 15 },
    video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
    audio: {
      codec: 'aac',
      kbps: 96,
      sampleRate: 48000,
      channels: 2,
      loudness: { integratedLufs: -16, truePeakDbtp: -1 },
    },
  };
  expect(
    (
      await page.request.post('/api/spec-book/files', {
        data: {
          fileName: 'story.specbook.json',
          text: JSON.stringify({
            format: 'mivvy-spec-book',
            version: 1,
            outlets: [{ id: 'storeys', name: 'Storeys', placements: [story] }],
          }),
        },
      })
    ).ok(),
  ).toBe(true);
  await addQuickBook(page);
  await bringIn(page, film);
  await choosePlaces(page, 'Storeys, Story', 'Quickby, Board');
  await expect
    .poll(async () => (await detailOf(page)).masters[0]!.shots?.length ?? 0, { timeout: 150_000 })
    .toBeGreaterThan(8);

  // What is too long leads to where that is mended.
  await page
    .getByRole('complementary', { name: 'Needs a look' })
    .locator('.look-item', { hasText: 'Too long' })
    .getByRole('button', { name: 'Look at it' })
    .click();
  await expect(page).toHaveURL(/timing/);
  const left = page.getByTestId('time-left');
  await expect(left).toContainText('27.4 s over');
  await expect(left).toContainText('685 frames');

  await page.getByRole('button', { name: 'Make a cut', exact: true }).click();
  await expect(page.getByRole('textbox', { name: 'Name' })).toHaveValue('15 s');
  await page.getByRole('dialog').getByRole('button', { name: 'Make the cut' }).click();
  await expect(page.getByRole('link', { name: '15 s' })).toHaveAttribute('aria-current', 'page');

  // One key drops the shot, the same key keeps it again.
  const shots = (await detailOf(page)).masters[0]!.shots!.map((s) => s.from);
  const dropShot = async (i: number) => {
    await seek(page, shots[i]! + 5);
    await page.keyboard.press('d');
  };
  await dropShot(7);
  await expect.poll(async () => length((await keptOf(page))!)).toBe(1060 - (shots[8]! - shots[7]!));
  await page.keyboard.press('d');
  await expect.poll(async () => length((await keptOf(page))!)).toBe(1060);
  for (const i of [2, 3, 6, 7]) await dropShot(i);
  await expect(left).not.toContainText('27.4 s');

  // The edge of a span, taken in hand, is trimmed by a frame; the hook plays first.
  await seek(page, shots[2]! - 1);
  await page.keyboard.press('e');
  await expect(page.getByText(/The end of span 1 is in hand/)).toBeVisible();
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('ArrowLeft');
  await page.keyboard.press('Escape');
  await expect.poll(async () => (await keptOf(page))![0]!.to).toBe(shots[2]! - 2);
  await seek(page, shots[4]! + 2);
  await page.getByRole('button', { name: 'Play it first' }).click();
  await expect.poll(async () => (await keptOf(page))![0]!.from).toBe(shots[4]!);

  // Advice: seen on the film before it is taken; with a pace that just fits it ends to the frame.
  const advice = page.getByRole('complementary', { name: 'Advice' });
  await advice.getByRole('button', { name: /the smallest with a pace/ }).click();
  await expect(page.locator('.keptrow .going').first()).toBeVisible();
  const before = length((await keptOf(page))!);
  const promised = Number(
    (await advice.getByText(/marked on the film, together/).textContent())!.match(/together ([\d.]+) s/)![1],
  );
  await advice.getByRole('button', { name: /set the pace that just fits/ }).click();
  await expect(left).toContainText('0 frames over');
  await expect.poll(async () => length((await keptOf(page))!)).toBeLessThan(before);
  const cut = (await detailOf(page)).masters[0]!.cuts[0]!;
  expect(Math.abs((before - length(cut.kept)) / 25 - promised)).toBeLessThanOrEqual(0.05);
  expect(cut.pace.num / cut.pace.den).toBeGreaterThan(1);
  expect(cut.pace.num / cut.pace.den).toBeLessThanOrEqual(1.1);
  await expect(page.getByText('Saved.')).toBeVisible();

  // Playing shows the cut: nothing that is dropped, and all of its spans, in their order.
  const shown = await playThrough(page, cut.kept[0]!.to - 40);
  const spanOf = (frame: number) => cut.kept.findIndex((s) => frame >= s.from && frame < s.to);
  expect(shown.filter((f) => spanOf(f) < 0)).toEqual([]);
  expect([...new Set(shown.map(spanOf))]).toEqual(cut.kept.map((_, i) => i));

  // As an edit list it has an event for each span.
  const edl = await page.request.get((await page.getByRole('link', { name: 'EDL' }).getAttribute('href'))!);
  expect((await edl.text()).match(/^\d{3} {2}/gm)).toHaveLength(cut.kept.length);

  await page.getByRole('link', { name: 'Exports' }).click();
  await page.getByRole('button', { name: 'Export 2 versions' }).click();
  await expect
    .poll(async () => (await detailOf(page)).versions.map((v) => v.standing), { timeout: 300_000 })
    .toEqual(['passed', 'passed']);
  await page.getByRole('link', { name: 'Deliverables' }).click();
  const download = page.waitForEvent('download');
  await page
    .getByRole('row', { name: /Storeys/ })
    .first()
    .click();
  await page.getByRole('link', { name: 'Download' }).first().click();
  const got = join(files, 'story.mp4');
  await (await download).saveAs(got);
  const { stdout } = await execa('ffprobe', [
    '-v',
    'error',
    '-count_packets',
    '-show_entries',
    'stream=codec_type,nb_read_packets,duration',
    '-of',
    'json',
    got,
  ]);
  const streams = (
    JSON.parse(stdout) as { streams: { codec_type: string; nb_read_packets: string; duration: string }[] }
  ).streams;
  expect(streams.find((s) => s.codec_type === 'video')!.nb_read_packets).toBe('375');
  expect(Math.abs(Number(streams.find((s) => s.codec_type === 'audio')!.duration) - 15)).toBeLessThan(0.03);
});

test('a cut made by hand, key and edit list is the file, frame by frame', async ({ page }) => {
  test.setTimeout(450_000);
  const film = join(files, 'Ruler cut.mp4');
  const size = { width: 640, height: 360 };
  await makeRuler(film, { size, rate: { num: 25, den: 1 }, frames: 100, sound: true });
  await addQuickBook(page);
  await bringIn(page, film);
  await choosePlaces(page, 'Quickby, Square', 'Quickby, Short');
  await asOneShot(page);
  await page.getByRole('link', { name: 'Timing' }).click();
  await page.getByRole('button', { name: 'New cut' }).click();
  await page.getByRole('textbox', { name: 'Name' }).fill('By hand');
  await page.getByRole('checkbox', { name: /Quickby square/ }).check();
  await page.getByRole('button', { name: 'Make the cut' }).click();
  await expect(page.getByRole('list', { name: 'Running order' })).toBeVisible();

  // In and out points: what lies between them goes; split, and the later part plays first.
  await seek(page, 20);
  await page.keyboard.press('i');
  await seek(page, 49);
  await page.keyboard.press('o');
  await page.keyboard.press('d');
  await expect
    .poll(() => keptOf(page))
    .toEqual([
      { from: 0, to: 20 },
      { from: 50, to: 100 },
    ]);
  await seek(page, 70);
  await page.keyboard.press('x');
  await expect(page.getByRole('list', { name: 'Running order' }).getByRole('listitem')).toHaveCount(3);
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('ArrowUp');
  await expect
    .poll(() => keptOf(page))
    .toEqual([
      { from: 70, to: 100 },
      { from: 0, to: 20 },
      { from: 50, to: 70 },
    ]);
  // By mouse: the last card to the front.
  const cards = page.getByRole('list', { name: 'Running order' }).getByRole('button');
  const [last, front] = [(await cards.nth(2).boundingBox())!, (await cards.nth(0).boundingBox())!];
  await page.mouse.move(last.x + 30, last.y + 20);
  await page.mouse.down();
  await page.mouse.move(front.x + 20, front.y + 20, { steps: 12 });
  await page.mouse.up();
  await expect
    .poll(() => keptOf(page))
    .toEqual([
      { from: 50, to: 70 },
      { from: 70, to: 100 },
      { from: 0, to: 20 },
    ]);
  await page.keyboard.press('Control+z');
  await expect
    .poll(() => keptOf(page))
    .toEqual([
      { from: 70, to: 100 },
      { from: 0, to: 20 },
      { from: 50, to: 70 },
    ]);

  // An edge dragged along the film; the play head goes with it.
  const row = (await page.getByTestId('kept-row').boundingBox())!;
  await page.mouse.move(row.x + row.width * 0.2 - 2, row.y + 15);
  await page.mouse.down();
  await page.mouse.move(row.x + row.width * 0.3, row.y + 15, { steps: 6 });
  await page.mouse.up();
  await expect.poll(async () => (await keptOf(page))![1]).toEqual({ from: 0, to: 30 });
  // Moving the join leaves the cut as long as it is.
  await page.keyboard.press('r');
  await expect
    .poll(() => keptOf(page))
    .toEqual([
      { from: 70, to: 100 },
      { from: 0, to: 31 },
      { from: 51, to: 70 },
    ]);
  await expect(page.getByTestId('place-in-cut')).toContainText('of 00:00:03:05');

  // Another window changes it meanwhile: theirs is shown, and that is said.
  const { id } = (await detailOf(page)).masters[0]!.cuts[0]!;
  const kept = (await keptOf(page))!;
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.route(
    '**/api/cuts/*',
    async (road) => {
      const { revision } = (
        (await (
          await page.request.get(`/api/productions/${/productions\/([\w-]+)/.exec(page.url())![1]}`)
        ).json()) as { masters: { cuts: { revision: number }[] }[] }
      ).masters[0]!.cuts[0]!;
      await page.request.patch(`/api/cuts/${id}`, { data: { revision, kept } });
      await road.continue();
    },
    { times: 1 },
  );
  await seek(page, 10);
  await page.keyboard.press('x');
  await expect(page.getByText(/was changed in another window meanwhile/)).toBeVisible();
  expect(await keptOf(page)).toEqual(kept);

  // It leaves as an edit list and comes back as a cut of its own.
  const edl = await (
    await page.request.get((await page.getByRole('link', { name: 'EDL' }).getAttribute('href'))!)
  ).text();
  await page
    .getByTestId('cut-chooser')
    .setInputFiles({ name: 'From the editor.edl', mimeType: 'text/plain', buffer: Buffer.from(edl) });
  await expect(page.getByRole('link', { name: 'From the editor' })).toHaveAttribute('aria-current', 'page');
  expect(await keptOf(page, 1)).toEqual(kept);
  await page.getByTestId('cut-chooser').setInputFiles({
    name: 'Other.edl',
    mimeType: 'text/plain',
    buffer: Buffer.from(edl.replace('00:00:02:20', '00:09:02:20')),
  });
  await expect(page.getByText(/Other\.edl was not taken/)).toBeVisible();
  // The short place plays it too, and is 2.2 s over; a dialog less is asked when it goes.
  await page.getByRole('button', { name: 'Quickby short: play this' }).click();
  await expect(page.getByTestId('time-left')).toContainText('2.2 s over');
  await expect(page.getByText(/Even at a pace of 1.10/)).toBeVisible();
  await page.getByRole('button', { name: 'Remove this cut' }).click();
  await page.getByRole('button', { name: 'Remove it' }).click();
  await expect(page.getByRole('link', { name: 'Full film' })).toHaveAttribute('aria-current', 'page');

  // On the sheet, what the cut leaves out is veiled.
  await page.getByRole('link', { name: 'Proof sheet' }).click();
  await seek(page, 45);
  await expect(page.getByText('Not in “By hand”')).toBeVisible();
  await seek(page, 60);
  await expect(page.getByText('Not in “By hand”')).toBeHidden();
  const { versions } = await detailOf(page);
  const square = versions.find((v) => v.cutId === id)!;
  await page.request.post(`/api/productions/${/productions\/([\w-]+)/.exec(page.url())![1]}/exports`, {
    data: { versionIds: [square.id] },
  });
  await expect
    .poll(async () => (await detailOf(page)).versions.find((v) => v.id === square.id)!.standing, {
      timeout: 150_000,
    })
    .toBe('passed');
  const detail = (await (
    await page.request.get(`/api/productions/${/productions\/([\w-]+)/.exec(page.url())![1]}`)
  ).json()) as { versions: { id: string; deliverable: { id: string } | null }[] };
  const file = await page.request.get(
    `/api/deliverables/${detail.versions.find((v) => v.id === square.id)!.deliverable!.id}/file`,
  );
  const got = join(files, 'by hand.mp4');
  await writeFile(got, await file.body());
  const readings = await readRuler(got, { width: 360, height: 360 }, size);
  expect(readings.map((r) => r.frame)).toEqual(
    kept.flatMap((s) => Array.from({ length: s.to - s.from }, (_, i) => s.from + i)),
  );
});

test('24 frames a second where only 25 are taken: a pace of 25/24 is offered and uses every frame; times are typed as timecode', async ({
  page,
}) => {
  const film = join(files, 'Archive 24.mp4');
  await makeRuler(film, {
    size: { width: 640, height: 360 },
    rate: { num: 24, den: 1 },
    frames: 96,
    sound: true,
  });
  const place = {
    id: 'only-25',
    name: 'Only 25',
    frame: { width: 360, height: 360 },
    container: 'mp4',
    frameRate: { allowed: ['25', '50'] },
    video: { codec: 'h264', rate: { mode: 'quality', crf: 24 } },
    audio: null,
  };
  expect(
    (
      await page.request.post('/api/spec-book/files', {
        data: {
          fileName: 'only.specbook.json',
          text: JSON.stringify({
            format: 'mivvy-spec-book',
            version: 1,
            outlets: [{ id: 'only', name: 'Onlies', placements: [place] }],
          }),
        },
      })
    ).ok(),
  ).toBe(true);
  await bringIn(page, film);
  await choosePlaces(page, 'Onlies, Only 25');
  await asOneShot(page);
  await page.getByRole('link', { name: 'Timing' }).click();
  await page.getByRole('button', { name: 'New cut' }).click();
  await page.getByRole('textbox', { name: 'Name' }).fill('At 25');
  await page.getByRole('checkbox', { name: /Onlies only 25/ }).check();
  await page.getByRole('button', { name: 'Make the cut' }).click();
  const places = page.getByRole('list', { name: 'Places' });
  await expect(places).toContainText(
    '1 frame a second repeated to reach 25. At a pace of 25/24 every frame is used at 25 fps',
  );
  await places.getByRole('button', { name: 'Set it' }).click();
  await expect(page.getByRole('button', { name: 'Pace: change' })).toHaveText('1.0417');
  await expect(places.getByRole('button', { name: 'Set it' })).toBeHidden();
  await expect.poll(async () => (await detailOf(page)).masters[0]!.cuts[0]!.pace.den).toBe(24);
  const { versions, masters } = await detailOf(page);
  expect(masters[0]!.cuts[0]).toMatchObject({
    name: 'At 25',
    kept: [{ from: 0, to: 96 }],
    pace: { num: 25, den: 24 },
  });
  expect(versions[0]!.cutId).toBe(masters[0]!.cuts[0]!.id);

  // The head goes where it is told; an edge goes where its time is typed; what is no time is said, and nothing moves.
  await page.getByRole('button', { name: 'Go to: change' }).click();
  await page.getByRole('textbox', { name: 'Go to' }).fill('00:00:01:24');
  await expect(page.getByText(/frames end at 23 at this rate/)).toBeVisible();
  await page.keyboard.press('Enter');
  await page.getByRole('textbox', { name: 'Go to' }).fill('00:00:03:20');
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('timecode')).toHaveText('00:00:03:20');
  await page.keyboard.press('e');
  await page.getByRole('button', { name: 'Edge: change' }).click();
  await page.getByRole('textbox', { name: 'Edge' }).fill('2.5s');
  await page.keyboard.press('Enter');
  await expect.poll(() => keptOf(page)).toEqual([{ from: 0, to: 60 }]);
});
