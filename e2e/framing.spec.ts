import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test, type Locator, type Page } from '@playwright/test';
import { execa } from 'execa';
import { addQuickBook, bringIn, choosePlaces, drag, files, quickBook } from './testing/helpers.ts';

const launcher = fileURLToPath(new URL('../mivvy', import.meta.url));

/** Six shots: a camera with somebody at left, one with somebody at right, cut back and forth, and a third. 25 frames each. */
const order = [0, 1, 0, 1, 2, 0];
async function sixShots(name: string, grade = 'null'): Promise<string> {
  const path = join(files, name);
  const cameras = [
    'gradients=s=640x360:r=25:seed=11:speed=0.0001:c0=0x6aa0c0:c1=0xe8d8a8:x0=0:y0=0:x1=0:y1=360,drawbox=60:110:90:110:0xb03028:fill,drawbox=84:130:42:40:0xe0b090:fill',
    'gradients=s=640x360:r=25:seed=12:speed=0.0001:c0=0x305848:c1=0xd0b070:x0=0:y0=0:x1=640:y1=0,drawbox=480:120:100:120:0x2848a0:fill,drawbox=508:140:44:40:0xe0b090:fill',
    'gradients=s=640x360:r=25:seed=13:speed=0.0001:c0=0x402030:c1=0x907868:x0=640:y0=360:x1=0:y1=0,drawbox=280:60:80:240:0xe8e0c8:fill,drawbox=20:160:70:70:0x60a040:fill',
  ];
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    ...order.flatMap((c) => ['-f', 'lavfi', '-t', '1', '-i', cameras[c]!]),
    '-filter_complex',
    `${order.map((_, i) => `[${i}:v]setsar=1,format=yuv420p[v${i}]`).join(';')};${order.map((_, i) => `[v${i}]`).join('')}concat=n=6:v=1,${grade}[v];sine=330:r=48000:d=6[a]`,
    '-map',
    '[v]',
    '-map',
    '[a]',
    '-c:a',
    'aac',
    '-c:v',
    'libx264',
    '-preset',
    'veryfast',
    '-crf',
    '12',
    '-movflags',
    '+faststart',
    path,
  ]);
  return path;
}

const head = (page: Page, frame: number) =>
  page.evaluate(
    (f) => (window as unknown as { mivvyDesk: { seek(frame: number): void } }).mivvyDesk.seek(f),
    frame,
  );

/** How alike a proof's canvas and a frame of the exported file are, by ffmpeg's own SSIM. */
async function likeness(canvas: Locator, file: string, frame: number): Promise<number> {
  const { data, width, height } = await canvas.evaluate((element) => {
    const c = element as HTMLCanvasElement;
    return { data: c.toDataURL('image/png'), width: c.width, height: c.height };
  });
  const png = join(files, 'proof.png');
  await writeFile(png, Buffer.from(data.split(',')[1]!, 'base64'));
  const { stderr } = await execa('ffmpeg', [
    '-hide_banner',
    '-i',
    file,
    '-i',
    png,
    '-filter_complex',
    `[0:v]select=eq(n\\,${frame}),scale=${width}:${height}:flags=area:in_color_matrix=bt709,format=gbrp[a];[1:v]format=gbrp[b];[a][b]ssim`,
    '-frames:v',
    '1',
    '-f',
    'null',
    '-',
  ]);
  return Number(/All:([\d.]+)/.exec(stderr)![1]);
}

