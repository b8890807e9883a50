import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { execa } from 'execa';
import { bringIn, choosePlaces, files } from './testing/helpers.ts';

/** Layers and captions: laid over a film, seen in each frame, exported, and looked at in the file. */
const place = (id: string, name: string, width: number, height: number, more: object) => ({
  id,
  name,
  frame: { width, height },
  container: 'mp4',
  video: { codec: 'h264', rate: { mode: 'quality', crf: 14 } },
  audio: null,
  ...more,
});
const book = {
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'letterby',
      name: 'Letterby',
      placements: [
        place('letterby-tall', 'Tall', 360, 640, {
          captions: 'burned',
          safeMargin: { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
          blocked: [
            { name: 'buttons', x: 0.86, y: 0.45, width: 0.14, height: 0.38 },
            { name: 'caption block', x: 0, y: 0.84, width: 1, height: 0.16 },
          ],
        }),
        place('letterby-wide', 'Wide', 640, 360, { captions: 'sidecar', captionFormat: 'vtt' }),
      ],
    },
  ],
};
const srt =
  '1\n00:00:00,400 --> 00:00:01,600\nWe went to see the old harbour again this morning\n\n2\n00:00:02,000 --> 00:00:03,000\nNot far now.\n';

/** Four seconds of grey, so that whatever lies over it is seen. */
async function greyFilm(name: string): Promise<string> {
  const path = join(files, name);
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', 'color=c=0x606060:s=640x360:r=25:d=4'],
    ...['-c:v', 'libx264', '-pix_fmt', 'yuv420p', '-movflags', '+faststart', path],
  ]);
  return path;
}

