import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { execa } from 'execa';
import { frameToSeconds, heldFraming, makePlan, planMaster, rate, type MasterFacts } from '@mivvy/core';
import { makeStill } from '../ingest/still.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { makeRuler, readRuler, readRulerPicture } from '../testing/ruler.ts';
import { deliver } from './deliver.ts';
import { fromStart, wayInto, type MasterHandling, type WayIn } from './way-in.ts';

// A film that is entered late gives the very pictures that counting from its start gives.

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

/** The sums of the pictures that come by a way into a film: all, or so many. */
async function sumsBy(way: WayIn, path: string, stream: number, count?: number): Promise<string[]> {
  const { stdout } = await execa('ffmpeg', [
    ...['-v', 'error', '-nostdin', ...way.args, '-i', path, '-map', `0:${stream}`, '-vf', way.counted],
    ...['-fps_mode', 'passthrough', ...(count ? ['-frames:v', String(count)] : []), '-f', 'framemd5', '-'],
  ]);
  const lines = stdout.split('\n').filter((line) => line && !line.startsWith('#'));
  return lines.map((line) => line.split(',').at(-1)!.trim());
}

const picture = (framesPerSecond: string, seconds = 24) => [
  '-f',
  'lavfi',
  '-i',
  `testsrc2=s=160x96:r=${framesPerSecond}:d=${seconds}`,
];
const x264 = (parameters: string) => [
  ...['-c:v', 'libx264', '-preset', 'veryfast', '-pix_fmt', 'yuv420p', '-x264-params', parameters],
];
/** Pictures keep their times, to the tick of a clock that ticks so many times a second. */
const timedBy = (ticks: number) => ['-fps_mode', 'passthrough', '-enc_time_base', `1/${ticks}`];
const missing = "select='gt(random(2),0.35)'";
const uneven = "settb=1/90000,setpts='PTS+floor(random(1)*2400)'";
/** After every 90 pictures nothing comes for more than four seconds. */
const gapped = "settb=1/90000,setpts='PTS+floor(N/90)*90000*4.37'";
/** Distances of two frames that end between two, so that a picture lies exactly halfway between two places. */
const halfway =
  "select='if(lt(mod(t,8),2),1,not(mod(n,2)))',settb=1/60000,setpts='if(gt(T,10),PTS+1/60/TB,PTS)'";
const fields = ['-vf', 'interlace=lowpass=0:scan=tff'];
const ofFields = ['-flags', '+ildct+ilme', '-top', '1'];

/** Films by their peculiarities: the file's name, and how it is made. */
const films: Record<string, [string, string[]]> = {
  'whose pictures come unevenly': [
    'uneven.mp4',
    [...picture('30'), '-vf', uneven, ...timedBy(90000), ...x264('keyint=250:bframes=3')],
  ],
  'that lacks pictures, with open groups': [
    'missing.mp4',
    [
      ...picture('30'),
      '-vf',
      missing,
      ...timedBy(90000),
      ...x264('open-gop=1:keyint=60:bframes=4:b-adapt=0'),
    ],
  ],
  'with long gaps before its keyframes, MP4': [
    'gaps.mp4',
    [
      ...picture('25'),
      '-vf',
      gapped,
      ...timedBy(90000),
      ...x264('keyint=90:min-keyint=90:scenecut=0:bframes=3'),
    ],
  ],
  'with long gaps, in milliseconds': [
    'gaps.mkv',
    [
      ...picture('30000/1001'),
      '-vf',
      `${missing},${gapped}`,
      ...timedBy(90000),
      ...x264('keyint=100:bframes=3'),
    ],
  ],
  'whose pictures lie halfway between two frames': [
    'halfway.mp4',
    [
      ...picture('60'),
      ...[
        '-vf',
        halfway,
        ...timedBy(60000),
        ...x264('keyint=90:bframes=3'),
        '-video_track_timescale',
        '60000',
      ],
    ],
  ],
  'that lacks pictures and begins at ten seconds': [
    'late.mp4',
    [
      ...[...picture('30'), '-vf', missing, ...timedBy(90000), ...x264('keyint=90:bframes=2')],
      ...['-output_ts_offset', '10.0117'],
    ],
  ],
  'that lacks pictures and begins after its sound': [
    'after.mp4',
    [
      ...['-f', 'lavfi', '-i', 'sine=r=48000:d=24', '-itsoffset', '0.7331', ...picture('30')],
      ...['-map', '1:v', '-map', '0:a', '-vf', missing, ...timedBy(90000), ...x264('keyint=90:bframes=2')],
      ...['-c:a', 'aac'],
    ],
  ],
  'in VP9 that lacks pictures': [
    'missing.webm',
    [
      ...[...picture('30'), '-vf', missing, ...timedBy(90000), '-c:v', 'libvpx-vp9', '-deadline', 'realtime'],
      ...['-cpu-used', '8', '-auto-alt-ref', '1', '-lag-in-frames', '16'],
    ],
  ],
  'of fields, H.264': [
    'fields.mov',
    [...picture('50'), ...fields, ...x264('tff=1:keyint=50:open-gop=1:bframes=3')],
  ],
  'of fields, MPEG-2 of 29.97': [
    'fields.mxf',
    [
      ...[...picture('60000/1001'), ...fields, '-c:v', 'mpeg2video', '-q:v', '3', '-g', '15', '-bf', '2'],
      ...ofFields,
    ],
  ],
  'of fields, each picture by itself': [
    'prores.mov',
    [...picture('50', 16), ...fields, '-c:v', 'prores_ks', '-profile:v', '0', ...ofFields],
  ],
};

