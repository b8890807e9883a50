import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { join } from 'node:path';
import {
  bare,
  dress,
  dressingShown,
  makePlan,
  sayAnew,
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
const anew = (dressing: Dressing, versionId: string) =>
  sayAnew(dressing, { keep, versionId, text: 'Kite Weekend', colour: '#203040', id: 'patch1' });

test.each([
  ['a window that stands still', heldFraming({ x: 0.5, y: 0.5, zoom: 1 })],
  ['a window that moves', glideAcross(50)],
])(
  '%s: not a pixel of the title is left, its words are there, and no trouble of it',
  async (name, framing) => {
    const before = await plannedWith(bare, framing, 'v');
    expect(aboutTitle(before).map((t) => t.code)).toContain('keep-cut');
    const dressing = anew(bare, 'v');
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
  const both = sayAnew(first, { keep, versionId: 'w', text: 'other', colour: '#ffffff', id: 'patch2' });
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
