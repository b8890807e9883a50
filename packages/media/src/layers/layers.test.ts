import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createCanvas } from '@napi-rs/canvas';
import {
  aspectLabel,
  bare,
  dress,
  heldFraming,
  makePlan,
  startStyles,
  type Dressing,
  type Layer,
  type PlannedVersion,
  type Size,
} from '@mivvy/core';
import { must, runFfmpegToMemory } from '../ffmpeg/run.ts';
import { shippedShaper } from '../letters/shaper.ts';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, glideAcross, placement, testFolder } from '../testing/helpers.ts';
import { takeGraphic } from './graphic.ts';
import { previewGraphicFilm, readGraphicFilm } from './graphic-film.ts';

/** What is laid over a film, measured from the pixels of exported files. */
let dir: string;
let clean: () => Promise<void>;
let film: string;
let mark: { sha256: string; width: number; height: number; path: string };

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  film = join(dir, 'grey.mp4');
  await ffmpeg('-f', 'lavfi', '-i', 'color=c=0x606060:s=1280x720:r=25:d=2', '-crf', '10', film);
  // A mark with a soft edge: half of it fades away.
  const canvas = createCanvas(200, 120);
  const pen = canvas.getContext('2d');
  const fade = pen.createLinearGradient(0, 0, 200, 0);
  fade.addColorStop(0, 'rgba(240, 200, 40, 1)');
  fade.addColorStop(1, 'rgba(240, 200, 40, 0)');
  pen.fillStyle = fade;
  pen.fillRect(0, 0, 200, 120);
  const taken = await takeGraphic(await canvas.encode('png'), 'mark.png');
  if (!taken.ok) throw new Error(taken.problem.sentence);
  const path = join(dir, 'mark.png');
  await writeFile(path, taken.value.bytes);
  mark = { ...taken.value, path };
}, 150_000);
afterAll(() => clean());

const plate: Layer = {
  id: 'lower',
  name: 'Lower third',
  what: {
    kind: 'words',
    text: 'Kite Weekend on the sea wall',
    style: { ...startStyles[1]!, plate: { colour: '#ffffff', opacity: 1 }, colour: '#000000' },
  },
  span: { from: 10, to: 30 },
  fadeIn: 0,
  fadeOut: 0,
  place: { anchor: 'bottom left', across: 0, down: 0, width: 0.8 },
  otherwise: {},
};

let serial = 0;
async function make(
  dressing: Dressing,
  frame: Size,
  over: Parameters<typeof placement>[0] = {},
  { graphic = mark.path, masterPath = film, framing = heldFraming() } = {},
) {
  const place = placement({
    frame: { ...frame },
    audio: null,
    video: { codec: 'h264', rate: { mode: 'quality', crf: 8 } },
    ...over,
  });
  const facts = await factsOf(masterPath);
  const plain = makePlan({ facts, sha256: '0'.repeat(64), placement: place, framing });
  const planned = dress(plain, place, {
    dressing,
    versionId: 'v',
    keeps: [],
    faces: [],
    shaper: shippedShaper(),
    approved: false,
  });
  const outPath = join(dir, `out ${++serial}.mp4`);
  const made = await deliver(planned.plan, {
    masterPath,
    outPath,
    workDir: join(dir, `work ${serial}`),
    graphicPath: () => graphic,
    placement: place,
  });
  if (!made.ok) throw new Error(made.problem.sentence);
  return { planned, outPath, report: made.value.report };
}

/** Pictures of a file at some frames, RGB. */
async function picturesAt(path: string, frames: readonly number[], size: Size): Promise<Uint8Array[]> {
  const bytes = must(
    await runFfmpegToMemory([
      '-i',
      path,
      '-vf',
      `select=${frames.map((k) => `eq(n\\,${k})`).join('+')},scale=in_color_matrix=bt709:flags=accurate_rnd+full_chroma_int,format=rgb24`,
      '-fps_mode',
      'passthrough',
      '-f',
      'rawvideo',
      'pipe:1',
    ]),
  );
  const each = size.width * size.height * 3;
  return frames.map((_, i) => bytes.subarray(i * each, (i + 1) * each));
}

/** The smallest box that holds every pixel brighter or darker than the grey film by much. */
function boxOf(rgb: Uint8Array, { width, height }: Size) {
  let [left, top, right, bottom] = [width, height, 0, 0];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      if (Math.abs(rgb[(y * width + x) * 3]! - 0x60) > 70) {
        left = Math.min(left, x);
        right = Math.max(right, x + 1);
        top = Math.min(top, y);
        bottom = Math.max(bottom, y + 1);
      }
  return { x: left, y: top, width: right - left, height: bottom - top };
}
const nothing = ({ width }: { width: number }) => width <= 0;