test('six shots for three places: keeps, troubles, a shared camera, a glide, a stack; and the files are what the proofs showed', async ({
  page,
}) => {
  test.setTimeout(375_000);
  await addQuickBook(page);
  await bringIn(page, await sixShots('Six shots.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square', 'Quickby, Board');

  // Cuts and cameras are found by themselves.
  await page.getByRole('link', { name: 'Masters', exact: true }).click();
  await page.getByRole('tab', { name: /Shots/ }).click();
  await expect(page.getByText('6 shots from 3 cameras.', { exact: false })).toBeVisible({ timeout: 50_000 });

  // A keep is drawn on the picture by mouse, and named.
  await page.getByRole('tab', { name: /Keeps/ }).click();
  const draw = async (frame: number, x: number, y: number, w: number, h: number, name: string) => {
    await head(page, frame);
    await expect(page.getByRole('slider', { name: 'Play head' })).toHaveAttribute(
      'aria-valuenow',
      String(frame),
    );
    await page.getByRole('button', { name: 'Draw one on the picture' }).click();
    const box = (await page.getByTestId('keep-surface').boundingBox())!;
    await page.mouse.move(box.x + (x / 640) * box.width, box.y + (y / 360) * box.height);
    await page.mouse.down();
    await page.mouse.move(box.x + ((x + w) / 640) * box.width, box.y + ((y + h) / 360) * box.height, {
      steps: 5,
    });
    await page.mouse.up();
    await page.getByRole('textbox', { name: 'Name' }).fill(name);
    await page.keyboard.press('Enter');
    await expect(page.getByRole('button', { name: new RegExp(name) })).toBeVisible();
  };
  await draw(10, 60, 110, 90, 110, 'Left person');
  await draw(35, 480, 120, 100, 120, 'Right person');

  // The sheet says what is cut; a key leads to it; the proposed move mends it.
  await page.getByRole('link', { name: 'Proof sheet' }).click();
  await expect(
    page.getByRole('complementary', { name: 'Needs a look' }).getByText('Left person cut').first(),
  ).toBeVisible();
  await page.keyboard.press('n');
  await expect(page.getByRole('heading', { name: 'Quickby tall' })).toBeVisible();
  const note = page.getByRole('region', { name: 'Delivery note' });
  await expect(note.getByText('Left person is cut by the window', { exact: false })).toBeVisible();
  // Each way out is seen before one is taken.
  await note.getByRole('button', { name: 'See the ways out' }).click();
  const ways = page.getByRole('dialog', { name: 'Ways out' });
  await expect(ways.getByRole('img', { name: 'As it is' })).toBeVisible();
  await expect(ways.getByRole('listitem').filter({ hasText: 'over a soft copy of itself' })).not.toHaveCount(
    0,
  );
  const moving = ways.getByRole('listitem').filter({ hasText: 'The window moves' });
  await moving.getByRole('button', { name: 'Take it' }).click();
  await expect(ways).toHaveCount(0);
  await expect(note.getByText('Left person is cut by the window', { exact: false })).toHaveCount(0);
  await expect(note.getByText('Framed on its own.', { exact: false })).toBeVisible();
  await page.keyboard.press('a');
  await expect(note.getByText('3 shots follow it', { exact: false })).toBeVisible();
  const numbers = page.getByTestId('window-numbers');
  const left = await numbers.textContent();

  // The next shot by key, its window by mouse; shared with its camera, and changed once more for both.
  await page.keyboard.press(']');
  await expect(note.getByText(/^Shot 2 of 6 · camera 2/)).toBeVisible();
  await expect(numbers).toHaveText('x 218.8 · y 0 · w 202.5 · h 360');
  await drag(page, page.getByTestId('master-surface'), 180, 0);
  await page.keyboard.press('a');
  await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByText('Saved.')).toBeVisible();
  const right = await numbers.textContent();
  await page.keyboard.press(']');
  await expect(numbers).toHaveText(left!);
  await page.keyboard.press(']');
  await expect(numbers).toHaveText(right!);

  // The fifth shot glides from the left to the middle: each end is set where it stands.
  await page.keyboard.press(']');
  await expect(note.getByText(/^Shot 5 of 6 · camera 3/)).toBeVisible();
  await page.keyboard.press('g');
  await note.getByRole('button', { name: 'Go to the glide’s start' }).click();
  for (let i = 0; i < 12; i++) await page.keyboard.press('Shift+ArrowLeft');
  await note.getByRole('button', { name: 'Go to the glide’s end' }).click();
  await expect(numbers).toHaveText('x 218.8 · y 0 · w 202.5 · h 360');
  await head(page, 112);
  await expect(numbers).not.toHaveText('x 218.8 · y 0 · w 202.5 · h 360');

  // The last shot stands on its own again, stacked; then that is taken back and done again.
  await head(page, 130);
  await note.getByRole('button', { name: 'Frame this one alone' }).click();
  await note.getByRole('button', { name: 'Filling: change' }).click();
  await page.getByRole('menuitem', { name: /is stacked/ }).click();
  await expect(note.getByText('is stacked in two windows', { exact: false })).toBeVisible();
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(note.getByText('fills the frame', { exact: false })).toBeVisible();
  await page.keyboard.press('Control+Shift+Z');
  await expect(note.getByText('is stacked in two windows', { exact: false })).toBeVisible();

  // The whole framing is carried to the other two; what is still wrong there is mended one by one until nothing is left.
  await note.getByRole('button', { name: 'carry it to other versions' }).click();
  await page.getByRole('button', { name: 'What is carried: change' }).click();
  await page.getByRole('menuitem', { name: 'the whole film' }).click();
  await page.getByRole('button', { name: 'Tick all' }).click();
  await page.getByRole('button', { name: 'Carry to 2 versions' }).click();
  await expect(page.getByText('2 versions were framed alike.', { exact: false })).toBeVisible();
  for (let i = 0; i < 8; i++) {
    await page.getByRole('heading', { level: 2 }).first().click();
    await page.keyboard.press('n');
    if (
      await page
        .getByText('No troubles are left', { exact: false })
        .isVisible({ timeout: 2_000 })
        .catch(() => false)
    )
      break;
    await note.getByRole('button', { name: 'Move it' }).first().click({ timeout: 25_000 });
    await expect(page.getByText('Saved.')).toBeVisible();
  }
  await expect(page.getByText('No troubles are left', { exact: false })).toBeVisible();

  // Exported, each file shows in every shot what its proof shows.
  await page.getByRole('link', { name: 'Exports' }).click();
  await page.getByRole('button', { name: 'Export 3 versions' }).click();
  await expect(page.getByRole('link', { name: 'See the file' })).toHaveCount(3, { timeout: 225_000 });
  const production = /productions\/([\w-]+)/.exec(page.url())![1]!;
  const detail = (await (await page.request.get(`/api/productions/${production}`)).json()) as {
    versions: { id: string; standing: string; deliverable: { id: string } }[];
  };
  await mkdir(join(files, 'six'), { recursive: true });
  for (const version of detail.versions) {
    expect(version.standing).toBe('passed');
    const file = join(files, 'six', `${version.id}.mp4`);
    await writeFile(
      file,
      await (await page.request.get(`/api/deliverables/${version.deliverable.id}/file`)).body(),
    );
    await page.goto(`/productions/${production}/framing/${version.id}`);
    const canvas = page.getByTestId('proof-surface').locator('canvas');
    await expect(canvas).toHaveAttribute('data-frame', /\d+/);
    for (const frame of [12, 37, 62, 87, 112, 137]) {
      await head(page, frame);
      await expect(canvas).toHaveAttribute('data-frame', String(frame));
      await page.waitForTimeout(60);
      expect(await likeness(canvas, file, frame), `version ${version.id}, frame ${frame}`).toBeGreaterThan(
        0.97,
      );
    }
  }
});