const head = (page: Page, frame: number) =>
  page.evaluate(
    (f) => (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk.seek(f),
    frame,
  );

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** The box of everything that differs much from grey, as shares of the picture. */
function boxOf(rgb: Uint8Array, width: number, height: number, channels: number): Box {
  let [left, top, right, bottom] = [width, height, 0, 0];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      if (Math.abs(rgb[(y * width + x) * channels]! - 0x60) > 60) {
        left = Math.min(left, x);
        right = Math.max(right, x + 1);
        top = Math.min(top, y);
        bottom = Math.max(bottom, y + 1);
      }
  return {
    x: left / width,
    y: top / height,
    width: (right - left) / width,
    height: (bottom - top) / height,
  };
}

/** What the proof at work shows. */
async function proofBox(page: Page): Promise<Box> {
  const canvas = page.getByRole('region', { name: 'Proof' }).locator('canvas').first();
  const { data, width, height } = await canvas.evaluate((element) => {
    const c = element as HTMLCanvasElement;
    const { data: all } = c.getContext('2d')!.getImageData(0, 0, c.width, c.height);
    return { data: Array.from(all), width: c.width, height: c.height };
  });
  return boxOf(Uint8Array.from(data), width, height, 4);
}

/** What a file shows at a frame. */
async function fileBox(path: string, frame: number, width: number, height: number): Promise<Box> {
  const { stdout } = await execa(
    'ffmpeg',
    [
      ...['-v', 'error', '-i', path, '-vf', `select=eq(n\\,${frame}),format=rgb24`],
      ...['-frames:v', '1', '-f', 'rawvideo', 'pipe:1'],
    ],
    { encoding: 'buffer' },
  );
  return boxOf(stdout, width, height, 3);
}

test('a title and captions are laid over a film, rewrapped in the tall version, exported, and stand in the file as in the proof', async ({
  page,
}) => {
  test.setTimeout(450_000);
  page.setDefaultTimeout(50_000);
  const answer = await page.request.post('/api/spec-book/files', {
    data: { fileName: 'letterby.specbook.json', text: JSON.stringify(book) },
  });
  expect(answer.ok()).toBe(true);
  await bringIn(page, await greyFilm('Letters.mp4'));
  await choosePlaces(page, 'Letterby, Tall', 'Letterby, Wide');
  await page.getByRole('link', { name: 'Layers', exact: true }).click();
  await page.getByRole('button', { name: 'words', exact: true }).click();
  const words = page.getByRole('textbox', { name: 'Words of Title 1' });
  await words.fill('Kite Weekend on the sea wall');
  await expect(page.getByText('two lines')).toHaveCount(0);
  await expect(page.getByRole('region', { name: 'The other versions' }).getByText('one line')).toBeVisible();

  // It keeps clear of what the place draws; moved under it, that is said where it stands, and mended by its anchor.
  await page.getByRole('button', { name: 'Up or down: change' }).click();
  await page.getByRole('textbox', { name: 'Up or down' }).fill('-12');
  await page.keyboard.press('Enter');
  await expect(page.getByText('is behind “caption block”')).toBeVisible();
  await page.getByRole('button', { name: 'Where it stands: change' }).click();
  await page.getByRole('menuitem', { name: 'top left' }).click();
  await expect(page.getByText('is behind “caption block”')).toHaveCount(0);

  // By the keys, by pixels of the frame; by hand, drawn to the edge of the clear area.
  const numbers = page.getByTestId('layer-numbers');
  await expect(numbers).toContainText('x 18 · y 32');
  await page.getByRole('heading', { name: 'On the picture, nearest first' }).click();
  await page.keyboard.press('Shift+ArrowRight');
  await expect(numbers).toContainText('x 28 · y 32');
  await page.keyboard.press('ArrowDown');
  await expect(numbers).toContainText('x 28 · y 33');
  await head(page, 20);
  const stage = (await page.getByTestId('handles').boundingBox())!;
  const k = stage.width / 360;
  await page.mouse.move(stage.x + 60 * k, stage.y + 60 * k);
  await page.mouse.down();
  await page.mouse.move(stage.x + 90 * k, stage.y + 150 * k, { steps: 6 });
  await page.mouse.move(stage.x + 52 * k, stage.y + 150 * k, { steps: 6 });
  await page.mouse.up();
  await expect(numbers).toContainText('x 18 ·');
  // What a hand does while it does not rest is one step; the next one is to be another.
  await expect(page.getByText('Saved.')).toBeVisible();

  // In the wide version it is left out, and shown again.
  await page.getByRole('button', { name: /^Title 1 in B/ }).click();
  await expect(page.getByRole('region', { name: 'The other versions' }).getByText('left out')).toBeVisible();
  await page.getByRole('button', { name: 'Take back' }).click();
  await expect(page.getByRole('region', { name: 'The other versions' }).getByText('left out')).toHaveCount(0);
  await expect(numbers).toContainText('x 18 ·');

  // Captions: a file is read, each cue as it breaks here, with what other versions have.
  await page.getByRole('link', { name: 'Captions', exact: true }).click();
  const file = join(files, 'words.srt');
  await writeFile(file, srt);
  await page.getByTestId('captions-chooser').setInputFiles(file);
  await expect(page.getByText('words.srt: 2 cues taken.')).toBeVisible();
  await expect(page.getByText('2 cues in no stated language')).toBeVisible();
  const first = page.getByRole('article', { name: 'Cue 1', exact: true });
  await expect(first.locator('button', { hasText: 'We went to see' }).locator('span > span')).toHaveCount(2);
  await expect(first).toContainText('too quick: 41 characters a second, where 20 are the most');
  await page.getByRole('button', { name: 'Reading speed: change' }).click();
  await page.getByRole('textbox', { name: 'Reading speed' }).fill('45');
  await page.keyboard.press('Enter');
  await expect(first).not.toContainText('too quick');
  await page
    .getByRole('searchbox')
    .or(page.getByRole('textbox', { name: 'Find in the captions' }))
    .fill('far');
  await expect(page.getByText('1 cue', { exact: true })).toBeVisible();
  await page.getByRole('textbox', { name: 'Replace with' }).fill('long');
  await page.getByRole('button', { name: 'Replace all' }).click();
  await page.getByRole('textbox', { name: 'Find in the captions' }).fill('');
  await expect(page.getByRole('button', { name: 'Not long now.' })).toBeVisible();
  await page.getByRole('button', { name: 'Not long now.' }).click();
  await page.getByRole('button', { name: 'End of cue 2: change' }).click();
  await page.getByRole('textbox', { name: 'End of cue 2' }).fill('3.5s');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'End of cue 2: change' })).toHaveText('00:00:03:12');
  await expect(page.getByText('Saved.')).toBeVisible();
  await head(page, 75);
  await expect.poll(async () => (await proofBox(page)).height).toBeGreaterThan(0.05);
  // Along the film its end is dragged to another frame: from 87 to 75.
  const bar = (await page.getByTitle('Not long now.').boundingBox())!;
  const [x, y] = [bar.x + bar.width - 2, bar.y + bar.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x - (12 * bar.width) / 37, y, { steps: 6 });
  await page.mouse.up();
  await expect(page.getByRole('button', { name: 'End of cue 2: change' })).toHaveText('00:00:03:00');
  await expect(page.getByText('Saved.')).toBeVisible();

  // What the proof shows is what the file contains.
  await page.getByRole('link', { name: 'On the picture', exact: true }).click();
  await expect
    .poll(async () => {
      // Asked for again each time: a head that is sent while the folding changes may be sent back.
      await head(page, 20);
      return (await proofBox(page)).height;
    })
    .toBeGreaterThan(0.3);
  const seen = await proofBox(page);
  await page.getByRole('link', { name: 'Exports' }).click();
  await page.getByRole('button', { name: 'Export 2 versions' }).click();
  await page.getByRole('link', { name: 'Deliverables', exact: true }).click();
  for (const name of ['tall', 'wide'])
    await expect(
      page
        .locator('tbody tr', { has: page.getByRole('button', { name: new RegExp(`^Letterby ${name}:`) }) })
        .locator('.stamp')
        .first(),
    ).toHaveText('Passed', { timeout: 225_000 });
  // The captions that go beside a film are taken from where the film is.
  await page.getByRole('button', { name: /^Letterby wide:/ }).click();
  const [kept] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Its captions, .vtt' }).click(),
  ]);
  expect(kept.suggestedFilename()).toMatch(/letterby-wide.*\.vtt$/);
  const production = /productions\/([\w-]+)/.exec(page.url())![1]!;
  const made = (await (await page.request.get(`/api/productions/${production}/deliverables`)).json()) as {
    id: string;
    fileName: string;
  }[];
  const tall = made.find((d) => d.fileName.includes('letterby-tall'))!;
  const wide = made.find((d) => d.fileName.includes('letterby-wide'))!;
  const path = join(files, 'tall out.mp4');
  await writeFile(path, await (await page.request.get(`/api/deliverables/${tall.id}/file`)).body());
  const inFile = await fileBox(path, 20, 360, 640);
  // Within two delivered pixels.
  for (const side of ['x', 'width'] as const)
    expect(Math.abs(inFile[side] - seen[side]) * 360).toBeLessThanOrEqual(2);
  for (const side of ['y', 'height'] as const)
    expect(Math.abs(inFile[side] - seen[side]) * 640).toBeLessThanOrEqual(2);
  const captions = await (await page.request.get(`/api/deliverables/${wide.id}/captions`)).text();
  expect(captions).toContain('00:00:02.000 --> 00:00:03.000\nNot long now.');
  // The captions that go beside it are in the ledger's own reach, and in the file that was read nothing has changed.
  expect(await readFile(file, 'utf8')).toBe(srt);
});

