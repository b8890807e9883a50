import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { createCanvas, ImageData } from '@napi-rs/canvas';
import {
  bare,
  dress,
  dressingShown,
  fillFromRing,
  makePlan,
  opacityAt,
  sayAnew,
  softPatch,
  troublesOf,
  type Dressing,
  type Framing,
  type Keep,
  heldFraming,
} from '@mivvy/core';
import { must, runFfmpegToMemory } from '../ffmpeg/run.ts';
import { shippedShaper } from '../letters/shaper.ts';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, glideAcross, placement, testFolder } from '../testing/helpers.ts';

/** A burned-in title that a crop would cut is hidden under a patch and said again, measured from exported pixels. */
let dir: string;
let clean: () => Promise<void>;
let film: string;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  film = join(dir, 'titled.mp4');
  // The title: a block of magenta, which nothing else in the film has, in frames 10 to 39.
  const title = "drawbox=x=80:y=540:w=520:h=90:color=0xff00ff:t=fill:enable='between(n,10,39)'";
  const grey = 'color=c=0x606060:s=1280x720:r=25:d=2';
  await ffmpeg('-f', 'lavfi', '-i', grey, '-vf', title, '-crf', '10', film);
}, 150_000);
afterAll(() => clean());

const keep: Keep = {
  id: 'title',
  name: 'Kite Weekend',
  kind: 'title',
  span: { from: 10, to: 40 },
  keys: [{ at: 10, x: 80 / 1280, y: 540 / 720, width: 520 / 1280, height: 90 / 720 }],
};
const square = placement({
  frame: { width: 600, height: 600 },
  audio: null,
  safeMargin: { top: 0.04, right: 0.04, bottom: 0.04, left: 0.04 },
  video: { codec: 'h264', rate: { mode: 'quality', crf: 8 } },
});
const plannedWith = async (dressing: Dressing, framing: Framing, versionId: string) => {
  const facts = await factsOf(film);
  const plain = makePlan({ facts, sha256: '0'.repeat(64), placement: square, framing });
  return dress(plain, square, {
    dressing,
    versionId,
    keeps: [keep],
    faces: [],
    shaper: shippedShaper(),
    approved: false,
  });
};
const aboutTitle = (planned: Awaited<ReturnType<typeof plannedWith>>) =>
  troublesOf(planned, square, { keeps: [keep], margin: { kind: 'place' } }).filter(
    (t) => t.keepId === keep.id,
  );
/** Pixels of a finished file's frame that are the title's. */
async function titlePixels(path: string, frame: number): Promise<number> {
  const select = `select=eq(n\\,${frame}),format=rgb24`;
  const pixels = must(
    await runFfmpegToMemory(['-i', path, '-vf', select, '-frames:v', '1', '-f', 'rawvideo', '-']),
  );
  let count = 0;
  for (let i = 0; i < pixels.length; i += 3)
    if (pixels[i]! > 150 && pixels[i + 1]! < 90 && pixels[i + 2]! > 150) count++;
  return count;
}
const anew = (dressing: Dressing, versionId: string, soft = false) =>
  sayAnew(dressing, { keep, versionId, text: 'Kite Weekend', colour: '#203040', soft, id: 'patch1' });