test('cuts by hand and from an edit list; keyframes; a plan file leaves and comes back; guides and true size', async ({
  page,
}) => {
  await addQuickBook(page);
  await bringIn(page, await sixShots('By hand.mp4'));
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square');
  await page.getByRole('link', { name: 'Masters', exact: true }).click();
  await page.getByRole('tab', { name: /Shots/ }).click();
  await expect(page.getByText('6 shots from 3 cameras.', { exact: false })).toBeVisible({ timeout: 50_000 });
  await head(page, 60);
  await page.keyboard.press('x');
  await expect(page.getByRole('tab', { name: 'Shots 7' })).toBeVisible();
  await page.getByRole('button', { name: 'a frame later' }).click();
  await expect(page.getByText('Shot 4 starts at 00:00:02:11', { exact: false })).toBeVisible();
  await page.keyboard.press('Delete');
  await expect(page.getByRole('tab', { name: 'Shots 6' })).toBeVisible();
  await page
    .getByTestId('cut-list-chooser')
    .setInputFiles({ name: 'wrong.edl', mimeType: 'text/plain', buffer: Buffer.from('Dear editor') });
  await expect(page.getByText('wrong.edl was not taken.', { exact: false })).toBeVisible();
  await page.getByTestId('cut-list-chooser').setInputFiles({
    name: 'right.edl',
    mimeType: 'text/plain',
    buffer: Buffer.from(
      '001 A V C 00:00:00:00 00:00:03:00 01:00:00:00 01:00:03:00\n002 B V C 00:00:00:00 00:00:03:00 01:00:03:00 01:00:06:00\n',
    ),
  });
  await expect(page.getByText('1 cut was read from right', { exact: false })).toBeVisible();
  await expect(page.getByRole('tab', { name: 'Shots 2' })).toBeVisible();
  await page.getByRole('button', { name: 'Take back' }).click();
  await expect(page.getByRole('tab', { name: 'Shots 6' })).toBeVisible();

  // What all versions share at a frame, and the square that survives every crop, made a version.
  await page.getByRole('tab', { name: 'Common area' }).click();
  await expect(page.getByTestId('shared-size')).toHaveText('202.5 × 360');
  await page.getByRole('button', { name: /^Make it a version/ }).click();
  await expect(page.getByTestId('window-numbers')).toHaveText('x 218.8 · y 78.8 · w 202.5 · h 202.5');

  await page.getByRole('link', { name: 'A, Quickby tall' }).click();
  await expect(page.getByRole('heading', { name: 'Quickby tall' })).toBeVisible();
  const note = page.getByRole('region', { name: 'Delivery note' });
  await head(page, 2);
  await page.keyboard.press('k');
  await head(page, 20);
  await page.keyboard.press('Shift+ArrowRight');
  await expect(note.getByText('2 keyframes, at', { exact: false })).toBeVisible();
  await head(page, 11);
  await expect(page.getByTestId('window-numbers')).toHaveText('x 223.8 · y 0 · w 202.5 · h 360');
  await head(page, 20);
  await page.keyboard.press('Delete');
  await expect(note.getByText('One keyframe', { exact: false })).toBeVisible();
  await page.keyboard.press('c');
  await page.keyboard.press(']');
  await page.keyboard.press('v');
  await expect(note.getByText('passes through keyframes', { exact: false })).toBeVisible();
  await expect(page.getByText('Saved.')).toBeVisible();

  const [download] = await Promise.all([
    page.waitForEvent('download'),
    note.getByRole('link', { name: 'Save this framing as a file' }).click(),
  ]);
  expect(download.suggestedFilename()).toBe('by-hand_quick-tall.plan.json');
  const plan = join(files, 'by hand.plan.json');
  await download.saveAs(plan);
  await page.getByRole('link', { name: 'B, Quickby square' }).click();
  await expect(page.getByRole('heading', { name: 'Quickby square' })).toBeVisible();
  await page.getByTestId('plan-chooser').setInputFiles(plan);
  await expect(page.getByText('Framed as by hand.plan.json says.', { exact: false })).toBeVisible();
  // The same plan without the screen.
  const book = join(files, 'plan book.json');
  await writeFile(book, JSON.stringify(quickBook));
  const { stdout } = await execa(launcher, [
    'deliver',
    '--master',
    join(files, 'By hand.mp4'),
    '--specs',
    book,
    '--placement',
    'quick-square',
    '--plan',
    plan,
    '--out',
    join(files, 'plan out'),
    '--quiet',
  ]);
  expect(JSON.parse(stdout)).toMatchObject({ event: 'deliverable', status: 'passed' });

  const [guide] = await Promise.all([
    page.waitForEvent('download'),
    note.getByRole('link', { name: 'numbers' }).click(),
  ]);
  expect(guide.suggestedFilename()).toBe('guides.tsv');
  await page.getByRole('button', { name: 'True size' }).click();
  const width = (await page.getByTestId('true-size').boundingBox())!.width;
  await page.getByRole('button', { name: 'Measure this monitor' }).click();
  await page.getByRole('slider', { name: 'Width of the card' }).press('ArrowRight');
  await page.getByRole('button', { name: 'Done measuring' }).click();
  expect((await page.getByTestId('true-size').boundingBox())!.width).toBeGreaterThan(width);
});

