import { describe, expect, test } from '@jest/globals';
import {
  heldFraming,
  makePlan,
  stillWindow,
  type MasterFacts,
  type Placement,
  type RenderPlan,
  type Size,
} from '@mivvy/core';
import { placement } from '../testing/helpers.ts';
import { containerArgs, passesOf, pictureArgs } from './encoders.ts';
import { decodeFilters, stillFilters, proxyFilters } from './filters.ts';
import { fromStart, wayInto, type WayIn } from './way-in.ts';

const facts = (over: Partial<MasterFacts['video']> = {}): MasterFacts => ({
  container: 'mov',
  bytes: 1,
  audio: null,
  audioStreams: 0,
  video: {
    streamIndex: 0,
    codec: 'h264',
    profile: 'High',
    pixelFormat: 'yuv420p',
    bitDepth: 8,
    coded: { width: 1920, height: 1080 },
    displayed: { width: 1920, height: 1080 },
    rotation: 0,
    pixelAspect: { num: 1, den: 1 },
    rate: { num: 25, den: 1 },
    rateVaries: false,
    frames: 200,
    framesCounted: true,
    interlaced: false,
    startSeconds: 0,
    colour: { primaries: 'bt709', transfer: 'bt709', matrix: 'bt709', range: 'tv' },
    hdr: 'none',
    ...over,
  },
});
const plan = (place: Partial<Placement> = {}, video: Partial<MasterFacts['video']> = {}): RenderPlan =>
  makePlan({
    facts: facts(video),
    sha256: '0'.repeat(64),
    placement: placement({ frame: { width: 1080, height: 1920 }, ...place }),
    framing: heldFraming(),
  }).plan;
/** The value after a flag. */
const after = (args: string[], flag: string) => args[args.indexOf(flag) + 1];

describe('encoder arguments', () => {
  const two = { mode: 'two-pass' as const, targetKbps: 3500, maxKbps: 4000 };
  test('the story (common practice): two passes at 3.5, never above 4 Mbit/s, High at level 4.0, a keyframe every 2 s', () => {
    const p = plan({ video: { codec: 'h264', rate: two, keyframeSeconds: 2 } });
    expect(passesOf(p)).toEqual(['sketch', 2]);
    const args = pictureArgs(p, 2);
    expect(
      ['-b:v', '-maxrate', '-bufsize', '-level:v', '-profile:v', '-g', '-pass'].map((flag) =>
        after(args, flag),
      ),
    ).toEqual(['3500000', '4000000', '4000000', '4.0', 'high', '50', '2']);
  });
  test('BT.709 is tagged in primaries, transfer and matrix (Rec. ITU-T H.273, code point 1) for every codec', () => {
    for (const codec of ['h264', 'hevc', 'vp9', 'av1'] as const) {
      const args = pictureArgs(
        plan({
          container: codec === 'vp9' || codec === 'av1' ? 'webm' : 'mp4',
          video: { codec, rate: { mode: 'quality', crf: 24 } },
        }),
        'only',
      );
      expect(
        ['-color_primaries', '-color_trc', '-colorspace', '-color_range', '-pix_fmt', '-crf'].map((flag) =>
          after(args, flag),
        ),
      ).toEqual(['bt709', 'bt709', 'bt709', 'tv', 'yuv420p', '24']);
    }
  });
  test('a lowered target takes the place of the wanted one', () => {
    expect(
      after(
        pictureArgs(plan({ video: { codec: 'h264', rate: two } }), 2, { ...two, targetKbps: 1234 }),
        '-b:v',
      ),
    ).toBe('1234000');
  });
  test('HEVC in MP4 carries the tag that players look for; its passes are told their own log', () => {
    const args = pictureArgs(plan({ video: { codec: 'hevc', rate: two } }), 1);
    expect(after(args, '-tag:v')).toBe('hvc1');
    expect(after(args, '-x265-params')).toContain('pass=1:stats=pass.log');
  });
  test('a first pass is a sketch where the encoder carries it over, and whole where it does not or the frame is small', () => {
    const first = (codec: 'h264' | 'hevc' | 'vp9', frame: { width: number; height: number }) =>
      passesOf(plan({ frame, container: codec === 'vp9' ? 'webm' : 'mp4', video: { codec, rate: two } }))[0];
    const tall = { width: 1080, height: 1920 };
    expect([first('h264', tall), first('hevc', tall), first('vp9', tall)]).toEqual(['sketch', 1, 1]);
    expect(first('h264', { width: 426, height: 240 })).toBe(1);
    const sketched = pictureArgs(
      plan({ frame: { width: 1080, height: 1350 }, video: { codec: 'h264', rate: two } }),
      'sketch',
    );
    expect([after(sketched, '-s'), after(sketched, '-pass')]).toEqual(['540x676', '1']);
    expect(pictureArgs(plan({ frame: tall, video: { codec: 'h264', rate: two } }), 1)).not.toContain('-s');
  });
  test('an AV1 target is aimed at in one pass; quality has one pass anyway', () => {
    expect(passesOf(plan({ container: 'webm', video: { codec: 'av1', rate: two } }))).toEqual(['only']);
    expect(passesOf(plan())).toEqual(['only']);
  });
  test('VP9 in quality mode is not held to a default bitrate', () => {
    expect(
      after(
        pictureArgs(
          plan({ container: 'webm', video: { codec: 'vp9', rate: { mode: 'quality', crf: 30 } } }),
          'only',
        ),
        '-b:v',
      ),
    ).toBe('0');
  });
  test('containers: the index first where there is one, no foreign metadata, nothing that differs between runs', () => {
    for (const container of ['mp4', 'mov', 'webm'] as const) {
      const args = containerArgs({ ...plan(), container });
      expect(after(args, '-map_metadata')).toBe('-1');
      expect(args).toContain('+bitexact');
      expect(args.includes('+faststart+write_colr')).toBe(container !== 'webm');
    }
  });
});

