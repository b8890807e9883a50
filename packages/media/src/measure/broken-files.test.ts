import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { checkFile, heldFraming, makePlan, planMaster, type CheckReport, type RenderPlan } from '@mivvy/core';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { measureFile } from './measure.ts';

/**
 * Real files that break one line each, measured as any file is. A line that no file can break is not a check; a file
 * that breaks others than its own would name the wrong fault.
 */
let dir: string;
let clean: () => Promise<void>;
let plan: RenderPlan;
let good: string;
const at = (name: string) => join(dir, name);
const seconds = 4;

const place = placement({
  frame: { width: 360, height: 640 },
  video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 600, maxKbps: 900 }, keyframeSeconds: 1 },
  audio: {
    codec: 'aac',
    kbps: 128,
    sampleRate: 48000,
    channels: 2,
    loudness: { integratedLufs: -16, truePeakDbtp: -1.5 },
  },
});

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  // Two tones that come and go, so that there is a loudness to keep and a peak below it.
  await ffmpeg(
    ...['-f', 'lavfi', '-i', `testsrc2=s=640x360:r=25:d=${seconds}`],
    ...['-f', 'lavfi', '-i', `aevalsrc=0.3*sin(880*PI*t)*(0.6+0.4*sin(3*t))|0.3*sin(600*PI*t):d=${seconds}`],
    ...[
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-pix_fmt',
      'yuv420p',
      '-c:a',
      'pcm_s16le',
      at('master.mov'),
    ],
  );
  const facts = await factsOf(at('master.mov'));
  ({ plan } = makePlan({ facts, sha256: '0'.repeat(64), placement: place, framing: heldFraming() }));
  expect(planMaster(facts, plan.master.sha256)).toEqual(plan.master);
  good = at('good.mp4');
  const made = await deliver(plan, {
    masterPath: at('master.mov'),
    outPath: good,
    workDir: at('work'),
  });
  if (!made.ok) throw new Error(made.problem.sentence);
}, 300_000);
afterAll(() => clean());

async function reportOf(path: string, over: Partial<RenderPlan> = {}): Promise<CheckReport> {
  const measured = await measureFile(path);
  if (!measured.ok) throw new Error(measured.problem.sentence);
  return checkFile({ plan: { ...plan, ...over }, heard: true, alone: false }, measured.value);
}
const broken = (report: CheckReport) => report.checks.filter((line) => !line.ok).map((line) => line.id);

const colours = ['-color_primaries', 'bt709', '-color_trc', 'bt709', '-colorspace', 'bt709'];
/** The picture coded anew as the good file's is, but for what is wanted otherwise. */
const recoded = (...over: string[]) => [
  ...['-c:v', 'libx264', '-profile:v', 'high', '-level', plan.video.level ?? '3.0', '-b:v', '500k'],
  ...['-maxrate', '700k', '-bufsize', '700k', '-g', '25', '-pix_fmt', 'yuv420p', ...colours],
  ...['-c:a', 'copy', '-movflags', '+faststart'],
  ...over,
];
const sound = (filter: string, ...over: string[]) => [
  ...[
    '-c:v',
    'copy',
    '-af',
    filter,
    '-c:a',
    'aac',
    '-b:a',
    '128k',
    '-ar',
    '48000',
    '-movflags',
    '+faststart',
  ],
  ...over,
];

