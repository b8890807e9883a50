import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Layout, Size } from '@mivvy/core';
import { ffmpeg, testFolder } from '../testing/helpers.ts';
import { pictureBytes, Resampler } from './resampler.ts';

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

const master: Size = { width: 192, height: 128 };

/** A picture with edges, fine waves and slopes: luma in full, colour flat. */
function picture(): Uint8Array {
  const data = new Uint8Array(pictureBytes(master, '420')).fill(128);
  for (let y = 0; y < master.height; y++)
    for (let x = 0; x < master.width; x++) {
      const rings = 40 * Math.cos(((x - 90) ** 2 + (y - 60) ** 2) / 700);
      const edge = x + y > 170 ? 45 : 0;
      data[y * master.width + x] = Math.round(90 + rings + edge + 0.15 * x);
    }
  return data;
}

const layout = (source: { x: number; y: number; width: number; height: number }, frame: Size): Layout => ({
  panels: [{ source, into: { x: 0, y: 0, ...frame } }],
  ground: null,
});

/** Lanczos of three lobes as its formula has it, in floating point, a pixel at a time. */
function lanczos3(d: number): number {
  if (Math.abs(d) < 1e-9) return 1;
  if (Math.abs(d) >= 3) return 0;
  return (3 * Math.sin(Math.PI * d) * Math.sin((Math.PI * d) / 3)) / (Math.PI * d) ** 2;
}
function weightsAt(centre: number, widen: number, length: number): [number, number][] {
  const found: [number, number][] = [];
  for (let k = Math.ceil(centre - 3 * widen); k <= Math.floor(centre + 3 * widen); k++)
    found.push([Math.max(0, Math.min(length - 1, k)), lanczos3((k - centre) / widen)]);
  const sum = found.reduce((total, [, w]) => total + w, 0);
  return found.map(([k, w]) => [k, w / sum]);
}
function reference(
  from: Uint8Array,
  window: { x: number; y: number; width: number; height: number },
  frame: Size,
) {
  const [sx, sy] = [window.width / frame.width, window.height / frame.height];
  const across = Array.from({ length: frame.width }, (_, i) =>
    weightsAt(window.x + (i + 0.5) * sx - 0.5, Math.max(1, sx), master.width),
  );
  const down = Array.from({ length: frame.height }, (_, j) =>
    weightsAt(window.y + (j + 0.5) * sy - 0.5, Math.max(1, sy), master.height),
  );
  return Float64Array.from({ length: frame.width * frame.height }, (_, at) => {
    const [i, j] = [at % frame.width, Math.floor(at / frame.width)];
    let value = 0;
    for (const [y, v] of down[j]!)
      for (const [x, h] of across[i]!) value += v * h * from[y * master.width + x]!;
    return Math.max(0, Math.min(255, value));
  });
}

function psnr(a: ArrayLike<number>, b: ArrayLike<number>): number {
  let squares = 0;
  for (let i = 0; i < a.length; i++) squares += (a[i]! - b[i]!) ** 2;
  return 10 * Math.log10((255 * 255 * a.length) / Math.max(squares, 1e-12));
}

describe('the resampler', () => {
  test.each<[string, { x: number; y: number; width: number; height: number }, Size]>([
    [
      'reduced, off the pixels',
      { x: 11.37, y: 5.81, width: 150.5, height: 112.875 },
      { width: 80, height: 60 },
    ],
    ['enlarged', { x: 40.25, y: 30.6, width: 60, height: 45 }, { width: 160, height: 120 }],
    // The loops take four or eight columns at a time: colour has 45 and 75 here.
    [
      'reduced to lines that end in a rest',
      { x: 7.2, y: 3.4, width: 171, height: 114 },
      { width: 90, height: 60 },
    ],
    ['enlarged to such', { x: 40.25, y: 30.6, width: 60, height: 45 }, { width: 150, height: 114 }],
    ['at the edges', { x: 0, y: 0, width: 192, height: 128 }, { width: 96, height: 64 }],
  ])('%s, draws what its formula gives in floating point, to within a level', async (_how, source, frame) => {
    const resampler = await Resampler.open(master, '420', frame);
    const drawn = resampler.draw(picture(), layout(source, frame)).slice(0, frame.width * frame.height);
    const wanted = reference(picture(), source, frame);
    expect(Math.max(...wanted.map((value, i) => Math.abs(value - drawn[i]!)))).toBeLessThan(1.6);
    expect(psnr(wanted, drawn)).toBeGreaterThan(52);
  });

  test('draws what another scaler draws of the same window (ffmpeg’s, three lobes): at least 45 dB', async () => {
    const source = { x: 24, y: 8, width: 120, height: 96 };
    const frame = { width: 80, height: 64 };
    const [input, output] = [join(dir, 'in.yuv'), join(dir, 'out.yuv')];
    await writeFile(input, picture());
    await ffmpeg(
      ...['-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-s', `${master.width}x${master.height}`, '-i', input],
      '-vf',
      `scale=flags=lanczos+accurate_rnd+full_chroma_int:w=${(master.width * frame.width) / source.width}:h=${(master.height * frame.height) / source.height},crop=${frame.width}:${frame.height}:${(source.x * frame.width) / source.width}:${(source.y * frame.height) / source.height}:exact=1`,
      ...['-f', 'rawvideo', '-pix_fmt', 'yuv420p', output],
    );
    const resampler = await Resampler.open(master, '420', frame);
    const drawn = resampler.draw(picture(), layout(source, frame)).slice(0, frame.width * frame.height);
    const theirs = (await readFile(output)).subarray(0, frame.width * frame.height);
    expect(psnr(theirs, drawn)).toBeGreaterThan(45);
  });
});
