import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { ffmpeg, testFolder } from '../testing/helpers.ts';
import { readTopLevel } from '../measure/boxes.ts';
import { measureFile } from '../measure/measure.ts';
import { countFrames, probeMaster } from './probe.ts';
import { makeStill } from './still.ts';

// Films that were cut short or in which bits have flipped: a sentence each, or a film that can be worked on; no hang.

/** Nothing that a film of a second is asked takes this long, however it is damaged; milliseconds. */
const hang = 10_000;
const seed = Number(process.env.MIVVY_SEED) || 20261125;
let dir: string;
let clean: () => Promise<void>;
const at = (name: string) => join(dir, name);
const kinds: readonly [string, string[]][] = [
  ['fast.mp4', ['-c:v', 'libx264', '-c:a', 'aac', '-movflags', '+faststart']],
  ['late.mp4', ['-c:v', 'libx264', '-c:a', 'aac']],
  ['film.mkv', ['-c:v', 'libx264', '-c:a', 'aac']],
  ['film.ts', ['-c:v', 'libx264', '-c:a', 'aac']],
  ['film.avi', ['-c:v', 'mpeg4', '-c:a', 'mp3']],
  ['film.webm', ['-c:v', 'libvpx-vp9', '-deadline', 'realtime', '-c:a', 'libopus']],
];
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  for (const [name, args] of kinds)
    await ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'testsrc2=s=160x90:r=25:d=1',
      '-f',
      'lavfi',
      '-i',
      'sine=440:d=1',
      '-pix_fmt',
      'yuv420p',
      ...args,
      at(name),
    );
});
afterAll(() => clean());

function* numbers(start: number): Generator<number> {
  for (let state = start >>> 0; ;) yield (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}

/** Asks everything of a file that is asked of a master; what it comes to, in a word. */
async function ask(path: string): Promise<string> {
  const quick = await probeMaster(path);
  const counted = quick.ok ? await countFrames(path, quick.value) : quick;
  await readTopLevel(path);
  await measureFile(path).then((m) => m.ok || expect(m.problem.sentence).toMatch(/^[A-Z].*\.$/s));
  if (!counted.ok) {
    expect(counted.problem.sentence).toMatch(/^[A-Z].*\.$/s);
    expect(counted.problem.sentence).not.toContain(dir);
    return counted.problem.code;
  }
  for (const frame of [0, counted.value.video.frames - 1]) {
    const still = await makeStill(path, counted.value, frame, 54, at('still.jpg'));
    if (!still.ok) expect(still.problem.sentence).not.toContain(dir);
  }
  return 'film';
}

describe.each(kinds.map(([name]) => name))('%s', (name) => {
  test('cut short and with bits flipped', async () => {
    const bytes = await readFile(at(name));
    const random = numbers(seed + name.length * 7 + name.charCodeAt(0));
    const next = () => random.next().value as number;
    const damaged: Buffer[] = [0.02, 0.3, 0.7, 0.98].map((share) =>
      bytes.subarray(0, Math.floor(bytes.length * share)),
    );
    for (let n = 0; n < Number(process.env.MIVVY_FUZZ ?? 3); n++) {
      const copy = Buffer.from(bytes);
      // Every other time in the headers, where it hurts most.
      const within = n % 2 ? copy.length : Math.min(copy.length, 1200);
      for (let k = 0; k < 12; k++) copy[Math.floor(next() * within)]! ^= 1 << Math.floor(next() * 8);
      damaged.push(copy);
    }
    for (const [n, copy] of damaged.entries()) {
      const path = at(`damaged ${n} ${name}`);
      await writeFile(path, copy);
      const started = performance.now();
      await ask(path);
      expect(performance.now() - started).toBeLessThan(hang * 4);
    }
  });
});
