import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { heldFraming, makePlan } from '@mivvy/core';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { deliver } from './deliver.ts';

/**
 * 75 per cent colour bars as their standards code them, 8 bit, Y Cb Cr: Rec. ITU-R BT.601 and BT.709. The same colours,
 * other numbers: a master coded by one is delivered by the other.
 */
const bars: [string, [number, number, number], [number, number, number]][] = [
  ['yellow', [162, 44, 142], [168, 44, 136]],
  ['cyan', [131, 156, 44], [145, 147, 44]],
  ['green', [112, 72, 58], [133, 63, 52]],
  ['magenta', [84, 184, 198], [63, 193, 204]],
  ['red', [65, 100, 212], [51, 109, 212]],
  ['blue', [35, 212, 114], [28, 212, 120]],
];
// Large enough that a film without tags would be taken for BT.709: the tag decides.
const [barWidth, height, frames] = [128, 720, 6];
const width = barWidth * bars.length;

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

type Code = readonly [number, number, number];

/** A film of upright bars, coded without loss and tagged as told. */
async function filmOf(name: string, codes: readonly Code[], tags: string[], format = 'yuv420p') {
  const path = join(dir, `${name}.mp4`);
  // One grey picture a bar, its three planes set to the bar's codes, side by side.
  const inputs = codes.flatMap(() => [
    '-f',
    'lavfi',
    '-i',
    `color=gray:s=${barWidth}x${height}:r=25:d=${frames / 25}`,
  ]);
  const set = codes.map(([y, cb, cr], i) => `[${i}]format=${format},lutyuv=y=${y}:u=${cb}:v=${cr}[b${i}]`);
  const beside = `${codes.map((_, i) => `[b${i}]`).join('')}hstack=inputs=${codes.length}[all]`;
  await ffmpeg(
    ...inputs,
    ...['-filter_complex', [...set, beside].join(';'), '-map', '[all]'],
    ...['-c:v', 'libx264', '-qp', '0', '-pix_fmt', format, ...tags, path],
  );
  return path;
}

/** The middle of each bar of a file's last picture, as it is coded. */
async function codesOf(path: string): Promise<[number, number, number][]> {
  const raw = join(dir, 'picture.yuv');
  await ffmpeg(
    '-i',
    path,
    '-vf',
    `select=eq(n\\,${frames - 1})`,
    '-f',
    'rawvideo',
    '-pix_fmt',
    'yuv420p',
    raw,
  );
  const data = await readFile(raw);
  const chroma = (width / 2) * (height / 2);
  return bars.map((_, i) => {
    const [x, y] = [i * barWidth + barWidth / 2, height / 2];
    const at = (y / 2) * (width / 2) + x / 2;
    return [data[y * width + x]!, data[width * height + at]!, data[width * height + chroma + at]!];
  });
}

async function delivered(path: string, name: string): Promise<string> {
  const place = placement({
    frame: { width, height },
    video: { codec: 'h264', rate: { mode: 'quality', crf: 2 } },
    audio: null,
  });
  const { plan } = makePlan({
    facts: await factsOf(path),
    sha256: '0'.repeat(64),
    placement: place,
    framing: heldFraming(),
  });
  const outPath = join(dir, `${name}, delivered.mp4`);
  const made = await deliver(plan, { masterPath: path, outPath, workDir: join(dir, 'work') });
  if (!made.ok) throw new Error(made.problem.sentence);
  return outPath;
}

const tags709 = ['-color_primaries', 'bt709', '-color_trc', 'bt709', '-colorspace', 'bt709'];
const tags601 = ['-color_primaries', 'smpte170m', '-color_trc', 'smpte170m', '-colorspace', 'smpte170m'];

describe('75 per cent bars come out as BT.709 codes them, within two of 255', () => {
  test.each<[string, 1 | 2, string[]]>([
    ['of a BT.709 master', 2, tags709],
    ['of a BT.601 master', 1, tags601],
  ])(
    '%s',
    async (name, coded, tags) => {
      const master = await filmOf(
        name,
        bars.map((bar) => bar[coded]),
        tags,
      );
      expect(await codesOf(master)).toEqual(bars.map((bar) => bar[coded]));
      const found = await codesOf(await delivered(master, name));
      bars.forEach(([colour, , wanted], i) => {
        const off = Math.max(...wanted.map((value, c) => Math.abs(value - found[i]![c]!)));
        expect([colour, off <= 2 ? 'as coded' : found[i]]).toEqual([colour, 'as coded']);
      });
    },
    150_000,
  );
});

const tagsOf = (curve: string) => [
  ...['-color_primaries', 'bt2020', '-color_trc', curve, '-colorspace', 'bt2020nc'],
];
/** Ten bits of limited range for a share of the signal; grey. */
const grey = (share: number): Code => [Math.round(64 + 876 * share), 512, 512];

/**
 * The filmic curve of J. Hable (“Filmic Tonemapping Operators”, 2010, from memory): its white, eleven times less than its
 * own scale, is set to ten times reference white.
 */
const filmic = (x: number) => (x * (0.15 * x + 0.05) + 0.004) / (x * (0.15 * x + 0.5) + 0.06) - 0.02 / 0.3;
/** The eight-bit grey of a luminance, cd/m², drawn by that curve and shown by a BT.1886 screen (gamma 2.4). */
const greyOf = (luminance: number) => 16 + 219 * (filmic(luminance / 203) / filmic(10)) ** (1 / 2.4);

describe('greys of high dynamic range, from their published codes (SMPTE ST 2084; Rec. ITU-R BT.2100, BT.2408), within three of 255', () => {
  // 100 cd/m² is 50.8 per cent of PQ, 203 is 58 and 1000 is 75; reference white, 203, is 75 per cent of HLG.
  test.each<[string, string, readonly (readonly [number, number])[]]>([
    [
      'PQ',
      'smpte2084',
      [
        [0.508, 100],
        [0.58, 203],
        [0.75, 1000],
      ],
    ],
    ['HLG', 'arib-std-b67', [[0.75, 203]]],
  ])(
    '%s',
    async (name, curve, patches) => {
      // Each patch fills a bar or more of the six.
      const shown = bars.map((_, i) => patches[i % patches.length]!);
      const master = await filmOf(
        name,
        shown.map(([share]) => grey(share)),
        tagsOf(curve),
        'yuv420p10le',
      );
      const found = await codesOf(await delivered(master, name));
      shown.forEach(([, luminance], i) => {
        const [y, cb, cr] = found[i]!;
        const off = Math.max(Math.abs(y - greyOf(luminance)), Math.abs(cb - 128), Math.abs(cr - 128));
        expect([luminance, off <= 3 ? 'as published' : found[i]]).toEqual([luminance, 'as published']);
      });
    },
    150_000,
  );
});