describe('a film that is entered late gives the pictures that counting from its start gives', () => {
  test.each(Object.keys(films))(
    'one %s',
    async (kind) => {
      const [name, args] = films[kind]!;
      const path = join(dir, name);
      await ffmpeg(...args, path);
      const { video } = await factsOf(path);
      expect(video.rateVaries || video.interlaced).toBe(true);
      const master = planMaster({ video, audio: null } as MasterFacts, '');
      const all = await sumsBy(fromStart(master), path, video.streamIndex);
      expect(all.length).toBeGreaterThan(300);
      let entered = 0;
      for (const part of [0.31, 0.52, 0.74, 0.96]) {
        const frame = Math.floor(all.length * part);
        const way = wayInto(master, frame);
        if (way.skipped) entered++;
        const come = await sumsBy(way, path, video.streamIndex, 40);
        expect(come).toEqual(all.slice(way.skipped, way.skipped + 40));
      }
      expect(entered).toBeGreaterThanOrEqual(3);
    },
    60_000,
  );
});

describe('how a film is entered', () => {
  const steady: MasterHandling = {
    ...{ sha256: '0'.repeat(64), displayed: { width: 640, height: 360 }, rate: rate(25), frames: 9000 },
    ...{ videoStream: 0, videoStartSeconds: 0, squarePixels: true, rateVaries: false, interlaced: false },
    ...{ hdr: 'none', matrix: 'bt709', range: 'tv' },
  };
  const varying: MasterHandling = { ...steady, rateVaries: true, longestKeyframeDelay: 4.5 };

  test('one that keeps its rate, half a frame before the frame', () => {
    expect(wayInto(steady, 1000)).toMatchObject({ skipped: 1000, args: ['-ss', '39.980000'] });
  });
  test('one whose rate varies, by as much earlier as a keyframe may be shown late', () => {
    expect(wayInto(varying, 1000)).toMatchObject({ skipped: 1000, args: ['-noaccurate_seek', '-ss', '34'] });
    expect(wayInto({ ...varying, longestKeyframeDelay: 0 }, 1000).args).toContain('39');
  });
  test.each<[string, MasterHandling, number]>([
    ['a frame that is near', steady, 50],
    ['a frame that is near where keyframes are late', varying, 137],
    ['one of which that was never read', { ...steady, rateVaries: true }, 1000],
    ['one of fields of which that was never read', { ...steady, interlaced: true }, 1000],
    ['one that can only be counted', { ...varying, countedFromStart: true }, 1000],
  ])('from its start: %s', (_what, master, frame) => {
    expect(wayInto(master, frame)).toEqual(fromStart(master));
  });
});