test.each([
  ['a plate in a window that stands still', heldFraming({ x: 0.5, y: 0.5, zoom: 1 }), false],
  ['a plate in a window that moves', glideAcross(50), false],
  ['the soft film in a window that stands still', heldFraming({ x: 0.5, y: 0.5, zoom: 1 }), true],
  ['the soft film in a window that moves', glideAcross(50), true],
])(
  '%s: not a pixel of the title is left, its words are there, and no trouble of it',
  async (name, framing, soft) => {
    const before = await plannedWith(bare, framing, 'v');
    expect(aboutTitle(before).map((t) => t.code)).toContain('keep-cut');
    const dressing = anew(bare, 'v', soft);
    const planned = await plannedWith(dressing, framing, 'v');
    expect(aboutTitle(planned)).toEqual([]);
    expect(planned.plan.layers!.map((layer) => layer.what.kind)).toEqual(['words', 'patch']);

    const outPath = join(dir, `${name}.mp4`);
    const made = must(
      await deliver(planned.plan, {
        masterPath: film,
        outPath,
        workDir: join(dir, 'work'),
        placement: square,
      }),
    );
    expect(made.report.checks.filter((line) => !line.ok)).toEqual([]);
    for (const frame of [10, 11, 24, 38, 39])
      expect([frame, await titlePixels(outPath, frame)]).toEqual([frame, 0]);
    if (soft) return;
    // Without the patch it is seen there, and the test would see it.
    const bareOut = join(dir, `bare ${name}.mp4`);
    must(await deliver(before.plan, { masterPath: film, outPath: bareOut, workDir: join(dir, 'work') }));
    expect(await titlePixels(bareOut, 24)).toBeGreaterThan(1000);
  },
);

test('it is done in one version, and again with the same layers in another', async () => {
  const framing = heldFraming();
  const first = anew(bare, 'v');
  expect((await plannedWith(first, framing, 'w')).plan.layers).toBeUndefined();
  expect(aboutTitle(await plannedWith(first, framing, 'w'))).not.toEqual([]);
  const both = sayAnew(first, {
    keep,
    versionId: 'w',
    text: 'other',
    colour: '#ffffff',
    soft: false,
    id: 'patch2',
  });
  expect(both.layers.map((layer) => layer.id)).toEqual(first.layers.map((layer) => layer.id));
  expect(both.layers.every((layer) => layer.only?.join() === 'v,w')).toBe(true);
  expect(aboutTitle(await plannedWith(both, framing, 'w'))).toEqual([]);
});

test('written down for somebody without the keeps, it hides the same', async () => {
  const framing = heldFraming();
  const dressing = anew(bare, 'v');
  const { plan } = await plannedWith(dressing, framing, 'v');
  const shown = dressingShown(dressing, { versionId: 'v', language: undefined, keeps: [keep] });
  const facts = await factsOf(film);
  const plain = makePlan({ facts, sha256: '0'.repeat(64), placement: square, framing });
  const elsewhere = {
    dressing: shown,
    versionId: '',
    keeps: [],
    faces: [],
    shaper: shippedShaper(),
    approved: false,
  };
  expect(dress(plain, square, elsewhere).plan.layers).toEqual(plan.layers);
});

test('a frame that shows nothing of the title has no patch', async () => {
  // The window stands at the right edge.
  const planned = await plannedWith(anew(bare, 'v'), heldFraming({ x: 1, y: 0.5, zoom: 1.4 }), 'v');
  expect(planned.plan.layers!.map((layer) => layer.what.kind)).toEqual(['words']);
});

/** One frame of a film, RGBA. */
async function pictureAt(path: string, frame: number): Promise<{ data: Uint8ClampedArray; width: number }> {
  const pixels = must(
    await runFfmpegToMemory([
      ...[
        '-i',
        path,
        '-vf',
        `select=eq(n\\,${frame}),scale=in_color_matrix=bt709:flags=accurate_rnd,format=rgba`,
      ],
      ...['-frames:v', '1', '-f', 'rawvideo', '-'],
    ]),
  );
  return { data: Uint8ClampedArray.from(pixels), width: Math.sqrt(pixels.length / 4) };
}