test('loop, shuttle, the enlarged proof; and a master replaced by a new grade keeps its framing', async ({
  page,
}) => {
  await addQuickBook(page);
  await bringIn(page, await sixShots('Play.mp4'));
  await choosePlaces(page, 'Quickby, Tall');
  await page.getByRole('link', { name: /tall, open its framing/ }).click();
  await expect(page.getByText('Shot 1 of 6', { exact: false })).toBeVisible({ timeout: 50_000 });
  const now = async () =>
    Number(await page.getByRole('slider', { name: 'Play head' }).getAttribute('aria-valuenow'));
  await page.keyboard.press(']');
  await page.keyboard.press('l');
  await page.keyboard.press('Space');
  await expect(page.getByRole('button', { name: 'Pause' })).toBeVisible();
  const seen: number[] = [];
  for (let i = 0; i < 40; i++) {
    await page.waitForTimeout(60);
    seen.push(await now());
  }
  expect(Math.min(...seen)).toBeGreaterThanOrEqual(25);
  expect(Math.max(...seen)).toBeLessThan(50);
  expect(seen.some((f, i) => i > 0 && f < seen[i - 1]!)).toBe(true);
  await page.keyboard.press('Space');
  await page.keyboard.press('l');
  await head(page, 140);
  const shuttle = page.getByRole('slider', { name: 'Shuttle' });
  await shuttle.focus();
  for (let i = 0; i < 6; i++) await shuttle.press('ArrowLeft');
  await expect.poll(now).toBeLessThan(110);
  await page.getByRole('heading', { name: 'Quickby tall' }).click();
  await expect(shuttle).toHaveValue('0');

  await page.getByRole('link', { name: 'Proof sheet' }).click();
  await expect(page.locator('.cell canvas')).toHaveCount(1);
  await page.keyboard.press('e');
  await expect(page.getByTestId('enlarged-proof').locator('canvas')).toBeVisible();
  expect((await page.getByTestId('enlarged-proof').boundingBox())!.height).toBeGreaterThan(500);
  await page.getByRole('button', { name: 'Close' }).click();
  await expect(page.getByTestId('enlarged-proof')).toHaveCount(0);

  await page.getByRole('link', { name: /tall, open its framing/ }).click();
  await head(page, 30);
  await expect(page.getByText('Shot 2 of 6', { exact: false })).toBeVisible();
  // The head rests: its picture has come, and the window is where it was left.
  await expect(page.getByTestId('proof-surface').locator('canvas').first()).toHaveAttribute(
    'data-frame',
    '30',
  );
  await expect(page.getByTestId('window-numbers')).toHaveText('x 218.8 · y 0 · w 202.5 · h 360');
  for (let i = 0; i < 5; i++) await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByTestId('window-numbers')).toHaveText('x 268.8 · y 0 · w 202.5 · h 360');
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.getByRole('link', { name: 'Masters', exact: true }).click();
  await page
    .getByTestId('replacement-chooser')
    .setInputFiles(await sixShots('Play, new grade.mp4', 'eq=contrast=0.85:brightness=0.05'));
  await expect(
    page.getByText('“Play.mp4” was replaced: 6 shots of 6 kept their framing.', { exact: false }),
  ).toBeVisible({ timeout: 75_000 });
  await page.getByRole('link', { name: 'Framing', exact: true }).click();
  await head(page, 30);
  await expect(page.getByTestId('window-numbers')).toHaveText('x 268.8 · y 0 · w 202.5 · h 360');
});
