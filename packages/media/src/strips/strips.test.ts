import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { heldFraming, makePlan, stripPlan, type Framing, type RenderPlan } from '@mivvy/core';
import { must, runFfmpegToMemory } from '../ffmpeg/run.ts';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, glideAcross, placement, testFolder } from '../testing/helpers.ts';
import { makeRuler, readRuler } from '../testing/ruler.ts';
import { measureEfforts } from './efforts.ts';
import { drawStrip, encodeStrip } from './strip.ts';

let dir: string;
let clean: () => Promise<void>;
let busy: string;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  busy = join(dir, 'busy.mp4');
  // Fine detail that zooms: something for an encoder to do.
  await ffmpeg(
    ...['-f', 'lavfi', '-i', 'mandelbrot=s=640x360:r=25', '-t', '4'],
    ...['-pix_fmt', 'yuv420p', '-preset', 'ultrafast', '-crf', '8', busy],
  );
}, 150_000);
afterAll(() => clean());

const graphicPath = () => '';
async function planOf(
  film: string,
  over: Parameters<typeof placement>[0] = {},
  more: { framing?: Framing; sharpen?: number } = {},
): Promise<RenderPlan> {
  const { framing = heldFraming(), sharpen } = more;
  const facts = await factsOf(film);
  return makePlan({ facts, sha256: '0'.repeat(64), placement: placement(over), framing, sharpen }).plan;
}
const glide = glideAcross(100);

test('a strip is a part of the film, frame for frame; drawn and encoded it shows the same', async () => {
  const ruler = join(dir, 'ruler.mp4');
  const size = { width: 640, height: 360 };
  await makeRuler(ruler, { size, rate: { num: 25, den: 1 }, frames: 80, args: ['-crf', '6'] });
  const plan = stripPlan(await planOf(ruler, {}, { framing: glide }), { from: 60, to: 75 });
  const options = { masterPath: ruler, folder: join(dir, 'ruler strip'), graphicPath };
  const drawn = must(await drawStrip(plan, options));
  const made = must(await encodeStrip(plan, { name: 'first', effort: 'quick', drawn }, options));
  const wanted = Array.from({ length: 15 }, (_, i) => 60 + i);
  for (const path of [drawn, made.path])
    expect((await readRuler(path, plan.frame, size)).map((r) => r.frame)).toEqual(wanted);
  expect(made.likeness).toBeGreaterThan(0.97);
  expect(made.kbps).toBeCloseTo((made.bytes * 8) / 1000 / (15 / 25), 3);
}, 150_000);

/** Mean difference of brightness between neighbours across, of a film's first picture. */
async function sharpness(path: string, { width, height }: { width: number; height: number }) {
  const bytes = must(
    await runFfmpegToMemory([
      ...['-i', path, '-frames:v', '1', '-vf', 'format=yuv420p,extractplanes=y', '-f', 'rawvideo', 'pipe:1'],
    ]),
  );
  let sum = 0;
  for (let y = 0; y < height; y++)
    for (let x = 1; x < width; x++) sum += Math.abs(bytes[y * width + x]! - bytes[y * width + x - 1]!);
  return sum / (height * (width - 1));
}

test.each([
  ['a window that stands still', heldFraming()],
  ['a window that moves', glide],
])(
  '%s: sharpened it has harder edges, more of them with more, and its file passes',
  async (_, framing) => {
    const found: number[] = [];
    for (const sharpen of [0, 0.35, 0.7]) {
      const plan = stripPlan(await planOf(busy, {}, { framing, sharpen }), { from: 0, to: 25 });
      const made = await deliver(plan, {
        masterPath: busy,
        outPath: join(dir, `${framing.stretches[0]!.move.kind} ${sharpen}.mp4`),
        workDir: join(dir, 'work'),
        placement: placement(),
      });
      const { path, report } = must(made);
      expect(report.checks.filter((line) => !line.ok)).toEqual([]);
      found.push(await sharpness(path, plan.frame));
    }
    expect(found[1]! / found[0]!).toBeGreaterThan(1.05);
    expect(found[2]! / found[1]!).toBeGreaterThan(1.02);
  },
  150_000,
);

test('two passes, every codec: a thorough encode is no less alike for its bits, and the rate is the plan’s', async () => {
  const video = {
    codec: 'h264' as const,
    rate: { mode: 'two-pass' as const, targetKbps: 400, maxKbps: 600 },
  };
  const plan = stripPlan(await planOf(busy, { video }), { from: 0, to: 50 });
  const options = { masterPath: busy, folder: join(dir, 'passes'), graphicPath };
  const drawn = must(await drawStrip(plan, options));
  const [quick, thorough] = [
    must(await encodeStrip(plan, { name: 'quick', effort: 'quick', drawn, forLikeness: true }, options)),
    must(
      await encodeStrip(plan, { name: 'thorough', effort: 'thorough', drawn, forLikeness: true }, options),
    ),
  ];
  expect(quick.kbps).toBeGreaterThan(300);
  expect(Math.max(quick.kbps, thorough.kbps)).toBeLessThan(560);
  expect(thorough.likeness).toBeGreaterThan(quick.likeness);
  for (const [codec, container] of [
    ['hevc', 'mp4'],
    ['vp9', 'webm'],
    ['av1', 'mp4'],
  ] as const) {
    const other = stripPlan(await planOf(busy, { video: { ...video, codec }, container }), {
      from: 0,
      to: 10,
    });
    const made = must(await encodeStrip(other, { name: codec, effort: 'quick', drawn }, options));
    expect([codec, made.bytes > 1000]).toEqual([codec, true]);
  }
}, 225_000);

test('efforts are measured: a thorough one comes out smaller than a quick one, and the usual one is the measure', async () => {
  const plan = stripPlan(await planOf(busy), { from: 0, to: 50 });
  const gains = must(
    await measureEfforts(plan, { masterPath: busy, folder: join(dir, 'efforts'), graphicPath }),
  );
  const of = Object.fromEntries(gains.map((gain) => [gain.effort, gain]));
  expect([of.usual!.time, of.usual!.size]).toEqual([1, 1]);
  // How long each takes is up to whatever else the machine does meanwhile.
  expect(Math.min(of.quick!.time, of.thorough!.time)).toBeGreaterThan(0);
  expect(of.quick!.size).toBeGreaterThan(of.thorough!.size);
}, 150_000);
