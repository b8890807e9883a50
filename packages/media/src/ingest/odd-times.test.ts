import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { heldFraming, makePlan, masterNotes, rate, type MasterFacts, type Placement } from '@mivvy/core';
import { deliver } from '../render/deliver.ts';
import { ffmpeg, testFolder } from '../testing/helpers.ts';
import { makeRuler, readRuler, readRulerPicture } from '../testing/ruler.ts';
import { countFrames, probeMaster } from './probe.ts';
import { makeStill } from './still.ts';

// Films whose times are odd: what is known of them, and whether every frame of them is delivered.

const size = { width: 640, height: 360 };
const frames = 100;
let dir: string;
let clean: () => Promise<void>;
const at = (name: string) => join(dir, name);
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  await makeRuler(at('ruler.mp4'), { size, rate: rate(25), frames, sound: true });
});
afterAll(() => clean());

async function read(name: string): Promise<MasterFacts> {
  const quick = await probeMaster(at(name));
  const counted = quick.ok ? await countFrames(at(name), quick.value) : quick;
  if (!counted.ok) throw new Error(counted.problem.sentence);
  return counted.value;
}

const placement: Placement = {
  id: 'wide',
  name: 'Wide',
  frame: size,
  container: 'mp4',
  video: { codec: 'h264', rate: { mode: 'quality', crf: 14 } },
  audio: null,
};

/** The frames of a film as they are delivered, by their numbers. */
async function delivered(name: string, facts: MasterFacts, from = 0): Promise<(number | null)[]> {
  const { plan } = makePlan({
    facts,
    sha256: 'a'.repeat(64),
    placement,
    framing: heldFraming(),
    kept: [{ from, to: facts.video.frames }],
  });
  const outPath = at(`${name} from ${from} out.mp4`);
  const made = await deliver(plan, { masterPath: at(name), outPath, workDir: at(`${name} work`) });
  if (!made.ok) throw new Error(made.problem.sentence);
  return (await readRuler(outPath, size, size)).map((r) => r.frame);
}
const upTo = (n: number, from = 0) => Array.from({ length: n - from }, (_, i) => i + from);

describe('every frame once', () => {
  test.each<[string, string, string[]]>([
    ['whose times start at ten seconds, Matroska', 'late.mkv', ['-output_ts_offset', '10']],
    ['whose times start at ten seconds, MP4', 'late.mp4', ['-output_ts_offset', '10']],
    ['in AVI, which knows only when pictures are decoded', 'steady.avi', []],
    ['whose first second has no times', 'untimed.avi', ['-bsf:v', "setts=pts='if(lt(N,25),NOPTS,PTS)'"]],
    ['in a transport stream', 'stream.ts', []],
    [
      'whose times are those of decoding',
      'decoded.mp4',
      ['-c:v', 'libx264', '-crf', '10', '-bf', '3', '-bsf:v', 'setts=pts=DTS', '-use_editlist', '0'],
    ],
  ])('a steady film %s', async (_what, name, args) => {
    await ffmpeg('-i', at('ruler.mp4'), '-map', '0:v', '-c', 'copy', ...args, at(name));
    const facts = await read(name);
    expect(facts.video).toMatchObject({ rate: rate(25), rateVaries: false, frames });
    expect(await delivered(name, facts)).toEqual(upTo(frames));
    expect(await delivered(name, facts, 70)).toEqual(upTo(frames, 70));
  });

  test('a film that breaks off is found out wherever its times start', async () => {
    await ffmpeg(
      '-i',
      at('ruler.mp4'),
      '-map',
      '0:v',
      '-c',
      'copy',
      '-output_ts_offset',
      '10',
      '-movflags',
      '+faststart',
      at('short.mp4'),
    );
    const whole = await readFile(at('short.mp4'));
    await writeFile(at('short.mp4'), whole.subarray(0, Math.floor(whole.length * 0.5)));
    await expect(read('short.mp4')).rejects.toThrow(/breaks off|incomplete/);
  });
});

