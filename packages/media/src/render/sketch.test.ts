import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { heldFraming, makePlan } from '@mivvy/core';
import { must } from '../ffmpeg/run.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { deliver, type DeliverProgress } from './deliver.ts';

/** A first pass that is a sketch tells well enough where the bits are needed, or the file is made again. */
let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
});
afterAll(() => clean());

/** Delivers a film at a target, kbit/s; what it comes to by that, and in which stages it was made. */
async function made(name: string, targetKbps: number, ...film: string[]) {
  const tall = placement({
    frame: { width: 720, height: 1280 },
    audio: null,
    video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps, maxKbps: targetKbps * 1.2 } },
  });
  const master = join(dir, `${name}.mp4`);
  await ffmpeg('-f', 'lavfi', ...film, '-preset', 'ultrafast', '-crf', '12', master);
  const facts = await factsOf(master);
  const { plan } = makePlan({ facts, sha256: '0'.repeat(64), placement: tall, framing: heldFraming() });
  const stages: DeliverProgress['stage'][] = [];
  const done = must(
    await deliver(plan, {
      masterPath: master,
      outPath: join(dir, `${name} out.mp4`),
      workDir: join(dir, 'work'),
      placement: tall,
      onProgress: ({ stage }) => stages.at(-1) === stage || stages.push(stage),
    }),
  );
  return {
    share: (done.bytes * 8) / 1000 / (plan.frames / 25) / targetKbps,
    stages,
    wrong: done.report.checks.filter((line) => !line.ok).map((line) => line.id),
  };
}

test('a film with grain comes to its target by a sketch alone', async () => {
  const { share, stages, wrong } = await made(
    'grain',
    1500,
    '-i',
    'testsrc2=s=720x1280:r=25:d=6',
    '-vf',
    'noise=alls=12:allf=t',
  );
  expect(stages).toEqual(['analyse', 'encode', 'measure']);
  expect(share).toBeLessThan(1.05);
  expect(wrong).toEqual([]);
});

test('hard edges, of which a sketch tells less well, come to their target as well', async () => {
  const { share, stages, wrong } = await made('edges', 2500, '-i', 'testsrc2=s=720x1280:r=25:d=6');
  expect(stages).toEqual(['analyse', 'encode', 'measure']);
  // With x264's own tolerance they come to a fifth more.
  expect(share).toBeLessThan(1.05);
  expect(share).toBeGreaterThan(0.95);
  expect(wrong).toEqual([]);
});

test('a film that misses its target by a sketch is told by a whole first pass', async () => {
  // So little that bits spent wrongly at first cannot be saved later on.
  const { stages, wrong } = await made('edges for little', 40, '-i', 'testsrc2=s=720x1280:r=25:d=3');
  expect(stages).toEqual(['analyse', 'encode', 'analyse', 'encode', 'measure']);
  expect(wrong).not.toContain('bitrate-average');
});
