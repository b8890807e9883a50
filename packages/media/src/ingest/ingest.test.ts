import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { execa } from 'execa';
import { readFile, stat, truncate, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { planMaster, playsSlowly, rate, type MasterFacts } from '@mivvy/core';
import { forgetTools, locateTools } from '../ffmpeg/locate.ts';
import { moovComesFirst, topLevelBoxes } from '../measure/boxes.ts';
import { ffmpeg, testFolder } from '../testing/helpers.ts';
import { makeRuler, readRuler, readRulerPicture } from '../testing/ruler.ts';
import { decodingCost } from './decoding-cost.ts';
import { sha256File } from './hash.ts';
import { measureLoudness } from './loudness.ts';
import { countFrames, probeMaster } from './probe.ts';
import { makeProxy } from './proxy.ts';
import { makePoster, makeStill, stillHeight } from './still.ts';

let dir: string;
let clean: () => Promise<void>;
const at = (name: string) => join(dir, name);
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

const bars = (size: string, seconds: number, r = 25) => [
  '-f',
  'lavfi',
  '-i',
  `testsrc2=s=${size}:r=${r}:d=${seconds}`,
];
const x264 = ['-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p'];

async function read(path: string): Promise<MasterFacts> {
  const quick = await probeMaster(path);
  if (!quick.ok) throw new Error(quick.problem.sentence);
  const counted = await countFrames(path, quick.value);
  if (!counted.ok) throw new Error(counted.problem.sentence);
  return counted.value;
}

describe('files that cannot be used are refused in words', () => {
  const refusals: [string, () => Promise<string>, string][] = [
    [
      'a text file named .mp4',
      async () => (await writeFile(at('text.mp4'), 'Dear client, the film follows.'), 'text.mp4'),
      'not-a-video',
    ],
    ['zero bytes', async () => (await writeFile(at('empty.mp4'), ''), 'empty.mp4'), 'empty-file'],
    [
      'sound alone',
      async () => (await ffmpeg('-f', 'lavfi', '-i', 'sine=440:d=1', at('sound.wav')), 'sound.wav'),
      'audio-only',
    ],
    [
      'a playlist that points at other files',
      async () => (
        await writeFile(
          at('list.mp4'),
          '#EXTM3U\n#EXT-X-TARGETDURATION:5\n#EXTINF:5,\nfile:///etc/passwd\n#EXT-X-ENDLIST\n',
        ),
        'list.mp4'
      ),
      'not-a-film-file',
    ],
    [
      'a concat script',
      async () => (
        await writeFile(at('script.mp4'), "ffconcat version 1.0\nfile '/etc/hostname'\n"),
        'script.mp4'
      ),
      'not-a-film-file',
    ],
    [
      'a picture of 1 × 1',
      async () => (
        await ffmpeg(
          ...bars('16x16', 0.2),
          '-vf',
          'scale=1:1',
          '-pix_fmt',
          'yuv444p',
          '-c:v',
          'ffv1',
          at('one.mkv'),
        ),
        'one.mkv'
      ),
      'too-small',
    ],
    [
      'a picture of 10000 × 10000',
      async () => (
        await ffmpeg(
          '-f',
          'lavfi',
          '-i',
          'color=c=red:s=10000x10000:r=1:d=1',
          '-c:v',
          'mjpeg',
          '-q:v',
          '31',
          '-pix_fmt',
          'yuvj420p',
          at('huge.mov'),
        ),
        'huge.mov'
      ),
      'too-large',
    ],
    [
      'a still picture',
      async () => (await ffmpeg(...bars('320x180', 0.1), '-frames:v', '1', at('still.png')), 'still.png'),
      'not-a-film-file',
    ],
    [
      'an mp4 whose index never came',
      async () => {
        await ffmpeg(...bars('320x180', 2), ...x264, at('cut.mp4'));
        await truncate(at('cut.mp4'), Math.floor((await stat(at('cut.mp4'))).size * 0.6));
        return 'cut.mp4';
      },
      'incomplete',
    ],
  ];
  test.each(refusals)('%s', async (_what, make, code) => {
    const probed = await probeMaster(at(await make()));
    expect(probed.ok).toBe(false);
    if (probed.ok) return;
    expect(probed.problem.code).toBe(code);
    expect(probed.problem.sentence).toMatch(/^[A-Z].*\.$/);
    expect(probed.problem.mend.length).toBeGreaterThan(5);
  });

  test('a file that breaks off after its index is found out when it is read through', async () => {
    await ffmpeg(...bars('320x180', 8), ...x264, '-g', '25', '-movflags', '+faststart', at('broken.mp4'));
    await truncate(at('broken.mp4'), Math.floor((await stat(at('broken.mp4'))).size * 0.5));
    const quick = await probeMaster(at('broken.mp4'));
    expect(quick.ok).toBe(true);
    const counted = quick.ok ? await countFrames(at('broken.mp4'), quick.value) : quick;
    expect(!counted.ok && counted.problem.sentence).toMatch(/breaks off after \d\.\d s of 8\.0 s/);
  });

  test('without ffmpeg, that is what is said, and it is looked for again', async () => {
    forgetTools();
    const missing = await locateTools({ MIVVY_FFMPEG: '/nowhere/ffmpeg' });
    expect(!missing.ok && missing.problem.code).toBe('ffmpeg-missing');
    expect((await locateTools()).ok).toBe(true);
  });
});

describe('facts are measured from the file', () => {
  test('a clip of 0.2 s', async () => {
    await ffmpeg(...bars('320x180', 0.2), ...x264, at('short.mp4'));
    const facts = await read(at('short.mp4'));
    expect(facts.video).toMatchObject({
      frames: 5,
      framesCounted: true,
      rate: rate(25),
      displayed: { width: 320, height: 180 },
    });
    expect(facts.audio).toBeNull();
  });

  test('stretched pixels are worked on square, in the displayed size', async () => {
    await ffmpeg(...bars('720x576', 0.4), '-vf', 'setsar=64/45', ...x264, at('anamorphic.mp4'));
    expect((await read(at('anamorphic.mp4'))).video).toMatchObject({
      coded: { width: 720, height: 576 },
      displayed: { width: 1024, height: 576 },
      pixelAspect: { num: 64, den: 45 },
    });
  });

  test('timestamps rounded to milliseconds still make a steady 29.97', async () => {
    await ffmpeg('-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=30000/1001:d=4', ...x264, at('rounded.mkv'));
    expect((await read(at('rounded.mkv'))).video).toMatchObject({
      rate: { num: 30000, den: 1001 },
      rateVaries: false,
      frames: 120,
    });
  });

  test('a rate that changes mid-file is recognised and conformed', async () => {
    await ffmpeg(
      ...bars('320x180', 4, 30),
      '-vf',
      "select='if(lt(t,2),1,not(mod(n,3)))'",
      '-fps_mode',
      'vfr',
      ...x264,
      at('varies.mp4'),
    );
    const { video } = await read(at('varies.mp4'));
    expect(video.rateVaries).toBe(true);
    expect(video.rate).toEqual(rate(30));
    expect(Math.abs(video.frames - 120)).toBeLessThanOrEqual(3);
  });

  test('HDR is recognised by its transfer curve, with its depth', async () => {
    await ffmpeg(
      ...bars('320x180', 0.4),
      '-c:v',
      'libx265',
      '-preset',
      'ultrafast',
      '-pix_fmt',
      'yuv420p10le',
      '-x265-params',
      'log-level=error:colorprim=bt2020:transfer=arib-std-b67:colormatrix=bt2020nc',
      at('hlg.mp4'),
    );
    expect((await read(at('hlg.mp4'))).video).toMatchObject({ hdr: 'hlg', bitDepth: 10, codec: 'hevc' });
  });

  test('checksums agree with the system’s own', async () => {
    const { stdout } = await execa('sha256sum', [at('short.mp4')]);
    expect(await sha256File(at('short.mp4'))).toBe(stdout.split(' ')[0]);
  });
});

describe('loudness, EBU Tech 3341 tests 1 and 2, measuring ITU-R BS.1770 (from memory)', () => {
  test.each([[-23], [-33]])(
    'a stereo sine of 1 kHz at %f dBFS reads that many LUFS, ± 0.1',
    async (level) => {
      // ffmpeg's sine has an amplitude of 1/8.
      const path = at(`tone${level}.wav`);
      await ffmpeg(
        '-f',
        'lavfi',
        '-i',
        `sine=1000:r=48000:d=20`,
        '-af',
        `volume=${8 * 10 ** (level / 20)}:precision=float`,
        '-ac',
        '2',
        '-af',
        `aformat=sample_fmts=flt,pan=stereo|c0=c0|c1=c0,volume=${8 * 10 ** (level / 20)}:precision=float`,
        '-c:a',
        'pcm_f32le',
        path,
      );
      const measured = await measureLoudness(path, 0);
      expect(measured.ok && Math.abs(measured.value.integratedLufs! - level)).toBeLessThanOrEqual(0.1);
    },
  );
  test('silence has none', async () => {
    await ffmpeg('-f', 'lavfi', '-i', 'anullsrc=r=48000:d=3', at('silence.wav'));
    expect(await measureLoudness(at('silence.wav'), 0)).toEqual({
      ok: true,
      value: { integratedLufs: null, truePeakDbtp: null },
    });
  });
});

describe('proxies and stills', () => {
  test('a proxy shows every master frame once, conformed and whole', async () => {
    const path = at('ruler.mp4');
    const size = { width: 640, height: 360 };
    await makeRuler(path, { size, rate: rate(25), frames: 20, sound: true });
    const facts = await read(path);
    const seen: number[] = [];
    const made = await makeProxy(path, facts, planMaster(facts, '0'.repeat(64)), at('proxy.mp4'), {
      onFraction: (f) => seen.push(f),
    });
    expect(made.ok).toBe(true);
    const readings = await readRuler(at('proxy.mp4'), size, size);
    expect(readings.map((r) => r.frame)).toEqual(Array.from({ length: 20 }, (_, i) => i));
    expect(moovComesFirst(await topLevelBoxes(at('proxy.mp4')))).toBe(true);
    expect(seen.at(-1)).toBe(1);
    expect((await read(at('proxy.mp4'))).audio?.codec).toBe('aac');
  });

  test('an HDR master becomes a BT.709 proxy', async () => {
    const facts = await read(at('hlg.mp4'));
    expect(
      (await makeProxy(at('hlg.mp4'), facts, planMaster(facts, '0'.repeat(64)), at('hlg proxy.mp4'), {})).ok,
    ).toBe(true);
    const proxy = await read(at('hlg proxy.mp4'));
    expect(proxy.video).toMatchObject({
      hdr: 'none',
      bitDepth: 8,
      codec: 'h264',
      colour: { matrix: 'bt709', transfer: 'bt709' },
      frames: facts.video.frames,
    });
  });

  test('a still is the frame that was asked for, in the master’s shape; a poster is larger', async () => {
    const film = at('ruler for stills.mp4');
    await makeRuler(film, { size: { width: 640, height: 360 }, rate: { num: 25, den: 1 }, frames: 40 });
    const facts = await read(film);
    expect((await makeStill(film, facts, 33, stillHeight, at('still.jpg'))).ok).toBe(true);
    const { stdout } = await execa(
      'ffmpeg',
      ['-v', 'error', '-i', at('still.jpg'), '-f', 'rawvideo', '-pix_fmt', 'rgb24', '-'],
      { encoding: 'buffer' },
    );
    expect(stdout.length).toBe(192 * 108 * 3);
    expect(
      readRulerPicture(Buffer.from(stdout), { width: 192, height: 108 }, { width: 640, height: 360 }).frame,
    ).toBe(33);
    expect((await makePoster(film, facts, at('poster.jpg'), {})).ok).toBe(true);
    expect((await readFile(at('poster.jpg'))).subarray(0, 2).toString('hex')).toBe('ffd8');
  });
});

test('what decoding costs is measured: a large film of many bits plays slowly, a small one does not', async () => {
  await ffmpeg(...bars('320x180', 3), ...x264, at('light.mp4'));
  const noisy = ['-vf', 'noise=alls=40:allf=t', '-b:v', '200M', '-minrate', '200M', '-bufsize', '50M'];
  await ffmpeg(...bars('3840x2160', 1, 50), ...noisy, ...x264, at('heavy.mp4'));
  const costOf = async (name: string) => {
    const facts = await read(at(name));
    const cost = await decodingCost(at(name), facts);
    if (!cost.ok) throw new Error(cost.problem.sentence);
    return cost.value;
  };
  const [light, heavy] = [await costOf('light.mp4'), await costOf('heavy.mp4')];
  expect(playsSlowly(light)).toBe(false);
  expect(playsSlowly(heavy)).toBe(true);
  expect(heavy).toBeGreaterThan(20 * light);
  const gone = await decodingCost(at('nowhere.mp4'), await read(at('light.mp4')));
  expect(gone).toMatchObject({ ok: false });
}, 150_000);

test('the boxes of an ISO file are read in order (ISO/IEC 14496-12)', async () => {
  await ffmpeg(...bars('320x180', 0.4), ...x264, at('late.mp4'));
  await ffmpeg(...bars('320x180', 0.4), ...x264, '-movflags', '+faststart', at('early.mp4'));
  const [late, early] = [await topLevelBoxes(at('late.mp4')), await topLevelBoxes(at('early.mp4'))];
  expect(late).toEqual(expect.arrayContaining(['ftyp', 'moov', 'mdat']));
  expect([moovComesFirst(late), moovComesFirst(early), moovComesFirst(['ftyp'])]).toEqual([
    false,
    true,
    null,
  ]);
});
