import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { existsSync } from 'node:fs';
import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import {
  aspectLabel,
  heldFraming,
  makePlan,
  masterFrameAt,
  planLayout,
  rate,
  windowOf,
  type Placement,
  type PlanInput,
  type RenderPlan,
  type Size,
} from '@mivvy/core';
import { Cancelled } from '../ffmpeg/run.ts';
import { sha256File } from '../ingest/hash.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { makeRuler, readRuler, type RulerOptions } from '../testing/ruler.ts';
import { deliver } from './deliver.ts';

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

let serial = 0;
async function make(path: string, place: Placement, over: Partial<PlanInput> = {}) {
  const facts = await factsOf(path);
  const { plan } = makePlan({
    facts,
    sha256: '0'.repeat(64),
    placement: place,
    framing: heldFraming(),
    ...over,
  });
  const outPath = join(dir, `out ${++serial}.${place.container}`);
  const made = await deliver(plan, { masterPath: path, outPath, workDir: join(dir, `work ${serial}`) });
  if (!made.ok) throw new Error(`${made.problem.sentence} ${made.problem.mend}`);
  return { plan, facts, made: made.value };
}

async function ruler(name: string, options: RulerOptions): Promise<string> {
  const path = join(dir, `${name}.mp4`);
  if (!existsSync(path)) await makeRuler(path, options);
  return path;
}

/** Every picture of a file must show the planned frame, through the planned window, to within a master pixel. */
async function expectPlanned(plan: RenderPlan, path: string, tolerance = 1) {
  const { displayed } = plan.master;
  const readings = await readRuler(path, plan.frame, displayed);
  expect(readings.map((r) => r.frame)).toEqual(
    Array.from({ length: plan.frames }, (_, k) => masterFrameAt(plan, k)),
  );
  const wanted = planLayout(plan, 0).panels[0]!.source;
  for (const { window } of readings) {
    expect(Math.abs(window.x - wanted.x)).toBeLessThan(tolerance);
    expect(Math.abs(window.y - wanted.y)).toBeLessThan(tolerance);
    expect(Math.abs(window.x + window.width - wanted.x - wanted.width)).toBeLessThan(tolerance);
    expect(Math.abs(window.y + window.height - wanted.y - wanted.height)).toBeLessThan(tolerance);
  }
}

const hd: Size = { width: 1920, height: 1080 };
const shapes = [
  { width: 1080, height: 1920 },
  { width: 1080, height: 1350 },
  { width: 1080, height: 1080 },
  hd,
  { width: 1000, height: 1500 },
  { width: 1500, height: 500 },
];

describe('a ruler master is cut where it was asked for, frame by frame', () => {
  test.each(shapes.map((frame) => [aspectLabel(frame), frame] as const))(
    '%s out of 1920 × 1080',
    async (_name, frame) => {
      const path = await ruler('hd', { size: hd, rate: rate(25), frames: 12 });
      // Off centre and zoomed a little, so that no edge falls on a whole pixel.
      const pose = { x: 0.37, y: 0.56, zoom: 1.13 };
      const { plan, made } = await make(path, placement({ frame: { ...frame } }), {
        framing: heldFraming(pose),
      });
      expect(planLayout(plan, 0).panels[0]!.source).toEqual(windowOf(pose, hd, frame));
      await expectPlanned(plan, made.path);
      expect(made.report.checks.filter((c) => !c.ok)).toEqual([]);
    },
  );

  const small: Size = { width: 960, height: 540 };
  test.each<[string, RulerOptions]>([
    [
      'stored sideways with a rotation flag',
      { size: { width: 540, height: 960 }, rate: rate(30), frames: 14, rotation: 90 },
    ],
    [
      'stored sideways the other way',
      { size: { width: 540, height: 960 }, rate: rate(30), frames: 9, rotation: 270 },
    ],
    ['50 frames a second', { size: small, rate: rate(50), frames: 15 }],
    ['29.97 frames a second', { size: small, rate: rate(30000, 1001), frames: 31 }],
    ['4:3', { size: { width: 720, height: 540 }, rate: rate(24), frames: 10 }],
    ['odd dimensions', { size: { width: 961, height: 539 }, rate: rate(25), frames: 10 }],
  ])('%s', async (name, options) => {
    const path = await ruler(name, options);
    const { plan, facts, made } = await make(path, placement({ frameRate: { max: '30' } }), {
      framing: heldFraming({ x: 0.3, y: 0.5, zoom: 1 }),
    });
    expect(facts.video.displayed).toEqual(options.size);
    expect(facts.video.rotation).toBe(options.rotation ?? 0);
    expect(facts.video.frames).toBe(options.frames);
    await expectPlanned(plan, made.path);
  });

  test('a stretch from the middle, sought and not decoded from the start', async () => {
    const path = await ruler('long', { size: small, rate: rate(30000, 1001), frames: 130 });
    const { plan, made } = await make(path, placement(), { kept: [{ from: 97, to: 113 }] });
    expect(plan.frames).toBe(16);
    await expectPlanned(plan, made.path);
  });

  test('25 frames a second where only 24 is taken: the frames nearest in time', async () => {
    const path = await ruler('fifty', { size: small, rate: rate(25), frames: 50 });
    const { plan, made } = await make(path, placement({ frameRate: { allowed: ['24'] } }));
    expect(plan.step.kind).toBe('nearest');
    expect(plan.frames).toBe(48);
    await expectPlanned(plan, made.path);
  });

  test('the same plan gives the same bytes', async () => {
    const path = await ruler('hd', { size: hd, rate: rate(25), frames: 12 });
    const [a, b] = [await make(path, placement()), await make(path, placement())];
    expect(a.made.sha256).toBe(b.made.sha256);
    expect(a.made.sha256).toBe(await sha256File(a.made.path));
  });
});

