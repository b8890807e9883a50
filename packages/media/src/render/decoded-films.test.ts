import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, readdir, readFile, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import { heldFraming, makePlan, pace, type Framing, type RenderPlan } from '@mivvy/core';
import { Cancelled, must } from '../ffmpeg/run.ts';
import { sha256File } from '../ingest/hash.ts';
import { factsOf, ffmpeg, glideAcross, placement, testFolder } from '../testing/helpers.ts';
import { DecodedFilms } from './decoded-films.ts';
import { deliver } from './deliver.ts';
import { encodePicture } from './picture.ts';
import { filmItself, type PictureSource } from './picture-source.ts';

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
});
afterAll(() => clean());

/** How a film is shown by a plan, where it is not whole through a window that stands still. */
interface How {
  kept?: RenderPlan['kept'];
  framing?: Framing;
  halved?: true;
  faster?: true;
}

/** A plan of a film for a frame of a shape that no film here has. */
async function planOf(path: string, how: How = {}): Promise<RenderPlan> {
  return makePlan({
    facts: await factsOf(path),
    sha256: '0'.repeat(64),
    placement: placement(how.halved ? { frameRate: { max: '15' } } : {}),
    framing: how.framing ?? heldFraming({ x: 0.31, y: 0.5, zoom: 1 }),
    ...(how.kept ? { kept: how.kept } : {}),
    ...(how.faster ? { pace: pace(21, 20) } : {}),
  }).plan;
}

