import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, type APIRequestContext, type Locator, type Page } from '@playwright/test';
import { execa } from 'execa';
import { readRulerPicture, type RulerReading } from '../../packages/media/src/testing/ruler.ts';

/** A folder for the files of one run. */
export const files = mkdtempSync(join(tmpdir(), 'mivvy films '));

/** Placements that encode quickly, so that browser tests stay short. */
export const quickBook = {
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'quick',
      name: 'Quickby',
      placements: [
        {
          id: 'quick-tall',
          name: 'Tall',
          frame: { width: 270, height: 480 },
          container: 'mp4',
          frameRate: { max: '30' },
          duration: { maxSeconds: 60 },
          video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 3000, maxKbps: 4000 } },
          audio: {
            codec: 'aac',
            kbps: 96,
            sampleRate: 48000,
            channels: 2,
            loudness: { integratedLufs: -14, truePeakDbtp: -1 },
          },
          safeMargin: { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
          blocked: [{ name: 'buttons', x: 0.86, y: 0.45, width: 0.14, height: 0.38 }],
        },
        {
          id: 'quick-square',
          name: 'Square',
          frame: { width: 360, height: 360 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 20 } },
          audio: null,
        },
        {
          id: 'quick-board',
          name: 'Board',
          frame: { width: 240, height: 360 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 20 } },
          audio: null,
        },
        {
          id: 'quick-short',
          name: 'Short',
          frame: { width: 360, height: 360 },
          duration: { maxSeconds: 1 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 20 } },
          audio: null,
        },
      ],
    },
  ],
};

/** Puts the quick placements into the book. */
export async function addQuickBook(page: Page): Promise<void> {
  const answer = await page.request.post('/api/spec-book/files', {
    data: { fileName: 'quick.specbook.json', text: JSON.stringify(quickBook) },
  });
  expect(answer.ok()).toBe(true);
}

/** A film that is no ruler, for tests that only need one. */
export async function plainFilm(name: string, seconds = 2): Promise<string> {
  const path = join(files, name);
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    `testsrc2=s=640x360:r=25:d=${seconds}`,
    '-f',
    'lavfi',
    '-i',
    `sine=440:d=${seconds}`,
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-pix_fmt',
    'yuv420p',
    '-c:a',
    'aac',
    '-movflags',
    '+faststart',
    path,
  ]);
  return path;
}

/** Brings a film in from the home screen and waits until it can be worked on. Ends on the proof sheet. */
export async function bringIn(page: Page, path: string): Promise<void> {
  await page.goto('/');
  await page.getByTestId('film-chooser').first().setInputFiles(path);
  await expect(page).toHaveURL(/productions\/[\w-]+/);
  await leaveForLater(page);
  await expect(page.getByRole('button', { name: 'Choose places' })).toBeVisible();
  // What tells of its way goes, and what stands under it moves up: nothing is clicked before that.
  await expect(page.getByRole('list', { name: 'Films on their way' })).toBeHidden();
}

/** Closes the question where a film goes, which opens as soon as one is dropped. */
export async function leaveForLater(page: Page): Promise<void> {
  await expect(page.getByRole('heading', { name: /^Where do/ })).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toBeHidden();
}

/** Whether versions are framed by what is seen as soon as their film has been looked at. */
export async function preferArrival(request: APIRequestContext, frameOnArrival: boolean): Promise<void> {
  const answer = await request.patch('/api/preferences', { data: { frameOnArrival } });
  expect(answer.ok()).toBe(true);
}

/** Ticks placements on the proof sheet and makes their versions. */
export async function choosePlaces(page: Page, ...names: string[]): Promise<void> {
  await page
    .getByRole('button', { name: /Choose places|Add places/ })
    .first()
    .click();
  for (const name of names) await page.getByRole('checkbox', { name }).check();
  await page.getByRole('button', { name: /^Make \d+ version/ }).click();
  await expect(page.getByRole('dialog')).toBeHidden();
}

/** Opens a version's framing from the sheet, and waits until its film can be drawn: one that browsers do not play gets a proxy first. */
export async function openFraming(page: Page, name: RegExp): Promise<void> {
  // By the keyboard: the sheet may rearrange itself between a press of the mouse and its release.
  await page.getByRole('link', { name }).press('Enter');
  await expect(page).toHaveURL(/framing/);
  await expect(page.getByTestId('proof-surface').locator('canvas')).toHaveAttribute('data-frame', /\d/, {
    timeout: 150_000,
  });
}

/** Makes the production's first master one shot: a ruler's flickering numbers may look like cuts. Ends when the page knows. */
export async function asOneShot(page: Page): Promise<void> {
  const production = /productions\/([\w-]+)/.exec(page.url())![1]!;
  const master = async () =>
    (
      (await (await page.request.get(`/api/productions/${production}`)).json()) as {
        masters: { id: string; revision: number; shots: unknown[] | null }[];
      }
    ).masters[0]!;
  await expect.poll(async () => (await master()).shots !== null).toBe(true);
  const { id, revision } = await master();
  expect(
    (
      await page.request.patch(`/api/masters/${id}/work`, {
        data: { revision, shots: [{ from: 0, setup: '1' }] },
      })
    ).ok(),
  ).toBe(true);
  await page.reload();
}

/** What a proof drawn from a ruler master says it shows. */
export async function readProof(
  canvas: Locator,
  master: { width: number; height: number },
): Promise<RulerReading> {
  const picture = await canvas.evaluate((element) => {
    const c = element as HTMLCanvasElement;
    const { data } = c.getContext('2d')!.getImageData(0, 0, c.width, c.height);
    const rgb: number[] = [];
    for (let i = 0; i < data.length; i += 4) rgb.push(data[i]!, data[i + 1]!, data[i + 2]!);
    return { width: c.width, height: c.height, rgb };
  });
  return readRulerPicture(Buffer.from(picture.rgb), { width: picture.width, height: picture.height }, master);
}

/** Drags from the middle of something by some screen pixels. */
export async function drag(page: Page, target: Locator, dx: number, dy: number): Promise<void> {
  const box = (await target.boundingBox())!;
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + dx / 2, y + dy / 2, { steps: 4 });
  await page.mouse.move(x + dx, y + dy, { steps: 4 });
  await page.mouse.up();
}