describe('what is delivered meets the numbers of its place', () => {
  test('two passes under a ceiling and a size limit, loudness met, index first', async () => {
    const path = join(dir, 'busy.mp4');
    await ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'testsrc2=s=640x360:r=30:d=5',
      '-f',
      'lavfi',
      '-i',
      'anoisesrc=c=pink:a=0.05:r=48000:d=5:seed=3',
      '-vf',
      'noise=alls=24:allf=t:all_seed=1',
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-c:a',
      'aac',
      path,
    );
    const { plan, made } = await make(
      path,
      placement({
        frame: { width: 360, height: 640 },
        maxBytes: 420_000,
        video: {
          codec: 'h264',
          rate: { mode: 'two-pass', targetKbps: 900, maxKbps: 1100 },
          keyframeSeconds: 1,
        },
        audio: {
          codec: 'aac',
          kbps: 96,
          sampleRate: 48000,
          channels: 2,
          loudness: { integratedLufs: -14, truePeakDbtp: -1 },
        },
      }),
    );
    expect(plan.video.rate).toMatchObject({ mode: 'two-pass', targetKbps: 555 });
    expect(made.report.checks.filter((c) => !c.ok)).toEqual([]);
    expect(made.bytes).toBeLessThanOrEqual(420_000);
    expect(Math.abs(made.report.measured.audio!.loudness.integratedLufs! + 14)).toBeLessThan(0.5);
    expect(made.report.measured.audio!.seconds).toBeCloseTo(5, 1);
    expect(made.report.measured.moovFirst).toBe(true);
  });

  test.each([
    ['hevc', 'mp4', 'aac'],
    ['vp9', 'webm', 'opus'],
    ['av1', 'webm', 'opus'],
  ] as const)('%s in %s', async (codec, container, sound) => {
    const path = await ruler('codec', {
      size: { width: 480, height: 270 },
      rate: rate(25),
      frames: 20,
      sound: true,
    });
    const { made } = await make(
      path,
      placement({
        frame: { width: 270, height: 270 },
        container,
        video: { codec, rate: { mode: 'quality', crf: 24 } },
        audio: { codec: sound, kbps: 96, sampleRate: 48000, channels: 2 },
      }),
    );
    expect(made.report.checks.filter((c) => !c.ok)).toEqual([]);
  });

  const peculiar: [string, string, string[]][] = [
    [
      'a rate that changes mid-file',
      'mp4',
      [
        '-vf',
        "select='if(lt(t,1),1,not(mod(n,3)))'",
        '-fps_mode',
        'vfr',
        '-c:v',
        'libx264',
        '-preset',
        'ultrafast',
        '-pix_fmt',
        'yuv420p',
        '-c:a',
        'aac',
      ],
    ],
    [
      'HDR from a phone (HLG, 10 bit, HEVC)',
      'mov',
      [
        '-c:v',
        'libx265',
        '-preset',
        'ultrafast',
        '-pix_fmt',
        'yuv420p10le',
        '-x265-params',
        'log-level=error:colorprim=bt2020:transfer=arib-std-b67:colormatrix=bt2020nc',
        '-tag:v',
        'hvc1',
        '-c:a',
        'aac',
      ],
    ],
    [
      '10 bits and 4:2:2 with uncompressed sound, in an editing codec',
      'mov',
      ['-c:v', 'prores_ks', '-profile:v', '2', '-pix_fmt', 'yuv422p10le', '-c:a', 'pcm_s24le'],
    ],
    [
      'interlaced',
      'ts',
      [
        '-vf',
        'tinterlace=interleave_top,fieldorder=tff',
        '-flags',
        '+ildct+ilme',
        '-c:v',
        'mpeg2video',
        '-q:v',
        '3',
        '-c:a',
        'mp2',
      ],
    ],
    [
      'untagged SD in BT.601 with stretched pixels',
      'mp4',
      [
        '-vf',
        'scale=360:288,setsar=64/45',
        '-c:v',
        'libx264',
        '-preset',
        'ultrafast',
        '-pix_fmt',
        'yuv420p',
        '-c:a',
        'aac',
      ],
    ],
    [
      'full range and one channel',
      'mkv',
      [
        '-vf',
        'scale=out_range=pc',
        '-color_range',
        'pc',
        '-c:v',
        'libx264',
        '-preset',
        'ultrafast',
        '-pix_fmt',
        'yuvj420p',
        '-c:a',
        'flac',
        '-ac',
        '1',
      ],
    ],
  ];
  test.each(peculiar)('%s is delivered to the letter', async (_what, ending, args) => {
    const path = join(dir, `peculiar ${++serial}.${ending}`);
    await ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'testsrc2=s=512x288:r=30:d=2',
      '-f',
      'lavfi',
      '-i',
      'anoisesrc=c=pink:a=0.2:d=2:seed=5',
      ...args,
      path,
    );
    const { facts, made } = await make(
      path,
      placement({
        frameRate: { max: '30' },
        audio: {
          codec: 'aac',
          kbps: 128,
          sampleRate: 48000,
          channels: 2,
          loudness: { integratedLufs: -16, truePeakDbtp: -1 },
        },
      }),
    );
    expect(made.report.checks.filter((c) => !c.ok)).toEqual([]);
    expect(
      Math.abs(
        made.report.measured.audio!.seconds -
          (facts.video.frames * facts.video.rate.den) / facts.video.rate.num,
      ),
    ).toBeLessThan(0.05);
  });

  test('sound starts with its picture: a click at a known frame is heard at that frame', async () => {
    const path = join(dir, 'click.mp4');
    // White flash and a burst of tone, both at frame 20 of a 25 fps film.
    await ffmpeg(
      '-f',
      'lavfi',
      '-i',
      "color=black:s=320x180:r=25:d=2,drawbox=c=white:t=fill:enable='eq(n,20)'",
      '-f',
      'lavfi',
      '-i',
      "aevalsrc='0.8*sin(2*PI*1000*t)*between(t,0.8,0.84)':s=48000:d=2",
      '-c:v',
      'libx264',
      '-c:a',
      'aac',
      path,
    );
    const { made } = await make(
      path,
      placement({ audio: { codec: 'aac', kbps: 128, sampleRate: 48000, channels: 2 } }),
    );
    const wav = join(dir, 'click.f32');
    await ffmpeg('-i', made.path, '-map', '0:a', '-ac', '1', '-f', 'f32le', wav);
    const raw = await readFile(wav);
    const samples = new Float32Array(raw.buffer, raw.byteOffset, raw.length / 4);
    const first = samples.findIndex((s) => Math.abs(s) > 0.2);
    // Within a quarter of a frame (10 ms) of 0.8 s.
    expect(Math.abs(first / 48000 - 0.8)).toBeLessThan(0.01);
  });

  test('cancelling leaves neither a file nor a working folder', async () => {
    const path = await ruler('hd', { size: hd, rate: rate(25), frames: 12 });
    const facts = await factsOf(path);
    const { plan } = makePlan({
      facts,
      sha256: '0'.repeat(64),
      placement: placement({ frame: { width: 1080, height: 1920 } }),
      framing: heldFraming(),
    });
    const controller = new AbortController();
    const before = await readdir(dir);
    const making = deliver(plan, {
      masterPath: path,
      outPath: join(dir, 'never.mp4'),
      workDir: join(dir, 'work never'),
      signal: controller.signal,
    });
    setTimeout(() => controller.abort(), 150);
    await expect(making).rejects.toThrow(Cancelled);
    expect(await readdir(dir)).toEqual(before);
  });
});
