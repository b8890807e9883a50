import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { execa } from 'execa';
import {
  heldFraming,
  keptFrameAt,
  makePlan,
  masterFrameAt,
  pace,
  planSeconds,
  rate,
  type Framing,
  type Placement,
  type PlanInput,
  type Rate,
} from '@mivvy/core';
import { listenAlong } from '../ingest/listen.ts';
import { factsOf, ffmpeg, placement as usual, testFolder } from '../testing/helpers.ts';
import { makeRuler, readRuler } from '../testing/ruler.ts';
import { deliver } from './deliver.ts';

/** Small frames: what is read here are numbers of frames, not places of pixels. */
const placement = (over: Partial<Placement> = {}) => usual({ frame: { width: 108, height: 192 }, ...over });
let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

let serial = 0;
async function make(path: string, place: Placement, over: Partial<PlanInput>) {
  const { plan } = makePlan({
    facts: await factsOf(path),
    sha256: '0'.repeat(64),
    placement: place,
    framing: heldFraming(),
    ...over,
  });
  const made = await deliver(plan, {
    masterPath: path,
    outPath: join(dir, `out ${++serial}.mp4`),
    workDir: join(dir, `work ${serial}`),
  });
  if (!made.ok) throw new Error(`${made.problem.sentence} ${made.problem.mend}`);
  return { plan, path: made.value.path, report: made.value.report };
}
const size = { width: 320, height: 180 };
async function ruler(r: Rate): Promise<string> {
  const path = join(dir, `ruler ${r.num}-${r.den}.mp4`);
  if (!existsSync(path)) await makeRuler(path, { size, rate: r, frames: 120, args: ['-g', '12'] });
  return path;
}
/** The hook first, a shot of one frame, and two that play on from each other. */
const reordered = [
  { from: 80, to: 110 },
  { from: 5, to: 30 },
  { from: 60, to: 61 },
  { from: 30, to: 42 },
];
const moving: Framing = {
  version: 1,
  stretches: [
    {
      from: 0,
      move: {
        kind: 'glide',
        a: { x: 0.3, y: 0.5, zoom: 1 },
        b: { x: 0.7, y: 0.5, zoom: 1 },
        start: 0,
        end: 110,
        ease: 'even',
      },
    },
  ],
};
const rates = [rate(24000, 1001), rate(24), rate(25), rate(30000, 1001), rate(50), rate(60)];

async function expectFrames(plan: Parameters<typeof masterFrameAt>[0], path: string) {
  const readings = await readRuler(path, plan.frame, plan.master.displayed);
  expect(readings.map((r) => r.frame)).toEqual(
    Array.from({ length: plan.frames }, (_, k) => masterFrameAt(plan, k)),
  );
}

