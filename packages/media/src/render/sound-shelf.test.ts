import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { mkdtemp, readFile, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import { heldFraming, makePlan, type FrameSpan, type MasterFacts, type RenderPlan } from '@mivvy/core';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { makeSound } from './sound.ts';
import { SoundShelf } from './sound-shelf.ts';

let dir: string;
let clean: () => Promise<void>;
let master: string;
let facts: MasterFacts;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  master = join(dir, 'hum.mp4');
  await ffmpeg(
    ...['-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=4'],
    ...['-f', 'lavfi', '-i', "aevalsrc='0.1*(1+t)*sin(2*PI*330*t)':s=48000:d=4"],
    ...['-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p', '-c:a', 'aac', master],
  );
  facts = await factsOf(master);
});
afterAll(() => clean());

/** A plan of the film for a frame, a loudness and the frames that are kept. */
function planOf(width: number, integratedLufs: number, kept?: FrameSpan[]): RenderPlan {
  const loudness = { integratedLufs, truePeakDbtp: -1 };
  const place = placement({
    frame: { width, height: 240 },
    audio: { codec: 'aac', kbps: 128, sampleRate: 48_000, channels: 2, loudness },
  });
  const sha256 = '0'.repeat(64);
  return makePlan({ facts, sha256, placement: place, framing: heldFraming(), ...(kept ? { kept } : {}) })
    .plan;
}

/** A shelf that counts what it has made, and a way to ask it. */
function counting() {
  let makings = 0;
  const shelf = new SoundShelf((plan, run) => {
    makings++;
    return makeSound(plan, run);
  });
  const ask = async (plan: RenderPlan) => {
    const workDir = await mkdtemp(join(dir, 'work '));
    const made = await shelf.sound(plan, { masterPath: master, workDir });
    return made && { source: made.source, bytes: await readFile(made.path) };
  };
  return { ask, makings: () => makings };
}

test('versions of other shapes with the same sound have one making, byte for byte', async () => {
  const { ask, makings } = counting();
  const first = await ask(planOf(320, -16));
  const second = await ask(planOf(240, -16));
  expect(second).toEqual(first);
  expect(makings()).toBe(1);
});

test('another loudness, other frames or another file have their own', async () => {
  const { ask, makings } = counting();
  const first = await ask(planOf(320, -16));
  const louder = await ask(planOf(320, -12));
  expect(louder!.bytes.equals(first!.bytes)).toBe(false);
  const cut = await ask(planOf(320, -16, [{ from: 50, to: 100 }]));
  expect(cut!.bytes.length).toBeLessThan(first!.bytes.length);
  await utimes(master, new Date(), new Date(Date.now() + 5000));
  await ask(planOf(320, -16));
  expect(makings()).toBe(4);
});

test('a version without sound has none', async () => {
  const { ask, makings } = counting();
  const silent = makePlan({
    facts,
    sha256: '0'.repeat(64),
    placement: placement({ audio: null }),
    framing: heldFraming(),
  }).plan;
  expect(await ask(silent)).toBeNull();
  expect(makings()).toBe(0);
});
