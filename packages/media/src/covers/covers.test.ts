import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { copyFile, readdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createCanvas, loadImage } from '@napi-rs/canvas';
import {
  heldFraming,
  layoutAt,
  makePlan,
  planFingerprint,
  type Framing,
  type Placement,
  type RenderPlan,
} from '@mivvy/core';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, glideAcross, placement, testFolder } from '../testing/helpers.ts';
import { makeRuler, readRulerPicture } from '../testing/ruler.ts';
import { coverLineOf } from './cover.ts';

/** Covers, read back: which frame of the master they show, and which part of it. */
let dir: string;
let clean: () => Promise<void>;
let film: string;
const masterSize = { width: 640, height: 360 };

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  film = join(dir, 'ruler.mp4');
  await makeRuler(film, { size: masterSize, rate: { num: 25, den: 1 }, frames: 90, args: ['-crf', '4'] });
}, 150_000);
afterAll(() => clean());

let serial = 0;
async function make(cover: NonNullable<Placement['cover']>, framing: Framing, coverFrame: number | null) {
  const place = placement({ frame: { width: 180, height: 320 }, cover });
  const facts = await factsOf(film);
  const { plan } = makePlan({
    facts,
    sha256: '0'.repeat(64),
    placement: place,
    framing,
    kept: [
      { from: 10, to: 20 },
      { from: 60, to: 80 },
    ],
    coverFrame,
  });
  const outPath = join(dir, `out ${++serial}.mp4`);
  const made = await deliver(plan, {
    masterPath: film,
    outPath,
    workDir: join(dir, `work ${serial}`),
    placement: place,
  });
  if (!made.ok) throw new Error(made.problem.sentence);
  return { plan, made: made.value };
}

/** The still as any viewer shows it, red, green and blue. */
async function seen(path: string) {
  const image = await loadImage(await readFile(path));
  const size = { width: image.width, height: image.height };
  const canvas = createCanvas(size.width, size.height);
  const pen = canvas.getContext('2d');
  pen.drawImage(image, 0, 0);
  const { data } = pen.getImageData(0, 0, size.width, size.height);
  const rgb = Buffer.alloc(size.width * size.height * 3);
  for (let i = 0; i < size.width * size.height; i++)
    for (let c = 0; c < 3; c++) rgb[i * 3 + c] = data[i * 4 + c]!;
  return { size, ...readRulerPicture(rgb, size, masterSize) };
}

const windowOf = ({ cover }: RenderPlan) =>
  layoutAt(cover!.framing, cover!.frame, masterSize, cover!.size).panels[0]!.source;
const moving = glideAcross(89, 1.2);

test.each([
  ['a held window, as JPEG', { width: 360, height: 640 }, heldFraming({ x: 0.3, y: 0.5, zoom: 1 }), 66],
  ['a window that moves, as PNG', { width: 360, height: 640, format: 'png' as const }, moving, 45],
  ['another shape than the film’s', { width: 320, height: 320 }, moving, 15],
])(
  '%s: the picked frame, where the window is, to two pixels of the master',
  async (_, cover, framing, at) => {
    const { plan, made } = await make(cover, framing, at);
    const found = await seen(made.cover!);
    expect([found.frame, found.size]).toEqual([at, { width: cover.width, height: cover.height }]);
    const wanted = windowOf(plan);
    for (const side of ['x', 'y', 'width', 'height'] as const)
      expect(Math.abs(found.window[side] - wanted[side])).toBeLessThan(2);
    const line = made.report.checks.find((c) => c.id === 'cover')!;
    expect([line.ok, line.measured]).toEqual([true, expect.stringMatching(/likeness (0\.9|1)/)]);
    expect(made.report.passed).toBe(true);
  },
);

test('where nobody picked one it is the middle of what plays, and it makes a file behind only where it changes', async () => {
  const size = { width: 180, height: 320 };
  const { plan, made } = await make(size, heldFraming(), null);
  // Thirty frames play; the sixteenth of them is the sixth of the second span.
  expect([plan.cover!.frame, (await seen(made.cover!)).frame]).toEqual([65, 65]);
  const facts = await factsOf(film);
  const of = (over: Partial<Placement>, coverFrame: number | null) =>
    planFingerprint(
      makePlan({
        facts,
        sha256: '0'.repeat(64),
        placement: placement(over),
        framing: heldFraming(),
        coverFrame,
      }).plan,
    );
  expect(of({}, 3)).toBe(of({}, null));
  expect(of({ cover: size }, 3)).not.toBe(of({ cover: size }, 4));
});

test('a cover of another frame, window, size or format is found, and so is one that is missing or no picture', async () => {
  const { plan, made } = await make({ width: 180, height: 320 }, moving, 66);
  const ok = async (path: string) => (await coverLineOf(plan, plan.cover!, path, film)).ok;
  expect(await ok(made.cover!)).toBe(true);
  const other = join(dir, 'other.jpg');
  const { made: early } = await make({ width: 180, height: 320 }, moving, 12);
  await copyFile(early.cover!, other);
  expect(await ok(other)).toBe(false);
  await ffmpeg('-i', made.cover!, '-vf', 'scale=178:316', '-update', '1', other);
  expect(await ok(other)).toBe(false);
  await ffmpeg('-i', made.cover!, '-update', '1', join(dir, 'other.png'));
  expect(await ok(join(dir, 'other.png'))).toBe(false);
  await writeFile(other, 'no picture');
  expect(await ok(other)).toBe(false);
  const missing = await coverLineOf(plan, plan.cover!, join(dir, 'none.jpg'), film);
  expect([missing.ok, missing.measured]).toEqual([false, 'none beside the film']);
  expect((await readdir(dir)).filter((name) => name.startsWith('work'))).toEqual([]);
});