test('a picture is another one in one version alone, and everyone’s again', async ({ page }) => {
  test.setTimeout(300_000);
  const answer = await page.request.post('/api/spec-book/files', {
    data: { fileName: 'letterby.specbook.json', text: JSON.stringify(book) },
  });
  expect(answer.ok()).toBe(true);
  const pictures = ['red', 'blue'].map((colour) => join(files, `${colour}.png`));
  for (const [i, colour] of ['red', 'blue'].entries())
    await execa('ffmpeg', [
      ...['-v', 'error', '-y', '-f', 'lavfi', '-i', `color=${colour}:s=80x60`, '-frames:v', '1'],
      pictures[i]!,
    ]);
  await bringIn(page, await greyFilm('Pictures.mp4'));
  await choosePlaces(page, 'Letterby, Tall', 'Letterby, Wide');
  await page.getByRole('link', { name: 'Layers', exact: true }).click();
  await page.getByTestId('picture-chooser').setInputFiles(pictures[0]!);
  await expect(page.getByText('in every version')).toBeVisible();
  await page.getByRole('button', { name: 'every version' }).click();
  await page.getByTestId('other-picture-chooser').setInputFiles(pictures[1]!);
  await expect(page.getByText('; in A with another picture')).toBeVisible();
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.getByRole('button', { name: 'everyone’s again' }).click();
  await expect(page.getByText('; in A with another picture')).toHaveCount(0);
});

