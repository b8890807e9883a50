import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { copyFile, readFile, truncate, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { checkFile, heldFraming, makePlan, type CheckReport, type RenderPlan } from '@mivvy/core';
import { Cancelled } from '../ffmpeg/run.ts';
import { readHead } from '../measure/file-head.ts';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { plantedFaults, type Planted } from '../testing/planted.ts';
import { examineFile } from './examine-file.ts';

/**
 * Files with planted faults, made by plain ffmpeg: each is found under its own line, and a file that is as it should be
 * breaks none. Faults that a file's own numbers tell are in `measure/broken-files.test.ts`.
 */
let dir: string;
let clean: () => Promise<void>;
let plan: RenderPlan;
let faults: Planted[];
const at = (name: string) => join(dir, name);
const seconds = 4;

const place = placement({
  frame: { width: 270, height: 480 },
  video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 1200, maxKbps: 1500 } },
  audio: {
    codec: 'aac',
    kbps: 128,
    sampleRate: 48000,
    channels: 2,
    loudness: { integratedLufs: -16, truePeakDbtp: -1.5 },
  },
});

/** A picture full of detail that comes nearer, and a noise that swells and falls. */
const master = [
  ...['-f', 'lavfi', '-i', `mandelbrot=s=640x360:rate=25:end_pts=400`],
  ...['-f', 'lavfi', '-i', `anoisesrc=c=pink:a=0.4:d=${seconds}:seed=3,tremolo=f=2:d=0.7`],
  ...['-t', String(seconds), '-c:v', 'libx264', '-preset', 'ultrafast', '-crf', '12', '-pix_fmt', 'yuv420p'],
];

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  await ffmpeg(...master, '-c:a', 'pcm_s16le', at('master.mov'));
  await ffmpeg('-f', 'lavfi', '-i', `testsrc2=s=640x360:r=25:d=${seconds + 1}`, at('other.mp4'));
  const facts = await factsOf(at('master.mov'));
  ({ plan } = makePlan({ facts, sha256: '0'.repeat(64), placement: place, framing: heldFraming() }));
  const made = await deliver(plan, {
    masterPath: at('master.mov'),
    outPath: at('good.mp4'),
    workDir: at('work'),
    placement: place,
  });
  if (!made.ok) throw new Error(made.problem.sentence);
  faults = plantedFaults({ good: at('good.mp4'), plan, master: at('master.mov'), other: at('other.mp4') });
}, 300_000);
afterAll(() => clean());

async function reportOf(path: string): Promise<CheckReport> {
  const examined = await examineFile(path, plan, at('master.mov'));
  if (!examined.ok) throw new Error(examined.problem.sentence);
  const { measured, compared } = examined.value;
  return checkFile({ plan, heard: true, alone: false }, measured, { placement: place, compared });
}
const broken = (report: CheckReport) => report.checks.filter((line) => !line.ok).map((line) => line.id);

test('a good file breaks no line, and is compared with its master in every way', async () => {
  const report = await reportOf(at('good.mp4'));
  expect(broken(report)).toEqual([]);
  expect(report.checks.map((line) => line.id).slice(-10)).toEqual([
    'sync',
    'sound-alike',
    'black',
    'frozen',
    'repeated',
    'missing',
    'bars',
    'picture',
    'overlay',
    'crop',
  ]);
}, 150_000);

test('a comparison that is stopped ends, and the next one is made as ever', async () => {
  const controller = new AbortController();
  const stopped = examineFile(at('good.mp4'), plan, at('master.mov'), {
    signal: controller.signal,
    onProgress: () => controller.abort(),
  });
  await expect(stopped).rejects.toThrow(Cancelled);
  expect(broken(await reportOf(at('good.mp4')))).toEqual([]);
}, 150_000);

test('a file whose head promises pictures that are not there ends at once, with a sentence', async () => {
  const path = at('no pictures.mp4');
  // The index of a film in fragments comes before any of them.
  await ffmpeg('-i', at('good.mp4'), '-c', 'copy', '-movflags', 'frag_keyframe+empty_moov', path);
  const whole = await readFile(path);
  await writeFile(path, whole.subarray(0, whole.indexOf('moof') - 4));
  const head = await readHead(path);
  expect(head.ok && head.value.shown.frame).toEqual(plan.frame);
  const examined = await examineFile(path, plan, at('master.mov'));
  expect(examined.ok ? 'examined' : examined.problem.sentence).toBe('The finished file holds no picture.');
}, 150_000);

test('a file of another rate is told by its rate, and not by frames that are missing', async () => {
  const path = at('another rate.mp4');
  await ffmpeg(...faults.find((f) => f.name === 'another rate')!.args, path);
  const ids = broken(await reportOf(path));
  expect(ids).toEqual(expect.arrayContaining(['frame-rate', 'length']));
  expect(ids).not.toEqual(expect.arrayContaining(['missing']));
  expect(ids).not.toEqual(expect.arrayContaining(['repeated']));
}, 150_000);

describe('a planted fault is told by its line', () => {
  /** Each fault, and the lines beside its own that it breaks as well. */
  const told: [string, string[]][] = [
    ['one frame missing', ['length']],
    ['two frames repeated', ['length']],
    ['two frames held in place of others', []],
    ['a frozen second', []],
    ['half a second of black', []],
    ['bars over the picture', []],
    ['window 8 px to the right', []],
    ['window 4 px to the left', []],
    ['window that drifts', []],
    ['window far away', []],
    ['a mark in a corner', []],
    ['a word across the picture', []],
    ['a line along an edge', []],
    ['a flash of one frame', []],
    ['another film', []],
    ['colours washed out', []],
    ['sound 120 ms late', []],
    ['sound 80 ms early', []],
    ['a gap in the sound', []],
    ['one channel upside down', []],
    ['sound in another pitch', []],
  ];
  test.each(told)(
    '%s',
    async (name, more) => {
      const fault = faults.find((f) => f.name === name)!;
      const path = at(`${name}.mp4`);
      await ffmpeg(...fault.args, path);
      const report = await reportOf(path);
      expect(broken(report).filter((id) => id !== fault.id && !more.includes(id))).toEqual([]);
      expect(broken(report)).toContain(fault.id);
      const line = report.checks.find((l) => l.id === fault.id)!;
      expect(line.mend).toMatch(/\.$/);
      expect(line.spans?.length).toBeGreaterThan(0);
      for (const { from, to } of line.spans!) {
        expect(from).toBeGreaterThanOrEqual(0);
        expect(to).toBeLessThanOrEqual(report.measured.video.frames + 1);
        expect(to).toBeGreaterThan(from);
      }
    },
    150_000,
  );

  test('a file that breaks off is too short and not whole', async () => {
    const path = at('cut off.mp4');
    await copyFile(at('good.mp4'), path);
    await truncate(path, 200_000);
    const report = await reportOf(path);
    expect(broken(report)).toEqual(expect.arrayContaining(['container']));
    expect(report.passed).toBe(false);
  }, 150_000);
});