/** How each file is made from the good one, and the lines that it must break, and no others. */
const faults: [string, () => string[], string[]][] = [
  ['another size', () => recoded('-vf', 'scale=362:640,setsar=1'), ['frame-size']],
  ['stretched pixels', () => recoded('-vf', 'setsar=4/3'), ['pixels']],
  [
    'a picture that lies on its side',
    () => ['-c', 'copy', '-movflags', '+faststart', '-metadata:s:v', 'rotate=90'],
    ['pixels'],
  ],
  ['a frame too few', () => recoded('-frames:v', String(seconds * 25 - 1)), ['length']],
  ['another rate', () => recoded('-r', '30'), ['length', 'frame-rate']],
  [
    'uneven times',
    // A frame lasts 512 of the file's ticks: one picture comes a third of a frame late.
    () => ['-c', 'copy', '-movflags', '+faststart', '-bsf:v', 'setts=pts=PTS+eq(N\\,50)*170:dts=DTS'],
    ['frame-rate'],
  ],
  [
    'another codec',
    () => recoded('-c:v', 'mpeg4', '-profile:v', '0', '-q:v', '31'),
    ['codec', 'profile', 'level'],
  ],
  ['the main profile', () => recoded('-profile:v', 'main'), ['profile']],
  ['a higher level', () => recoded('-level', '5.1'), ['level']],
  [
    'colours without tags',
    () => [
      ...recoded(
        '-bsf:v',
        'h264_metadata=colour_primaries=2:transfer_characteristics=2:matrix_coefficients=2',
      ),
    ],
    ['colour'],
  ],
  ['full colour', () => recoded('-pix_fmt', 'yuv444p', '-profile:v', 'high444'), ['profile', 'colour']],
  [
    'keyframes too far apart',
    () => recoded('-g', '100', '-keyint_min', '100', '-sc_threshold', '0'),
    ['keyframes'],
  ],
  [
    'too many bits',
    () =>
      recoded(
        '-b:v',
        '750k',
        '-minrate',
        '750k',
        '-maxrate',
        '750k',
        '-bufsize',
        '300k',
        '-x264-params',
        'nal-hrd=cbr',
      ),
    ['bitrate-average'],
  ],
  ['tables at the end', () => ['-c', 'copy', '-movflags', '0'], ['faststart']],
  ['no sound', () => ['-c', 'copy', '-an', '-movflags', '+faststart'], ['sound']],
  ['one channel', () => sound('anull', '-ac', '1'), ['sound', 'loudness']],
  ['sound that ends early', () => sound(`atrim=0:${seconds - 0.5}`), ['sound-length']],
  ['silence in place of sound', () => sound('volume=0'), ['sound', 'loudness']],
  ['another container', () => ['-c', 'copy', '-f', 'mov', '-movflags', '+faststart'], ['container']],
  ['two decibels too loud', () => sound('volume=2dB'), ['loudness']],
  [
    'a peak above its limit',
    () => sound("volume='if(between(t,1,1.004),6,1)':eval=frame,alimiter=limit=1:level=0"),
    ['true-peak'],
  ],
];

describe('a good file', () => {
  test('breaks no line, and has every line that a file of its kind can have', async () => {
    const report = await reportOf(good);
    expect(broken(report)).toEqual([]);
    expect(report.checks.map((line) => line.id)).toEqual([
      'frame-size',
      'pixels',
      'length',
      'frame-rate',
      'codec',
      'profile',
      'level',
      'colour',
      'keyframes',
      'bitrate-average',
      'bitrate-ceiling',
      'container',
      'faststart',
      'sound',
      'sound-length',
      'loudness',
      'true-peak',
    ]);
  });

  test('is too large for a smaller limit by a byte, and not for its own size', async () => {
    const { measured } = await reportOf(good);
    expect(broken(await reportOf(good, { maxBytes: measured.bytes }))).toEqual([]);
    expect(broken(await reportOf(good, { maxBytes: measured.bytes - 1 }))).toEqual(['file-size']);
  });

  test('keeps to a ceiling that its busiest second reaches, with a hundredth, and not to a lower one', async () => {
    const { measured } = await reportOf(good);
    const under = (maxKbps: number) => {
      const rate = { mode: 'two-pass' as const, targetKbps: measured.video.averageKbps, maxKbps };
      return reportOf(good, { video: { ...plan.video, rate } });
    };
    expect(broken(await under(measured.video.peakKbps / 1.0099))).toEqual([]);
    expect(broken(await under(measured.video.peakKbps / 1.0101))).toEqual(['bitrate-ceiling']);
  });

  test('is known second by second: its loudness lies about the whole’s, and its peak where it is loudest', async () => {
    const { measured } = await reportOf(good);
    const { loudness, over } = measured.audio!;
    // Two seconds of four have a short-term loudness at all, which needs three (EBU Tech 3341, 2.2).
    expect(over!.momentary).toHaveLength(seconds);
    expect(over!.shortTerm.filter((lufs) => lufs !== null)).toHaveLength(2);
    for (const lufs of over!.momentary) expect(Math.abs(lufs! - loudness.integratedLufs!)).toBeLessThan(8);
    expect(over!.peakSeconds).toBeGreaterThanOrEqual(0);
  });

  test('that has sound is not a silent one', async () => {
    expect(broken(await reportOf(good, { audio: null }))).toEqual(['sound']);
  });
});

describe('a file with one fault is told by the line of that fault', () => {
  test.each(faults)(
    '%s',
    async (name, args, lines) => {
      const path = at(`${name}.mp4`);
      await ffmpeg('-i', good, ...args(), path);
      const report = await reportOf(path);
      expect(broken(report)).toEqual(lines);
      // The peak was put one second in: the line says so, to the tenth that it is known to.
      const peak = report.checks.find((line) => line.id === 'true-peak' && !line.ok);
      if (peak) expect(Math.abs(peak.spans![0]!.from - 25)).toBeLessThanOrEqual(3);
    },
    150_000,
  );
});