test('a title of the film that the tall version cuts is hidden there under a patch, and its words are said again in the clear area', async ({
  page,
}) => {
  await page.request.post('/api/spec-book/files', {
    data: { fileName: 'letterby.specbook.json', text: JSON.stringify(book) },
  });
  await bringIn(page, await greyFilm('with a title.mp4'));
  await choosePlaces(page, 'Letterby, Tall', 'Letterby, Wide');
  const base = new URL(page.url()).pathname;
  const production = await page.request.get(`/api${base}`);
  const { masters } = (await production.json()) as { masters: { id: string; revision: number }[] };
  const [master] = masters;
  const title = {
    id: 'burned',
    name: 'Lantern Walk',
    kind: 'title',
    span: { from: 10, to: 60 },
    keys: [{ at: 10, x: 0.05, y: 0.7, width: 0.45, height: 0.15 }],
  };
  const answer = await page.request.patch(`/api/masters/${master!.id}/work`, {
    data: { revision: master!.revision, keeps: [title] },
  });
  expect(answer.ok()).toBe(true);
  await page.reload();
  await page.getByRole('link', { name: /Letterby tall.*open its framing/ }).press('Enter');
  const note = page.getByRole('region', { name: 'Delivery note' });
  await expect(note.getByText('Lantern Walk is cut by the window', { exact: false })).toBeVisible();
  await note.getByRole('button', { name: 'See the ways out' }).first().click();
  const ways = page.getByRole('dialog', { name: 'Ways out' });
  const anew = ways.getByRole('listitem').filter({ hasText: 'hides it here' });
  // The film around it, softly, unless one colour is wanted; the small proof shows either.
  const proof = anew.getByRole('img', { name: 'Under a patch, and said anew' });
  const hidden = () =>
    proof.evaluate((canvas: HTMLCanvasElement) => {
      const at = [Math.round(canvas.width * 0.45), Math.round(canvas.height * 0.73)] as const;
      return [...canvas.getContext('2d')!.getImageData(...at, 1, 1).data].slice(0, 3);
    });
  // 0x60 is what the film has there.
  await expect.poll(async () => Math.max(...(await hidden()).map((v) => Math.abs(v - 0x60)))).toBeLessThan(6);
  await expect(anew.getByLabel('Colour of the patch')).toHaveCount(0);
  await anew.getByRole('button', { name: 'What the patch shows: change' }).click();
  await page.getByRole('menuitem', { name: /one colour/ }).click();
  await expect.poll(hidden).toEqual([0x14, 0x18, 0x1c]);
  await anew.getByRole('button', { name: 'What the patch shows: change' }).click();
  await page.getByRole('menuitem', { name: /the film around it/ }).click();
  await expect(anew.getByRole('textbox', { name: 'What it says' })).toHaveValue('Lantern Walk');
  await anew.getByRole('textbox', { name: 'What it says' }).fill('Lantern Walk, 5 December');
  await anew.getByRole('button', { name: 'Take it' }).click();
  await expect(ways).toHaveCount(0);
  await expect(note.getByText('Lantern Walk is cut by the window', { exact: false })).toHaveCount(0);

  await page.getByRole('link', { name: 'Layers', exact: true }).click();
  const words = page.getByRole('listitem').filter({ hasText: 'Lantern Walk, 5 December' });
  await expect(words.first()).toBeVisible();
  await page.getByRole('button', { name: /Over Lantern Walk/ }).click();
  await expect(
    page.getByText('hides “Lantern Walk” of the film, wherever it is seen, under a patch of', {
      exact: false,
    }),
  ).toBeVisible();
  await expect(page.getByRole('button', { name: 'What the patch shows: change' })).toHaveText(
    'the film around it, softly',
  );
  // In the wide version nothing is cut, and nothing is hidden.
  await expect(page.getByRole('button', { name: /Over Lantern Walk in .*Letterby tall/ })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  await expect(page.getByRole('button', { name: /Over Lantern Walk in .*Letterby wide/ })).toHaveAttribute(
    'aria-pressed',
    'false',
  );
});

test('a cue is drawn along what is heard around it', async ({ page }) => {
  await page.request.post('/api/spec-book/files', {
    data: { fileName: 'letterby.specbook.json', text: JSON.stringify(book) },
  });
  const path = join(files, 'with a voice.mp4');
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', 'color=c=0x606060:s=640x360:r=25:d=6'],
    ...['-f', 'lavfi', '-i', 'sine=f=300:d=6', '-af', "volume='between(t,1,2)':eval=frame"],
    ...['-c:v', 'libx264', '-pix_fmt', 'yuv420p', '-c:a', 'aac', '-movflags', '+faststart', path],
  ]);
  await bringIn(page, path);
  await choosePlaces(page, 'Letterby, Tall');
  await page.getByRole('link', { name: 'Layers', exact: true }).click();
  await page.getByRole('link', { name: 'Captions', exact: true }).click();
  const file = join(files, 'heard.srt');
  await writeFile(file, '1\n00:00:01,800 --> 00:00:03,000\nThe tide is out.\n');
  await page.getByTestId('captions-chooser').setInputFiles(file);
  await page.getByRole('button', { name: 'The tide is out.' }).click();
  const sound = page.getByRole('img', { name: 'Sound around cue 1' });
  // From a second and a half before the cue to as much after it: 0.3 to 4.5 s.
  const at = async (seconds: number) => {
    const box = (await sound.boundingBox())!;
    return { x: box.x + ((seconds - 0.3) / 4.2) * box.width, y: box.y + box.height / 2 };
  };
  const drag = async (from: number, to: number) => {
    const [a, b] = [await at(from), await at(to)];
    await page.mouse.move(a.x, a.y);
    await page.mouse.down();
    await page.mouse.move((a.x + b.x) / 2, a.y, { steps: 4 });
    await page.mouse.move(b.x, b.y, { steps: 4 });
    await page.mouse.up();
  };
  await expect(sound.locator('[part~="region-handle-left"]')).toBeVisible();
  await drag(1.8, 1);
  const start = page.getByRole('button', { name: 'Start of cue 1: change' });
  await expect(start).toHaveText(/^00:00:0(0:24|1:00|1:01)$/);
  // Its right end is held from inside.
  await drag(2.96, 1.96);
  const end = page.getByRole('button', { name: 'End of cue 1: change' });
  await expect(end).toHaveText(/^00:00:0(1:24|2:00|2:01)$/);
  await expect(page.getByText('Saved.')).toBeVisible();
  // A click takes the head to what is heard there; times that are typed move the mark.
  const there = await at(3.5);
  await page.mouse.click(there.x, there.y);
  await expect(page.getByText(/^00:00:03:1[123]$/).first()).toBeVisible();
  const mark = sound.locator('[part~="region"]').first();
  const before = (await mark.boundingBox())!;
  // Something else becomes known of the film meanwhile: what is in the hand stays where it is.
  const inHand = await mark.elementHandle();
  const base = new URL(page.url()).pathname.split('/').slice(0, 3).join('/');
  const production = await page.request.get(`/api${base}`);
  const [master] = ((await production.json()) as { masters: { id: string; revision: number }[] }).masters;
  const keep = {
    ...{ id: 'seen', name: 'A door', kind: 'title', span: { from: 0, to: 25 } },
    keys: [{ at: 0, x: 0.4, y: 0.3, width: 0.2, height: 0.4 }],
  };
  const asked = page.waitForResponse((answer) => answer.url().endsWith('/along'));
  const kept = await page.request.patch(`/api/masters/${master!.id}/work`, {
    data: { revision: master!.revision, keeps: [keep] },
  });
  expect(kept.ok()).toBe(true);
  await (await asked).finished();
  await end.click();
  await page.getByRole('textbox', { name: 'End of cue 1' }).fill('4s');
  await page.keyboard.press('Enter');
  await expect.poll(async () => (await mark.boundingBox())!.width / before.width).toBeGreaterThan(2.5);
  expect(await inHand!.evaluate((drawn) => drawn.isConnected)).toBe(true);
});