/** The sums of every picture that a plan's frames come to from a source. */
async function picturesFrom(plan: RenderPlan, source: PictureSource): Promise<string> {
  const out = join(await mkdtemp(join(dir, 'sums ')), 'sums');
  must(await encodePicture(plan, source, [], ['-an', '-f', 'framemd5', out], {}));
  return (await readFile(out, 'utf8')).replace(/^#.*\n/gm, '');
}

const moving = 'testsrc2=s=640x360:r=25:d=4';
const x264 = ['-c:v', 'libx264', '-preset', 'ultrafast'];
const varying = ['-vf', "select='if(lt(n,50),1,not(mod(n,3)))'", '-fps_mode', 'vfr'];
/** Films whose pictures are read in other ways: how each is made from a moving picture. */
const films: Record<string, { args: string[]; name?: string; picture?: string; turned?: true }> = {
  plain: { args: [...x264, '-pix_fmt', 'yuv420p'] },
  'ten bit, colour halved one way': {
    args: ['-c:v', 'prores_ks', '-pix_fmt', 'yuv422p10le'],
    name: 'film.mov',
  },
  'full range by the older matrix': {
    args: [...x264, '-vf', 'scale=out_range=pc:out_color_matrix=bt601', '-pix_fmt', 'yuvj420p'],
  },
  'of odd size': { args: [...x264, '-pix_fmt', 'yuv444p'], picture: 'testsrc2=s=641x361:r=25:d=4' },
  'interlaced, with pixels that are not square': {
    args: [
      ...['-vf', 'tinterlace=interleave_top,fieldorder=tff,setsar=64/45', '-c:v', 'mpeg2video', '-b:v', '8M'],
      ...['-flags', '+ilme+ildct', '-pix_fmt', 'yuv420p'],
    ],
    name: 'film.mpg',
    picture: 'testsrc2=s=720x576:r=50:d=4',
  },
  'held upright': { args: [...x264, '-pix_fmt', 'yuv420p'], turned: true },
  'of a rate that varies': { args: [...varying, ...x264, '-pix_fmt', 'yuv420p'] },
  'of 29.97 frames a second with open groups': {
    args: [...x264, '-pix_fmt', 'yuv420p', '-x264-params', 'open-gop=1:keyint=30:bframes=3'],
    picture: 'testsrc2=s=640x360:r=30000/1001:d=4',
  },
};

async function filmOf(kind: string): Promise<string> {
  const { args, name, picture, turned } = films[kind]!;
  const path = join(await mkdtemp(join(dir, 'film ')), name ?? 'film.mp4');
  await ffmpeg('-f', 'lavfi', '-i', picture ?? moving, ...args, path);
  if (!turned) return path;
  const upright = `${path}.upright.mp4`;
  await ffmpeg('-i', path, '-c', 'copy', '-metadata:s:v', 'rotate=90', upright);
  return upright;
}

/** Films as they lie decoded in a folder of their own. */
async function lending(room?: number) {
  const folder = await mkdtemp(join(dir, 'decoded '));
  const films = new DecodedFilms(folder, ...(room === undefined ? [] : [() => Promise.resolve(room)]));
  return { films, lying: () => readdir(folder) };
}
const more = { wanted: () => true };
const last = { wanted: () => false };

describe('a film that lies decoded gives every picture as the film itself does', () => {
  test.each(Object.keys(films))('%s', async (kind) => {
    const path = await filmOf(kind);
    const { films: decoded } = await lending();
    const whole = await planOf(path);
    expect(whole.master.displayed.height > whole.master.displayed.width).toBe(kind === 'held upright');
    const { source } = await decoded.lend(whole, path, more);
    expect(source.path).not.toBe(path);
    expect(await picturesFrom(whole, source)).toBe(await picturesFrom(whole, filmItself(whole, path)));
    // A later start is entered by seeking, in the film and in what lies decoded.
    const late = await planOf(path, { kept: [{ from: 61, to: 90 }] });
    expect(await picturesFrom(late, source)).toBe(await picturesFrom(late, filmItself(late, path)));
  });

  test('through a window that moves, spans in another order, half the frames, and another pace', async () => {
    const path = await filmOf('plain');
    const spans = [
      { from: 62, to: 85 },
      { from: 12, to: 40 },
    ];
    const ways: How[] = [
      { framing: glideAcross(99) },
      { kept: spans },
      { kept: spans, framing: glideAcross(99), faster: true },
      { kept: [{ from: 30, to: 90 }], halved: true },
    ];
    for (const how of ways) {
      const plan = await planOf(path, how);
      const { films: decoded } = await lending();
      const { source } = await decoded.lend(plan, path, more);
      expect(source.first).toBe(Math.min(...plan.kept.map(({ from }) => from)));
      expect(await picturesFrom(plan, source)).toBe(await picturesFrom(plan, filmItself(plan, path)));
    }
  });
});

test('a file made from it is the same to the byte, and nothing lies there afterwards', async () => {
  const path = await filmOf('plain');
  const { films: decoded, lying } = await lending();
  const plan = await planOf(path);
  const made = async (name: string, films?: DecodedFilms, waiting = 0) => {
    const stages = new Set<string>();
    const file = must(
      await deliver(plan, {
        masterPath: path,
        outPath: join(dir, name),
        workDir: join(dir, `${name} work`),
        ...(films ? { decoded: { films, wanted: () => waiting > 0 } } : {}),
        onProgress: ({ stage }) => stages.add(stage),
      }),
    );
    return { sum: await sha256File(file.path), stages };
  };
  const alone = await made('alone.mp4');
  const first = await made('first of two.mp4', decoded, 1);
  expect(await lying()).toHaveLength(1);
  const second = await made('second of two.mp4', decoded, 0);
  expect(await lying()).toEqual([]);
  expect([first.sum, second.sum]).toEqual([alone.sum, alone.sum]);
  expect(first.stages).toContain('decode');
  expect(alone.stages).not.toContain('decode');
  expect(second.stages).not.toContain('decode');
});

describe('what lies decoded', () => {
  test('is made for several versions only, within the room that there is, and never of a film of high dynamic range', async () => {
    const path = await filmOf('plain');
    const plan = await planOf(path);
    const one = await lending();
    expect((await one.films.lend(plan, path, last)).source.path).toBe(path);
    // 100 pictures of 345,600 bytes.
    for (const [room, fits] of [
      [34_560_000, true],
      [34_559_999, false],
    ] as const) {
      const tight = await lending(room);
      expect((await tight.films.lend(plan, path, more)).source.path === path).toBe(!fits);
    }
    const bright: RenderPlan = { ...plan, master: { ...plan.master, hdr: 'pq' } };
    expect((await one.films.lend(bright, path, more)).source.path).toBe(path);
    expect(await one.lying()).toEqual([]);
  });

  test('is another one for a file that was changed, or for frames that it does not hold', async () => {
    const path = await filmOf('plain');
    const { films: decoded, lying } = await lending();
    const part = await planOf(path, { kept: [{ from: 20, to: 60 }] });
    const whole = await planOf(path);
    const first = await decoded.lend(part, path, more);
    // Somebody still reads it: the other version reads the film.
    expect((await decoded.lend(whole, path, more)).source.path).toBe(path);
    await first.giveBack();
    const second = await decoded.lend(whole, path, more);
    expect(second.source).toMatchObject({ first: 0 });
    await second.giveBack();
    expect((await decoded.lend(part, path, last)).source.path).toBe(second.source.path);
    const { films: other } = await lending();
    const before = await other.lend(whole, path, more);
    await before.giveBack();
    await utimes(path, new Date(), new Date('2020-01-02'));
    const after = await other.lend(whole, path, more);
    expect(after.source.path).not.toBe(before.source.path);
    expect(await lying()).toHaveLength(1);
  });

  test('is waited for by another who asks meanwhile; stopped with who began it, the other reads the film', async () => {
    const path = await filmOf('plain');
    const plan = await planOf(path);
    const shared = await lending();
    const [a, b] = await Promise.all([1, 2].map(() => shared.films.lend(plan, path, more)));
    expect(a!.source.path).toBe(b!.source.path);
    await a!.giveBack();
    expect(await shared.lying()).toHaveLength(1);
    const stopped = await lending();
    const stop = new AbortController();
    const beginning = stopped.films.lend(plan, path, {
      ...more,
      signal: stop.signal,
      onDecoding: () => stop.abort(),
    });
    const waiting = stopped.films.lend(plan, path, more);
    await expect(beginning).rejects.toThrow(Cancelled);
    expect((await waiting).source.path).toBe(path);
    expect(await stopped.lying()).toEqual([]);
  });

  test('is not there for a film that breaks off or is gone: the export says why', async () => {
    const path = await filmOf('plain');
    const plan = await planOf(path);
    const { films: decoded, lying } = await lending();
    const gone = join(dir, 'gone.mp4');
    expect((await decoded.lend(plan, gone, more)).source.path).toBe(gone);
    const noFilm = join(await mkdtemp(join(dir, 'no film ')), 'film.mp4');
    await ffmpeg('-f', 'lavfi', '-i', 'sine=d=1', noFilm);
    expect((await decoded.lend(plan, noFilm, more)).source.path).toBe(noFilm);
    expect(await lying()).toEqual([]);
  });
});