describe('a film with gaps, of which only the end is wanted', () => {
  const size = { width: 640, height: 360 };
  const kept = [{ from: 480, to: 520 }];
  let path: string;
  let facts: MasterFacts;
  beforeAll(async () => {
    const steady = join(dir, 'ruler.mp4');
    path = join(dir, 'gapped ruler.mp4');
    await makeRuler(steady, { size, rate: rate(25), frames: 200 });
    const gaps = "settb=1/90000,setpts='PTS+floor(N/45)*90000*3.3'";
    const coded = ['-crf', '8', ...x264('keyint=45:min-keyint=45:scenecut=0:bframes=2')];
    await ffmpeg('-i', steady, '-vf', gaps, ...timedBy(90000), ...coded, path);
    facts = await factsOf(path);
  }, 60_000);

  /** What each frame shows: a picture until the next one's place, counted by nothing but their times. */
  function shownAt(frame: number): number {
    const placeOf = (n: number) => n + Math.round(Math.floor(n / 45) * 3.3 * 25 + 1e-9);
    return Array.from({ length: 200 }, (_, n) => n).findLast((n) => placeOf(n) <= frame)!;
  }

  test('its keyframes are known to be shown late', () => {
    expect(facts.video).toMatchObject({ rateVaries: true, rate: rate(25) });
    expect(facts.video.longestKeyframeDelay).toBeGreaterThan(3.3);
    expect(frameToSeconds(kept[0]!.from, facts.video.rate)).toBeGreaterThan(
      facts.video.longestKeyframeDelay! + 2,
    );
  });

  test('is delivered to the frame, and its report agrees', async () => {
    const { plan } = makePlan({
      ...{
        facts,
        sha256: 'a'.repeat(64),
        placement: placement({ frame: size }),
        framing: heldFraming(),
        kept,
      },
    });
    const outPath = join(dir, 'end.mp4');
    const made = await deliver(plan, { masterPath: path, outPath, workDir: join(dir, 'work') });
    expect(made.ok && made.value.report.passed).toBe(true);
    const frames = (await readRuler(outPath, size, size)).map((reading) => reading.frame);
    expect(frames).toEqual(Array.from({ length: 40 }, (_, k) => shownAt(480 + k)));
    expect(new Set(frames).size).toBeGreaterThan(5);
  }, 60_000);

  test('a way in that leads astray is found out by the report, which takes another', async () => {
    const long = join(dir, 'long gaps.mp4');
    const gaps = "settb=1/90000,setpts='PTS+floor(N/45)*90000*16'";
    const coded = ['-crf', '8', ...x264('keyint=45:min-keyint=45:scenecut=0:bframes=2')];
    await ffmpeg('-i', join(dir, 'ruler.mp4'), '-vf', gaps, ...timedBy(90000), ...coded, long);
    const found = await factsOf(long);
    // In the last gap, where the 180th picture has been decoded already and the one before it is shown still.
    const stretch = [{ from: 1700, to: 1740 }];
    const passes = async (longestKeyframeDelay: number) => {
      const known = { ...found, video: { ...found.video, longestKeyframeDelay } };
      const { plan } = makePlan({
        ...{ facts: known, sha256: 'a'.repeat(64), placement: placement({ frame: size }) },
        ...{ framing: heldFraming(), kept: stretch },
      });
      const outPath = join(dir, `long ${longestKeyframeDelay}.mp4`);
      const made = await deliver(plan, { masterPath: long, outPath, workDir: join(dir, 'work') });
      const [first] = await readRuler(outPath, size, size);
      return [made.ok && made.value.report.passed, first!.frame];
    };
    expect(await passes(found.video.longestKeyframeDelay!)).toEqual([true, 179]);
    expect(await passes(0)).toEqual([false, 180]);
  }, 60_000);

  test.each([20, 100, 300, 486, 515])(
    'a still of frame %i is the picture that is shown then',
    async (frame) => {
      const still = join(dir, 'still.jpg');
      expect((await makeStill(path, facts, frame, 180, still)).ok).toBe(true);
      await ffmpeg('-i', still, '-f', 'rawvideo', '-pix_fmt', 'rgb24', join(dir, 'still.raw'));
      const pixels = await readFile(join(dir, 'still.raw'));
      expect(readRulerPicture(pixels, { width: 320, height: 180 }, size).frame).toBe(shownAt(frame));
    },
  );
});