const shapes: Size[] = [
  { width: 720, height: 1280 },
  { width: 640, height: 800 },
  { width: 640, height: 640 },
  { width: 1280, height: 720 },
  { width: 640, height: 960 },
  { width: 1200, height: 400 },
];

describe('a title stands in the file where it was laid out', () => {
  test.each(shapes.map((frame) => [aspectLabel(frame), frame] as const))('%s', async (_name, frame) => {
    const { planned, outPath, report } = await make({ ...bare, layers: [plate] }, frame);
    const [before, first, last, after] = (await picturesAt(outPath, [9, 10, 29, 30], frame)).map((p) =>
      boxOf(p, frame),
    );
    // Its first and last frame are exact.
    expect([before!, after!].map(nothing)).toEqual([true, true]);
    const { box } = planned.plan.layers![0]!;
    for (const seen of [first!, last!])
      for (const side of ['x', 'y', 'width', 'height'] as const)
        expect(Math.abs(seen[side] - box[side])).toBeLessThanOrEqual(2);
    expect(report.checks.filter((line) => !line.ok)).toEqual([]);
  });
});

test('a picture with a soft edge is laid over as its alpha says, and fades by even steps (PSNR at least 40 dB)', async () => {
  const frame = { width: 640, height: 640 };
  const layer: Layer = {
    ...plate,
    what: { kind: 'picture', picture: { sha256: mark.sha256, name: 'mark', width: 200, height: 120 } },
    place: { anchor: 'middle', across: 0, down: 0, width: 200 / 576 },
    fadeIn: 0.16,
  };
  const { planned, outPath } = await make({ ...bare, layers: [layer] }, frame);
  const { box } = planned.plan.layers![0]!;
  expect([box.width, box.height]).toEqual([200, 120]);
  const grey = 0x60;
  for (const [i, opacity] of [
    [10, 0.2],
    [12, 0.6],
    [14, 1],
    [20, 1],
  ] as const) {
    const [picture] = await picturesAt(outPath, [i], frame);
    let square = 0;
    for (let y = 4; y < 116; y++)
      for (let x = 4; x < 196; x++)
        [240, 200, 40].forEach((colour, c) => {
          // Composited here by the definition of “over” (Porter and Duff), apart from any compositor in the product.
          const alpha = (1 - (x + 0.5) / 200) * opacity;
          const wanted = colour * alpha + grey * (1 - alpha);
          square += (picture![((box.y + y) * 640 + box.x + x) * 3 + c]! - wanted) ** 2;
        });
    const psnr = 10 * Math.log10(255 ** 2 / (square / (112 * 192 * 3)));
    expect(psnr).toBeGreaterThanOrEqual(40);
  }
});

