import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { heldFraming, makePlan, type Placement } from '@mivvy/core';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';

/**
 * Night, fog and clear sky under grain: pictures in which every place and every moment is nearly like every other. A
 * file that is as it should be has nothing wrong in its report, and a window that lies elsewhere is told where it can be.
 */
let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
});
afterAll(() => clean());

async function film(name: string, picture: string, grain: number): Promise<string> {
  const path = join(dir, `${name}.mp4`);
  const filters = `format=yuv420p,noise=c0s=${grain}:c0f=t+u:all_seed=3`;
  await ffmpeg('-f', 'lavfi', '-i', picture, '-vf', filters, '-crf', '14', path);
  return path;
}
const rates: [string, Partial<Placement>][] = [
  ['by quality', { video: { codec: 'h264', rate: { mode: 'quality', crf: 26 } } }],
  ['at a low rate', { video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 700, maxKbps: 900 } } }],
];

test.each([
  ['night', 'gradients=s=1280x720:c0=0x101820:c1=0x283848:d=2:r=25:seed=4', 14],
  ['a plain wall', 'color=0x404a50:s=1280x720:r=25:d=2', 14],
  ['clear sky', 'gradients=s=1280x720:c0=0x6090c0:c1=0xb0d0f0:d=2:r=25:seed=9', 4],
])(
  '%s: nothing is wrong in a file that is as planned',
  async (name, picture, grain) => {
    const master = await film(name, picture, grain);
    const facts = await factsOf(master);
    for (const [how, over] of rates) {
      const place = placement({ frame: { width: 540, height: 960 }, ...over });
      const { plan } = makePlan({ facts, sha256: '0'.repeat(64), placement: place, framing: heldFraming() });
      const made = await deliver(plan, {
        masterPath: master,
        outPath: join(dir, `${name} ${how}.mp4`),
        workDir: join(dir, 'work'),
        placement: place,
      });
      if (!made.ok) throw new Error(made.problem.sentence);
      const wrong = made.value.report.checks.filter((line) => !line.ok);
      expect([how, wrong.map(({ id, measured }) => [id, measured])]).toEqual([how, []]);
    }
  },
  150_000,
);