describe('cuts: every delivered frame is the planned one', () => {
  test.each(rates.map((r) => [`${r.num}/${r.den}`, r] as const))(
    'reordered spans of a film of %s frames a second',
    async (_name, r) => {
      const { plan, path, report } = await make(await ruler(r), placement(), { kept: reordered });
      expect(plan.frames).toBe(68);
      expect(masterFrameAt(plan, 0)).toBe(80);
      expect(masterFrameAt(plan, 30)).toBe(5);
      await expectFrames(plan, path);
      expect(report.checks.filter((c) => !c.ok)).toEqual([]);
    },
  );

  test('a window that moves, and every second frame', async () => {
    const one = await make(await ruler(rate(25)), placement(), { kept: reordered, framing: moving });
    await expectFrames(one.plan, one.path);
    const half = await make(await ruler(rate(50)), placement({ frameRate: { max: '30' } }), {
      kept: reordered,
    });
    expect(half.plan).toMatchObject({ rate: rate(25), frames: 34, step: { kind: 'every', n: 2 } });
    await expectFrames(half.plan, half.path);
  });

  test.each([[pace(21, 20)], [pace(11, 10)]])(
    'at a pace of %j each frame is the kept one nearest in time',
    async (p) => {
      for (const kept of [[{ from: 0, to: 120 }], reordered]) {
        const { plan, path } = await make(await ruler(rate(25)), placement(), { kept, pace: p });
        const length = kept.reduce((n, s) => n + s.to - s.from, 0);
        expect(plan.frames).toBe(Math.round((length * p.den) / p.num));
        // Stated once more, from the time alone: delivered frame k starts at k × pace kept frames.
        for (let k = 0; k < plan.frames; k++) {
          const at = Math.min(length - 1, (k * p.num) / p.den);
          const shown = kept.length === 1 ? masterFrameAt(plan, k) : null;
          if (shown !== null) expect(Math.abs(shown - at)).toBeLessThanOrEqual(0.5 + 1e-9);
          expect([0, 1].map((d) => keptFrameAt(kept, Math.floor(at) + d).frame)).toContain(
            masterFrameAt(plan, k),
          );
        }
        await expectFrames(plan, path);
      }
    },
  );

  test('a film whose rate varies is cut on its conformed frames', async () => {
    const even = await ruler(rate(25));
    const path = join(dir, 'varies.mp4');
    await ffmpeg(
      '-i',
      even,
      '-vf',
      "select='if(lt(n,50),1,not(mod(n,3)))'",
      '-fps_mode',
      'vfr',
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-crf',
      '8',
      '-g',
      '9',
      path,
    );
    const facts = await factsOf(path);
    expect(facts.video).toMatchObject({ rateVaries: true, rate: rate(25) });
    // What plain ffmpeg makes of the whole film at a steady rate is what the frames are counted in.
    await ffmpeg(
      '-i',
      path,
      '-vf',
      'fps=25',
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-crf',
      '8',
      join(dir, 'steady.mp4'),
    );
    const steady = (await readRuler(join(dir, 'steady.mp4'), size, size)).map((r) => r.frame);
    const made = await make(path, placement(), {
      kept: [
        { from: 70, to: 100 },
        { from: 0, to: 20 },
        { from: 45, to: 60 },
      ],
    });
    const readings = await readRuler(made.path, made.plan.frame, made.plan.master.displayed);
    expect(readings.map((r) => r.frame)).toEqual(
      Array.from({ length: 65 }, (_, k) => steady[masterFrameAt(made.plan, k)]),
    );
  });

  test('24 to 25 by a pace of 25/24 shows every frame once', async () => {
    const { plan, path } = await make(await ruler(rate(24)), placement({ frameRate: { allowed: ['25'] } }), {
      pace: pace(25, 24),
    });
    expect(plan).toMatchObject({ rate: rate(25), frames: 120, step: { kind: 'every', n: 1 } });
    await expectFrames(plan, path);
  });
});

/** The samples of a file's sound, one channel. */
async function samplesOf(path: string): Promise<Float32Array> {
  const { stdout } = await execa(
    'ffmpeg',
    ['-v', 'error', '-i', path, '-map', '0:a:0', '-ac', '1', '-ar', '48000', '-f', 'f32le', '-'],
    { encoding: 'buffer', maxBuffer: 1e9 },
  );
  return new Float32Array(Uint8Array.from(stdout).buffer);
}

/** How much of a stretch is anything but a steady tone: the best sine of its frequency taken out, hertz below 2500 left aside. */
const { sin, cos, PI, abs, max, sqrt, atan2, log2, log10 } = Math;
function toneIn(
  x: Float32Array,
  from: number,
  count: number,
  hertz: number,
): { amplitude: number; phase: number } {
  let [s, c] = [0, 0];
  for (let i = 0; i < count; i++) {
    // A window that fades in and out, so that its ends do not count.
    const w = 1 - cos((2 * PI * (i + 0.5)) / count);
    const t = (2 * PI * hertz * (from + i)) / 48000;
    s += w * x[from + i]! * sin(t);
    c += w * x[from + i]! * cos(t);
  }
  return { amplitude: (2 * sqrt(s * s + c * c)) / count, phase: atan2(c, s) };
}