describe('moving graphics are composited as their kind says (PSNR at least 40 dB)', () => {
  const size = { width: 200, height: 120 };
  const count = 12;
  const red = (frame: number) => 60 + frame * 12;
  /** Pictures that change from frame to frame, thinner to the right; on black, or with that alpha. */
  const rgba = (onBlack: boolean): Buffer => {
    const bytes = Buffer.alloc(size.width * size.height * 4 * count);
    for (let k = 0; k < count; k++)
      for (let y = 0; y < size.height; y++)
        for (let x = 0; x < size.width; x++) {
          const alpha = 1 - (x + 0.5) / size.width;
          const at = ((k * size.height + y) * size.width + x) * 4;
          [red(k), 200, 90].forEach((c, i) => (bytes[at + i] = Math.round(onBlack ? c * alpha : c)));
          bytes[at + 3] = onBlack ? 255 : Math.round(alpha * 255);
        }
    return bytes;
  };
  test.each([
    ['with alpha of its own', 'own', 'graphic.mov', ['-c:v', 'qtrle', '-pix_fmt', 'argb']],
    [
      'with alpha beside the picture, as WebM has it',
      'webm',
      'graphic.webm',
      ['-c:v', 'libvpx-vp9', '-pix_fmt', 'yuva420p', '-crf', '2', '-b:v', '0', '-auto-alt-ref', '0'],
    ],
    [
      'on black, shining through',
      'none',
      'graphic.mp4',
      [
        '-vf',
        'scale=out_color_matrix=bt709',
        '-colorspace',
        'bt709',
        '-c:v',
        'libx264',
        '-crf',
        '2',
        '-pix_fmt',
        'yuv444p',
      ],
    ],
  ] as const)('%s', async (_name, alpha, file, codec) => {
    const path = join(dir, file);
    const raw = join(dir, `${file}.raw`);
    await writeFile(raw, rgba(alpha === 'none'));
    await ffmpeg(
      ...['-f', 'rawvideo', '-pix_fmt', 'rgba', '-s', '200x120', '-r', '25', '-i', raw, ...codec, path],
    );
    const read = await readGraphicFilm(path, file);
    if (!read.ok) throw new Error(read.problem.sentence);
    expect(read.value).toMatchObject({ ...size, frames: count, alpha });
    const preview = await previewGraphicFilm(path, join(dir, `${file}.preview.webm`), read.value);
    expect(preview.ok).toBe(true);
    const frame = { width: 640, height: 640 };
    const screen = alpha === 'none';
    const layer: Layer = {
      ...plate,
      what: {
        kind: 'film',
        film: { sha256: 'f'.repeat(64), name: file, ...read.value },
        blend: screen ? 'screen' : 'over',
      },
      place: { anchor: 'middle', across: 0, down: 0, width: 200 / 576 },
      fadeIn: 0.04,
      span: { from: 10, to: 30 },
    };
    const { planned, outPath } = await make({ ...bare, layers: [layer] }, frame, {}, { graphic: path });
    const { box } = planned.plan.layers![0]!;
    const grey = 0x60;
    // Before it, in its fade, in it, and after its own end.
    for (const [at, k, opacity] of [
      [9, 0, 0],
      [10, 0, 0.5],
      [14, 4, 1],
      [21, 11, 1],
      [23, 0, 0],
    ] as const) {
      const [picture] = await picturesAt(outPath, [at], frame);
      let square = 0;
      for (let y = 6; y < 114; y++)
        for (let x = 6; x < 194; x++)
          [red(k), 200, 90].forEach((colour, c) => {
            const a = 1 - (x + 0.5) / 200;
            // “Over” by Porter and Duff; “screen” as W3C Compositing and Blending Level 1 has it.
            const wanted = screen
              ? 255 - ((255 - grey) * (255 - colour * a * opacity)) / 255
              : colour * a * opacity + grey * (1 - a * opacity);
            square += (picture![((box.y + y) * 640 + box.x + x) * 3 + c]! - wanted) ** 2;
          });
      expect(10 * Math.log10(255 ** 2 / (square / (108 * 188 * 3)))).toBeGreaterThanOrEqual(40);
    }
  });
});

test('layers lie over each other in their order, and the draft mark over all of them until a file is approved', async () => {
  const frame = { width: 640, height: 640 };
  const over = { ...plate, id: 'over1', place: { ...plate.place, anchor: 'middle' as const } };
  const dark: Layer = {
    ...over,
    id: 'dark1',
    what: {
      kind: 'words',
      text: 'Kite Weekend on the sea wall',
      style: { ...startStyles[1]!, plate: { colour: '#000000', opacity: 1 } },
    },
  };
  const corner = async (layers: Layer[], draftMark: boolean) => {
    const { planned, outPath } = await make({ ...bare, layers, draftMark }, frame);
    const { box } = planned.plan.layers!.at(-1)!;
    const [picture, later] = await picturesAt(outPath, [20, 45], frame);
    return { corner: picture![((box.y + 3) * 640 + box.x + 12) * 3]!, later: boxOf(later!, frame), planned };
  };
  expect((await corner([over, dark], false)).corner).toBeGreaterThan(200);
  expect((await corner([dark, over], false)).corner).toBeLessThan(50);
  const draft = await corner([over], true);
  expect(draft.planned.plan.layers).toHaveLength(2);
  expect(draft.later.width).toBeGreaterThan(100);
});

test('drawn captions break where the plan says, stand in their band, and their first and last frames are exact', async () => {
  const frame = { width: 720, height: 1280 };
  const cues = [{ from: 0.4, to: 1.2, lines: ['We went to see the old harbour again this morning'] }];
  const { planned, outPath, report } = await make(
    { ...bare, captions: [{ id: 'english1', language: 'en', cues }] },
    frame,
    { captions: 'burned' },
  );
  const { band, cues: drawn } = planned.plan.captions!;
  expect(drawn).toEqual([{ from: 10, to: 30, lines: expect.any(Array) }]);
  expect(drawn[0]!.lines).toHaveLength(2);
  const [before, first, last, after] = (await picturesAt(outPath, [9, 10, 29, 30], frame)).map((p) =>
    boxOf(p, frame),
  );
  expect([before!, after!].map(nothing)).toEqual([true, true]);
  for (const seen of [first!, last!]) {
    expect(seen.y).toBeGreaterThanOrEqual(band.y - 2);
    expect(seen.y + seen.height).toBeLessThanOrEqual(band.y + band.height + 2);
  }
  expect(report.checks.find((line) => line.id === 'captions')?.ok).not.toBe(false);
});

