import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { join } from 'node:path';
import { planMaster, thumbBytes, thumbHeight, thumbWidth, type Thumb } from '@mivvy/core';
// The made-up films that the core's own tests use, here as a real file.
import { knownFilm } from '../../../core/src/testing/pictures.ts';
import { Cancelled } from '../ffmpeg/run.ts';
import { guidePng } from '../guides/guide-png.ts';
import { factsOf, ffmpeg, testFolder } from '../testing/helpers.ts';
import { findShots } from './find-shots.ts';

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

async function encode(path: string, pictures: readonly Thumb[]): Promise<void> {
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-y',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'yuv444p',
      '-s',
      `${thumbWidth}x${thumbHeight}`,
      '-r',
      '25',
      '-i',
      '-',
      '-vf',
      'scale=1280:720:flags=bicubic,format=yuv420p',
      '-c:v',
      'libx264',
      '-preset',
      'veryfast',
      '-crf',
      '24',
      path,
    ],
    { stdio: ['pipe', 'inherit', 'inherit'] },
  );
  for (const picture of pictures) if (!child.stdin.write(picture)) await once(child.stdin, 'drain');
  child.stdin.end();
  await once(child, 'exit');
}
test('through a real encoder and decoder at 720 lines, every hard cut is found where it is, and no other', async () => {
  const film = knownFilm(204, 20);
  const path = join(dir, 'known.mp4');
  await encode(path, film.pictures);
  const facts = await factsOf(path);
  expect(facts.video.frames).toBe(film.pictures.length);
  const fractions: number[] = [];
  const found = await findShots(path, facts, planMaster(facts, '0'.repeat(64)), {
    onFraction: (f) => fractions.push(f),
  });
  if (!found.ok) throw new Error(found.problem.sentence);
  const hard = found.value.shots.filter((s) => s.from > 0 && !s.join).map((s) => s.from);
  expect(hard).toEqual(film.cuts);
  expect(found.value.shots.filter((s) => s.join)).toHaveLength(film.slow.length);
  expect(found.value.looks.data.length).toBe(
    Math.ceil(film.pictures.length / found.value.looks.every) * thumbBytes,
  );
  expect(fractions.at(-1)).toBeGreaterThan(0.8);
});

test('cancelled, it throws; a file that is gone is said in words', async () => {
  const path = join(dir, 'long.mp4');
  await ffmpeg(
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=1280x720:r=25:d=12',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    path,
  );
  const facts = await factsOf(path);
  const controller = new AbortController();
  const run = findShots(path, facts, planMaster(facts, '0'.repeat(64)), {
    signal: controller.signal,
    onFraction: () => controller.abort(),
  });
  await expect(run).rejects.toBeInstanceOf(Cancelled);
  const gone = await findShots(join(dir, 'gone.mp4'), facts, planMaster(facts, '0'.repeat(64)));
  expect(gone.ok ? '' : gone.problem.sentence).toMatch(/no longer there/);
});

test('a guide picture has the master’s size, is transparent inside its window and white on its line', async () => {
  const png = await guidePng(
    [{ tag: 'A', name: 'Tall', window: { x: 100, y: 20, width: 120, height: 200 } }],
    { width: 640, height: 360 },
  );
  const path = join(dir, 'guide.png');
  const { writeFile, readFile } = await import('node:fs/promises');
  await writeFile(path, png);
  await ffmpeg('-i', path, '-f', 'rawvideo', '-pix_fmt', 'rgba', join(dir, 'guide.raw'));
  const raw = await readFile(join(dir, 'guide.raw'));
  expect(raw.length).toBe(640 * 360 * 4);
  const pixel = (x: number, y: number) => [...raw.subarray((y * 640 + x) * 4, (y * 640 + x) * 4 + 4)];
  expect(pixel(160, 150)[3]).toBe(0);
  expect(pixel(400, 150)[3]).toBe(0);
  expect(pixel(100, 150)).toEqual([255, 255, 255, 255]);
  expect(pixel(219, 150)).toEqual([255, 255, 255, 255]);
});
