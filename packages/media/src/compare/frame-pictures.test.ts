import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createCanvas, loadImage } from '@napi-rs/canvas';
import { makePlan, type Framing, type RenderPlan } from '@mivvy/core';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, glideAcross, placement, testFolder } from '../testing/helpers.ts';
import { pictureAsPlanned, pictureInFile } from './frame-pictures.ts';

/** Pictures of a finished file and of its plan, side by side: each the very frame that was asked for. */
let dir: string;
let clean: () => Promise<void>;
let master: string;
let film: string;
let plan: RenderPlan;
const size = { width: 240, height: 320 };

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  master = join(dir, 'moving.mp4');
  await ffmpeg(
    ...['-f', 'lavfi', '-i', 'testsrc2=s=640x360:r=25:d=4', '-c:v', 'libx264', '-g', '50', '-crf', '8'],
    ...[
      '-pix_fmt',
      'yuv420p',
      ...['-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'bt709'],
    ],
    master,
  );
  const framing: Framing = glideAcross(99);
  const facts = await factsOf(master);
  // Two kept spans, the later one first.
  const kept = [
    { from: 60, to: 90 },
    { from: 10, to: 40 },
  ];
  plan = makePlan({
    facts,
    sha256: '0'.repeat(64),
    placement: placement({ frame: size }),
    framing,
    kept,
  }).plan;
  film = join(dir, 'film.mp4');
  const made = await deliver(plan, { masterPath: master, outPath: film, workDir: join(dir, 'work') });
  if (!made.ok) throw new Error(made.problem.sentence);
}, 150_000);
afterAll(() => clean());

const folder = () => join(dir, 'pictures');
const graphicPath = () => '';

async function pixels(png: Buffer): Promise<Uint8ClampedArray> {
  const image = await loadImage(png);
  expect([image.width, image.height]).toEqual([size.width, size.height]);
  const pen = createCanvas(size.width, size.height).getContext('2d');
  pen.drawImage(image, 0, 0);
  return pen.getImageData(0, 0, size.width, size.height).data;
}

/** Likeness of two pictures, dB; infinite for the same. */
async function psnr(one: Buffer, other: Buffer): Promise<number> {
  const [a, b] = [await pixels(one), await pixels(other)];
  const squares = a.reduce((sum, value, i) => sum + (value - b[i]!) ** 2, 0) / a.length;
  return 10 * Math.log10(255 ** 2 / squares);
}
async function taken(result: ReturnType<typeof pictureInFile>): Promise<Buffer> {
  const picture = await result;
  if (!picture.ok) throw new Error(picture.problem.sentence);
  return picture.value;
}

test.each([0, 7, 29, 30, 59])(
  'frame %i is that of the file, and looks as its plan draws it',
  async (frame) => {
    const inFile = await taken(pictureInFile(film, frame, folder()));
    // The same frame by counting, from the start.
    const counted = join(dir, `counted ${frame}.png`);
    const colours =
      'scale=in_color_matrix=bt709:in_range=tv:flags=accurate_rnd+full_chroma_int+lanczos:out_range=pc';
    const filters = `select=eq(n\\,${frame}),${colours},format=rgb24,setparams=color_primaries=unknown:color_trc=unknown`;
    await ffmpeg('-i', film, '-vf', filters, '-frames:v', '1', '-update', '1', counted);
    expect(await psnr(inFile, await readFile(counted))).toBe(Infinity);
    const planned = await taken(
      pictureAsPlanned(plan, frame, { masterPath: master, graphicPath, folder: folder() }),
    );
    const alike = await psnr(inFile, planned);
    expect(alike).toBeGreaterThan(30);
    const other = frame < 30 ? frame + 3 : frame - 3;
    const elsewhere = await taken(
      pictureAsPlanned(plan, other, { masterPath: master, graphicPath, folder: folder() }),
    );
    expect(alike - (await psnr(inFile, elsewhere))).toBeGreaterThan(3);
    expect(await readdir(dir)).not.toContain('pictures');
  },
  150_000,
);