test('the soft film is what the canvas of a proof draws, frame by frame, with its fades', async () => {
  // Scenery with slopes and detail, in which the title goes from one place to another.
  const moving = join(dir, 'scenery.mp4');
  const scenery = 'gradients=s=1280x720:r=25:d=2:c0=0x205080:c1=0xd0b060:x0=0:y0=0:x1=1279:y1=719:speed=0.01';
  await ffmpeg('-f', 'lavfi', '-i', scenery, '-crf', '6', moving);
  const dressing = anew(bare, 'v', true);
  const patch = dressing.layers.find((layer) => layer.what.kind === 'patch')!;
  const faded = { ...dressing, layers: [{ ...patch, fadeIn: 0.2, fadeOut: 0.2 }] };
  const framing = heldFraming();
  const facts = await factsOf(moving);
  const plain = makePlan({ facts, sha256: '0'.repeat(64), placement: square, framing });
  const { plan } = dress(plain, square, {
    dressing: faded,
    versionId: 'v',
    keeps: [keep],
    faces: [],
    shaper: shippedShaper(),
    approved: false,
  });
  const workDir = join(dir, 'work');
  const [under, over] = [join(dir, 'under.mp4'), join(dir, 'over.mp4')];
  must(await deliver(plain.plan, { masterPath: moving, outPath: under, workDir, placement: square }));
  must(await deliver(plan, { masterPath: moving, outPath: over, workDir, placement: square }));

  const layer = plan.layers![0]!;
  const soft = softPatch(layer.box, plan.frame);
  const { hidden, region, columns, rows } = soft;
  expect(hidden.width).toBeGreaterThan(200);
  for (const frame of [9, 10, 12, 20, 30, 38, 39, 40]) {
    const below = await pictureAt(under, frame);
    const canvas = createCanvas(plan.frame.width, plan.frame.height);
    const pen = canvas.getContext('2d');
    pen.putImageData(new ImageData(below.data, below.width), 0, 0);
    // The means of the cells, without a canvas that rounds them.
    const small = createCanvas(columns, rows);
    const cells = small.getContext('2d').createImageData(columns, rows);
    for (let y = 0; y < rows; y++)
      for (let x = 0; x < columns; x++)
        cells.data.set(meanOf(below, region, { x, y, columns, rows }), (y * columns + x) * 4);
    fillFromRing(cells.data, soft);
    small.getContext('2d').putImageData(cells, 0, 0);
    pen.globalAlpha = opacityAt(layer, frame);
    pen.imageSmoothingQuality = 'high';
    pen.beginPath();
    pen.rect(hidden.x, hidden.y, hidden.width, hidden.height);
    pen.clip();
    pen.drawImage(small, region.x, region.y, region.width, region.height);
    const wanted = pen.getImageData(hidden.x, hidden.y, hidden.width, hidden.height).data;
    const { data } = await pictureAt(over, frame);
    let squares = 0;
    for (let y = 0; y < hidden.height; y++)
      for (let i = 0; i < hidden.width * 4; i++) {
        const there = data[((hidden.y + y) * below.width + hidden.x) * 4 + i]!;
        squares += (there - wanted[y * hidden.width * 4 + i]!) ** 2;
      }
    const psnr = 10 * Math.log10((255 * 255 * wanted.length) / squares);
    expect([frame, psnr]).toEqual([frame, expect.closeTo(Math.max(psnr, 40), 6)]);
  }
}, 120_000);

/** The mean colour of one cell of a region. */
function meanOf(
  { data, width }: { data: Uint8ClampedArray; width: number },
  region: { x: number; y: number; width: number; height: number },
  { x, y, columns, rows }: { x: number; y: number; columns: number; rows: number },
): number[] {
  const from = (start: number, length: number, i: number, count: number) =>
    Math.round(start + (length * i) / count);
  const sum = [0, 0, 0, 0];
  let count = 0;
  for (let v = from(region.y, region.height, y, rows); v < from(region.y, region.height, y + 1, rows); v++)
    for (
      let u = from(region.x, region.width, x, columns);
      u < from(region.x, region.width, x + 1, columns);
      u++
    ) {
      for (let channel = 0; channel < 4; channel++) sum[channel]! += data[(v * width + u) * 4 + channel]!;
      count++;
    }
  return sum.map((n) => n / count);
}
