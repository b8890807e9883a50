import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { checkFile, heldFraming, makePlan, type MeasuredFile, type Placement } from '@mivvy/core';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { measureFile } from './measure.ts';

/** Rules about the stream itself: made by the renderer as asked, and told of files that were made otherwise. */
let dir: string;
let clean: () => Promise<void>;
const at = (name: string) => join(dir, name);

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  await ffmpeg(
    ...['-f', 'lavfi', '-i', 'mandelbrot=s=320x180:r=25', '-t', '3'],
    ...['-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p', at('master.mov')],
  );
}, 150_000);
afterAll(() => clean());

const rate = { mode: 'two-pass' as const, targetKbps: 400, maxKbps: 600 };
const asking = (video: Partial<Placement['video']>) =>
  placement({
    frame: { width: 180, height: 320 },
    audio: null,
    video: { codec: 'h264', rate, keyframeSeconds: 1, ...video },
  });

async function measured(path: string): Promise<MeasuredFile> {
  const found = await measureFile(path);
  if (!found.ok) throw new Error(found.problem.sentence);
  return found.value;
}

describe('files are made as the place asks', () => {
  test.each<[string, Partial<Placement['video']>, string, string]>([
    ['the baseline profile', { profile: 'baseline' }, 'profile', 'Constrained Baseline'],
    ['the main profile', { profile: 'main' }, 'profile', 'Main'],
    ['no B-frames', { bFrames: 0 }, 'b-frames', '0 at most'],
    ['one B-frame in a row', { bFrames: 1 }, 'b-frames', '1 at most'],
    ['closed groups of pictures, H.264', { closedGop: true }, 'gop', 'closed'],
    ['closed groups of pictures, HEVC', { codec: 'hevc', closedGop: true }, 'gop', 'closed'],
    ['a level at most', { rate: { mode: 'quality', crf: 20 }, maxLevel: '3.1' }, 'level', '3.1'],
  ])(
    '%s',
    async (name, video, line, says) => {
      const facts = await factsOf(at('master.mov'));
      const place = asking(video);
      const { plan } = makePlan({ facts, sha256: '0'.repeat(64), placement: place, framing: heldFraming() });
      const made = await deliver(plan, {
        masterPath: at('master.mov'),
        outPath: at(`${name}.mp4`),
        workDir: at('work'),
        placement: place,
      });
      if (!made.ok) throw new Error(made.problem.sentence);
      expect(made.value.report.checks.filter((c) => !c.ok)).toEqual([]);
      expect(made.value.report.checks.find((c) => c.id === line)?.measured).toBe(says);
    },
    150_000,
  );
});

describe('files that were made otherwise are told', () => {
  const encode = async (name: string, ...args: string[]) => {
    await ffmpeg('-i', at('master.mov'), ...args, '-movflags', '+faststart', at(name));
    return measured(at(name));
  };
  test('B-frames are counted in a row as they are shown, whatever they lean on', async () => {
    const params = ['-c:v', 'libx264', '-x264-params', 'bframes=3:b-adapt=0:b-pyramid=normal:scenecut=0'];
    const pyramid = await encode('b3.mp4', ...params);
    expect(pyramid.video.longestBRun).toBe(3);
    const report = checkFile(
      {
        plan: makePlan({
          facts: await factsOf(at('b3.mp4')),
          sha256: '0'.repeat(64),
          placement: asking({ bFrames: 2 }),
          framing: heldFraming(),
        }).plan,
        heard: null,
        alone: true,
      },
      pyramid,
      { placement: asking({ bFrames: 2 }) },
    );
    expect(report.checks.find((c) => c.id === 'b-frames')).toMatchObject({
      ok: false,
      measured: '3 at most',
    });
  });
  test('an open group of pictures is one where a picture before a keyframe is stored after it', async () => {
    const params = 'keyint=20:min-keyint=20:scenecut=0:bframes=3:b-adapt=0:log-level=error';
    const open = await encode('open.mp4', '-c:v', 'libx265', '-x265-params', `${params}:open-gop=1`);
    const closed = await encode('closed.mp4', '-c:v', 'libx265', '-x265-params', `${params}:open-gop=0`);
    expect(open.video.openGopAt).toBeGreaterThan(0);
    expect(closed.video.openGopAt).toBeNull();
  });
  test('keyframes are counted as they are shown: an open group of 20 is 20 long', async () => {
    const { video } = await measured(at('open.mp4'));
    expect(video.longestKeyframeGap).toBe(20);
  });
});

test('a codec that only aims for its ceiling is brought under it', async () => {
  const facts = await factsOf(at('master.mov'));
  const place = placement({
    frame: { width: 180, height: 320 },
    audio: null,
    container: 'webm',
    video: { codec: 'vp9', rate: { mode: 'two-pass', targetKbps: 300, maxKbps: 301 } },
  });
  const { plan } = makePlan({ facts, sha256: '0'.repeat(64), placement: place, framing: heldFraming() });
  const made = await deliver(plan, {
    masterPath: at('master.mov'),
    outPath: at('under.webm'),
    workDir: at('work'),
    placement: place,
  });
  if (!made.ok) throw new Error(made.problem.sentence);
  expect(made.value.report.checks.find((c) => c.id === 'bitrate-ceiling')).toMatchObject({ ok: true });
}, 150_000);