describe('pictures that come', () => {
  const take = (text: string) => takeGraphic(Buffer.from(text), 'mark.svg');
  const svg = (inside: string, more = '') =>
    `<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20"${more}>${inside}</svg>`;
  test('a drawing is kept sharp, with what is inside it', async () => {
    const taken = await take(svg('<rect width="40" height="20" fill="#08f"/>'));
    expect(taken).toMatchObject({ ok: true, value: { width: 2048, height: 1024 } });
  });
  test.each([
    ['a script', svg('<script>alert(1)</script>'), /holds a script/],
    ['a handler', svg('<rect onload="x()"/>'), /holds a script/],
    ['a link outside', svg('<image href="http://example.com/x.png"/>'), /outside it/],
    ['a style from outside', svg('<style>@import "x.css";</style>'), /outside it/],
    ['a file of this machine', svg('<image href="file:///etc/hostname"/>'), /outside it/],
    ['a page', svg('<foreignObject><p>x</p></foreignObject>'), /another kind/],
    ['no picture', 'hello', /no picture/],
  ])('%s is refused in a sentence', async (_what, text, sentence) => {
    const taken: Awaited<ReturnType<typeof take>> = await take(text);
    expect(taken.ok).toBe(false);
    if (!taken.ok) expect(taken.problem.sentence).toMatch(sentence);
  });
  test('one of 20,000 pixels is refused before it is opened', async () => {
    const header = Buffer.alloc(40);
    Buffer.from([137, 80, 78, 71, 13, 10, 26, 10]).copy(header);
    header.writeUInt32BE(20_000, 16);
    header.writeUInt32BE(20_000, 20);
    const taken = await takeGraphic(header, 'huge.png');
    expect(taken.ok).toBe(false);
    if (!taken.ok) expect(taken.problem.sentence).toMatch(/20000 × 20000/);
  });
});

/** A plan with nothing laid over it is the plan that it was before anything could be. */
test('a version that shows nothing is planned as if there were no dressing', async () => {
  const place = placement({ frame: { width: 640, height: 640 } });
  const facts = await factsOf(film);
  const plain: PlannedVersion = makePlan({
    facts,
    sha256: '0'.repeat(64),
    placement: place,
    framing: heldFraming(),
  });
  const out = { ...plate, otherwise: { v: { out: true as const } } };
  const dressed = dress(plain, place, {
    dressing: { ...bare, layers: [out], draftMark: true },
    versionId: 'v',
    keeps: [],
    faces: [],
    shaper: shippedShaper(),
    approved: true,
  });
  expect(dressed.plan).toEqual(plain.plan);
});

describe('a film with sound', () => {
  let heard: string;
  beforeAll(async () => {
    heard = join(dir, 'heard.mp4');
    // Longer than an encoder looks ahead, and something for it to do.
    await ffmpeg(
      ...[
        '-f',
        'lavfi',
        '-i',
        'mandelbrot=s=640x360:r=25',
        '-f',
        'lavfi',
        '-i',
        'sine=440:r=48000',
        '-t',
        '6',
      ],
      ...['-pix_fmt', 'yuv420p', '-crf', '12', '-c:a', 'aac', heard],
    );
  });

  test.each([
    ['one pass, a window that stands still', 'quality', heldFraming()],
    ['two passes, a window that stands still', 'two-pass', heldFraming()],
    ['one pass, a window that moves', 'quality', glideAcross(149)],
    ['two passes, a window that moves', 'two-pass', glideAcross(149)],
  ] as const)('%s: keeps its sound to the end under what is laid over it', async (_how, mode, framing) => {
    const rate =
      mode === 'quality' ? { mode, crf: 20, maxKbps: 8000 } : { mode, targetKbps: 1500, maxKbps: 3000 };
    const { report } = await make(
      { ...bare, layers: [plate] },
      { width: 360, height: 640 },
      { audio: { codec: 'aac', kbps: 96, sampleRate: 48000, channels: 2 }, video: { codec: 'h264', rate } },
      { masterPath: heard, framing },
    );
    expect(report.checks.filter((line) => !line.ok)).toEqual([]);
    expect(report.checks.map((line) => line.id)).toContain('sound-length');
  });
});