/** The pitch of a tone near a frequency, from how its phase turns between two stretches. */
function pitchOf(x: Float32Array, hertz: number): number {
  const [a, count, gap] = [Math.floor(x.length * 0.3), 9600, 4800];
  let turn = toneIn(x, a + gap, count, hertz).phase - toneIn(x, a, count, hertz).phase;
  while (turn > PI) turn -= 2 * PI;
  while (turn < -PI) turn += 2 * PI;
  return hertz + (turn / (2 * PI)) * (48000 / gap);
}

describe('sound of cuts', () => {
  const tone = 440;
  const sound: Placement['audio'] = { codec: 'aac', kbps: 256, sampleRate: 48000, channels: 2 };
  let master: string;
  beforeAll(async () => {
    master = join(dir, 'tone.mov');
    await ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'color=c=gray:s=320x180:r=25:d=12',
      '-f',
      'lavfi',
      '-i',
      `sine=f=${tone}:r=48000:d=12`,
      '-af',
      'volume=6dB',
      '-ac',
      '2',
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-pix_fmt',
      'yuv420p',
      '-c:a',
      'pcm_s16le',
      master,
    );
  }, 150_000);

  test.each([[pace(1, 1)], [pace(21, 20)], [pace(11, 10)]])(
    'at a pace of %j the pitch is kept within 2 cents, and the length within a frame',
    async (p) => {
      const { plan, path, report } = await make(master, placement({ audio: sound }), { pace: p });
      const x = await samplesOf(path);
      expect(abs(1200 * log2(pitchOf(x, tone) / tone))).toBeLessThan(2);
      expect(abs(x.length / 48000 - planSeconds(plan))).toBeLessThan(1 / 25);
      expect(report.checks.find((c) => c.name === 'Length')!.ok).toBe(true);
    },
  );

  test('what comes in by a long fade across a join is no other sound', async () => {
    // A span that ends in silence, and one before whose start the sound comes back.
    const path = join(dir, 'silence between.mp4');
    await ffmpeg(
      ...['-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=5'],
      ...['-f', 'lavfi', '-i', 'anoisesrc=c=pink:a=0.5:d=5:seed=3'],
      ...['-af', "volume=0:enable='between(t,1,2)'", '-ac', '2', path],
    );
    const kept = [
      { from: 0, to: 45 },
      { from: 60, to: 110 },
    ];
    const { report } = await make(path, placement({ audio: sound }), { kept, joinMs: 500 });
    const line = report.checks.find(({ id }) => id === 'sound-alike');
    expect(line).toMatchObject({ ok: true, measured: 'as in the master' });
  });

  test('joins do not click: what is no tone stays below −60 dB of it', async () => {
    // Spans whose tones meet out of step.
    const kept = [
      { from: 100, to: 151 },
      { from: 20, to: 61 },
      { from: 200, to: 253 },
    ];
    const { path } = await make(master, placement({ audio: { ...sound, kbps: 320 } }), { kept });
    const { stdout } = await execa(
      'ffmpeg',
      [
        '-v',
        'error',
        '-i',
        path,
        '-map',
        '0:a:0',
        '-ac',
        '1',
        '-ar',
        '48000',
        '-af',
        'highpass=f=3000,highpass=f=3000,highpass=f=3000',
        '-f',
        'f32le',
        '-',
      ],
      { encoding: 'buffer', maxBuffer: 1e9 },
    );
    const rest = new Float32Array(Uint8Array.from(stdout).buffer);
    const x = await samplesOf(path);
    const { amplitude } = toneIn(x, 20_000, 9600, tone);
    for (const join of [51, 92].map((f) => (f / 25) * 48000)) {
      let peak = 0;
      for (let i = join - 2400; i < join + 2400; i++) peak = max(peak, abs(rest[i]!));
      expect(20 * log10(peak / amplitude)).toBeLessThan(-60);
    }
    expect(abs(x.length / 48000 - 145 / 25)).toBeLessThan(1 / 25);
  });

  test.each([
    [pace(1, 1), 12],
    [pace(21, 20), 12],
  ])('at a pace of %j picture and sound are in step at the end of many spans', async (p) => {
    const clap = join(dir, 'clap.mov');
    // A flash and a beep together, at 19 s.
    await ffmpeg(
      '-f',
      'lavfi',
      '-i',
      "color=c=black:s=320x180:r=25:d=20,drawbox=c=white:t=fill:enable='between(t,18.99,19.5)'",
      '-f',
      'lavfi',
      '-i',
      "aevalsrc='if(between(t,19,19.5),0.5*sin(2*PI*1000*t),0.0001*sin(2*PI*200*t))':s=48000:d=20",
      '-ac',
      '2',
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-pix_fmt',
      'yuv420p',
      '-c:a',
      'pcm_s16le',
      clap,
    );
    const kept = [
      ...Array.from({ length: 11 }, (_, i) => ({ from: 400 - i * 37, to: 400 - i * 37 + 17 + i })),
      { from: 450, to: 500 },
    ];
    const { plan, path } = await make(clap, placement({ audio: { ...sound, channels: 1 } }), {
      kept,
      pace: p,
    });
    const flash = Array.from({ length: plan.frames }, (_, k) => masterFrameAt(plan, k)).indexOf(475);
    const { stdout } = await execa(
      'ffmpeg',
      ['-v', 'error', '-i', path, '-vf', 'scale=1:1,format=gray', '-f', 'rawvideo', '-'],
      { encoding: 'buffer' },
    );
    const first = [...stdout].findIndex((luma) => luma > 128);
    expect(abs(first - flash)).toBeLessThanOrEqual(p.num === p.den ? 0 : 1);
    const x = await samplesOf(path);
    const beep = x.findIndex((v) => abs(v) > 0.1) / 48000;
    expect(abs(beep - first / 25)).toBeLessThan(0.5 / 25);
  });

  test('loudness is measured and set after the cut and the pace', async () => {
    const uneven = join(dir, 'uneven.mov');
    // Loud for four seconds, then twenty decibels less.
    await ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'color=c=gray:s=320x180:r=25:d=12',
      '-f',
      'lavfi',
      '-i',
      'sine=f=600:r=48000:d=12',
      '-af',
      "volume='if(lt(t,4),1.2,0.12)':eval=frame",
      '-ac',
      '2',
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-pix_fmt',
      'yuv420p',
      '-c:a',
      'pcm_s16le',
      uneven,
    );
    const { report } = await make(
      uneven,
      placement({ audio: { ...sound, loudness: { integratedLufs: -20, truePeakDbtp: -1 } } }),
      {
        kept: [
          { from: 150, to: 280 },
          { from: 110, to: 140 },
        ],
        pace: pace(21, 20),
      },
    );
    expect(report.checks.filter((c) => !c.ok)).toEqual([]);
    expect(report.checks.find((c) => c.name === 'Loudness')!.measured).toMatch(
      /^−(19\.[5-9]|20(\.[0-5])?) LUFS/,
    );
  });

  test('a film of silence, and one without sound, are cut as well', async () => {
    const silent = join(dir, 'silent.mov');
    await ffmpeg('-i', master, '-c:v', 'copy', '-af', 'volume=0', '-c:a', 'pcm_s16le', silent);
    const quiet = await make(silent, placement({ audio: sound }), {
      kept: [
        { from: 50, to: 80 },
        { from: 0, to: 20 },
      ],
      pace: pace(21, 20),
    });
    expect(quiet.report.checks.filter((c) => !c.ok)).toEqual([]);
    const heard = await listenAlong(silent, await factsOf(silent));
    expect(heard.ok && [heard.value.silences, heard.value.speech]).toEqual([[{ from: 0, to: 300 }], []]);
    const mute = join(dir, 'mute.mp4');
    await ffmpeg('-i', master, '-c', 'copy', '-an', mute);
    const { plan } = await make(mute, placement({ audio: sound }), {
      kept: [
        { from: 50, to: 80 },
        { from: 0, to: 20 },
      ],
      pace: pace(21, 20),
    });
    expect(plan.audio).toBeNull();
  });
});