/** The one-process chain of a plan whose window stands still. */
const chainOf = (p: RenderPlan, way: WayIn = fromStart(p.master)) =>
  stillFilters(p, { kind: 'delivered', way }, stillWindow(p)!);

/** The chain that gives a plan's pictures whole. */
const wholeOf = (p: RenderPlan, size?: Size) =>
  decodeFilters(p, { kind: 'delivered', way: fromStart(p.master) }, size);

describe('filter chains', () => {
  test('pictures are numbered, cut, scaled and cut again, in that order', () => {
    const names = chainOf(plan())
      .split(',')
      .map((f) => f.split('=')[0]);
    expect(names).toEqual([
      'settb',
      'setpts',
      'trim',
      'setpts',
      'settb',
      'setpts',
      'crop',
      'scale',
      'format',
      'crop',
      'setsar',
    ]);
  });
  test('the frames left out by seeking are not counted again', () => {
    const p = { ...plan(), kept: [{ from: 80, to: 120 }] };
    expect(chainOf(p)).toContain('trim=start_frame=80:end_frame=120');
    expect(chainOf(p, wayInto(p.master, 80))).toContain('trim=start_frame=0:end_frame=40');
  });
  test('every second frame is chosen by number, never blended', () => {
    const chain = chainOf(plan({ frameRate: { max: '30' } }, { rate: { num: 50, den: 1 } }));
    expect(chain).toContain('select=not(mod(n\\,2))');
    expect(chain).not.toMatch(/minterpolate|framerate|blend/);
  });
  test('each peculiarity adds its own step and no other', () => {
    const plain = chainOf(plan());
    for (const [over, step] of [
      [{ interlaced: true }, 'bwdif'],
      [{ rateVaries: true }, 'fps=25/1'],
      [{ hdr: 'pq' as const }, 'tonemap=hable'],
      [{ pixelAspect: { num: 4, den: 3 } }, 'scale=1920:1080:flags=lanczos,setsar=1'],
      [{ displayed: { width: 1919, height: 1079 } }, 'format=yuv444p'],
    ] as const) {
      expect(plain).not.toContain(step);
      expect(chainOf(plan({}, over))).toContain(step);
    }
  });
  test('a proxy is never larger than its master, and even', () => {
    const small = facts({ displayed: { width: 641, height: 359 } });
    expect(proxyFilters(small, plan().master, 1280)).toMatch(/scale=64[02]:3(58|60):/);
    expect(proxyFilters(facts({ displayed: { width: 3840, height: 2160 } }), plan().master, 1280)).toContain(
      'scale=1280:720:',
    );
  });
  test('what the resampler is given is the whole picture in BT.709, converted only where it is not so already', () => {
    expect(wholeOf(plan())).not.toContain('scale');
    expect(wholeOf(plan({}, { hdr: 'hlg' }))).toContain('tonemap=hable');
    expect(wholeOf(plan({}, { displayed: { width: 1919, height: 1079 } }))).toMatch(/format=yuv444p$/);
    const ofTelevision = { primaries: null, transfer: null, matrix: 'smpte170m', range: 'pc' } as const;
    expect(wholeOf(plan({}, { colour: ofTelevision }))).toContain('in_color_matrix=bt601');
  });
  test('for a sketch it is made small first, before its colours are brought over', () => {
    const half = { width: 960, height: 540 };
    const small = 'scale=960:540:flags=fast_bilinear';
    const chain = (over: Parameters<typeof plan>[1]) => wholeOf(plan({}, over), half).split(',');
    expect(chain({}).slice(-2)).toEqual([small, 'format=yuv420p']);
    const toned = chain({ hdr: 'hlg' });
    expect(toned.indexOf(small)).toBeLessThan(toned.indexOf('zscale=t=linear:npl=203'));
    expect(toned.indexOf(small)).toBeGreaterThan(0);
    expect(
      toned.filter((filter) => filter.startsWith('scale=')).map((filter) => filter.split(':')[0]),
    ).toEqual(['scale=960', 'scale=960']);
  });
});