describe('a rate is what nearly all distances say', () => {
  /** Every hundredth distance is longer by so many milliseconds. */
  const withGaps = (ms: number) => [
    '-vf',
    `settb=1/1000,setpts=N*40+floor(N/100)*${ms}`,
    '-fps_mode',
    'passthrough',
    '-enc_time_base',
    '1/1000',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-bf',
    '0',
    '-pix_fmt',
    'yuv420p',
    '-video_track_timescale',
    '90000',
  ];
  test('copies joined end to end: the few longer distances are gaps, closed to the grid, and said', async () => {
    // Seven of 799 distances are eleven milliseconds longer, as joining copies whose sound is longer than their picture makes them.
    await ffmpeg('-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=32', ...withGaps(11), at('joined.mp4'));
    const facts = await read('joined.mp4');
    expect(facts.video).toMatchObject({ rate: rate(25), gaps: 7, frames: 802 });
    expect(masterNotes(facts).find((n) => n.code === 'gaps')?.sentence).toContain('7 small gaps');
    const { plan } = makePlan({ facts, sha256: 'a'.repeat(64), placement, framing: heldFraming() });
    expect(plan.rate).toEqual(rate(25));
    const made = await deliver(plan, {
      masterPath: at('joined.mp4'),
      outPath: at('joined out.mp4'),
      workDir: at('joined work'),
    });
    expect(made.ok && made.value.report.checks.find((c) => c.name === 'Length')).toMatchObject({
      ok: true,
      measured: '802 frames',
    });
  });
  test('one small gap is no reason to conform a film', async () => {
    await ffmpeg('-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=8', ...withGaps(9), at('one gap.mp4'));
    expect((await read('one gap.mp4')).video).toMatchObject({
      rate: rate(25),
      rateVaries: false,
      frames: 200,
    });
  });
});

describe('mirrored films are told as mirrored, not as turned', () => {
  /** Writes a display matrix (ISO/IEC 14496-12, tkhd) into a file of one track. */
  async function withMatrix(
    name: string,
    [a, b, c, d]: readonly number[],
    [x, y]: readonly number[],
  ): Promise<void> {
    const bytes = await readFile(at('plain.mp4'));
    // Type, version and flags, five numbers of four bytes, two reserved ones, layer, group, volume, reserved.
    const matrix = bytes.indexOf('tkhd') + 4 + 4 + 5 * 4 + 8 + 8;
    [a! * 65536, b! * 65536, 0, c! * 65536, d! * 65536, 0, x! * 65536, y! * 65536, 1 << 30].forEach((n, i) =>
      bytes.writeInt32BE(n, matrix + i * 4),
    );
    await writeFile(at(name), bytes);
  }
  beforeAll(() => ffmpeg('-i', at('ruler.mp4'), '-map', '0:v', '-c', 'copy', at('plain.mp4')));
  test.each<[string, number[], number[], Partial<MasterFacts['video']>]>([
    ['across', [-1, 0, 0, 1], [640, 0], { mirrored: 'across', rotation: 0, displayed: size }],
    ['down', [1, 0, 0, -1], [0, 360], { mirrored: 'down', rotation: 0, displayed: size }],
    ['half a turn', [-1, 0, 0, -1], [640, 360], { rotation: 180, displayed: size }],
    [
      'over the diagonal',
      [0, 1, 1, 0],
      [0, 0],
      { mirrored: 'across', displayed: { width: 360, height: 640 } },
    ],
  ])('%s', async (name, matrix, corner, expected) => {
    await withMatrix(`${name}.mp4`, matrix, corner);
    const facts = await read(`${name}.mp4`);
    expect(facts.video).toMatchObject(expected);
    expect(facts.video.mirrored).toBe(expected.mirrored);
    expect(
      masterNotes(facts)
        .map((n) => n.code)
        .includes('mirrored'),
    ).toBe(expected.mirrored !== undefined);
  });
});

test('every still of a transport stream whose keyframes lie four seconds apart can be drawn, and is the frame that was asked for', async () => {
  await makeRuler(at('long.mp4'), { size, rate: rate(25), frames: 250, sound: true });
  await ffmpeg(
    '-i',
    at('long.mp4'),
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-crf',
    '10',
    '-g',
    '100',
    '-keyint_min',
    '100',
    '-sc_threshold',
    '0',
    '-c:a',
    'aac',
    at('long.ts'),
  );
  const facts = await read('long.ts');
  for (const frame of [0, 30, 99, 100, 170, 249]) {
    expect((await makeStill(at('long.ts'), facts, frame, 108, at('still.jpg'))).ok).toBe(true);
    await ffmpeg('-i', at('still.jpg'), '-f', 'rawvideo', '-pix_fmt', 'rgb24', at('still.raw'));
    expect(readRulerPicture(await readFile(at('still.raw')), { width: 192, height: 108 }, size).frame).toBe(
      frame,
    );
  }
});
