import { beforeAll, describe, expect, test } from '@jest/globals';
import {
  chooseFollowed,
  followedFrames,
  leftsOf,
  lookAtFollowed,
  scoreLefts,
  argmaxLefts,
  centreLefts,
} from '../testing/followed-report.ts';
import { followedShot, followedSize, type FollowedShot } from '../testing/followed.ts';
import { backMove, cameraBetween, cameraThrough, movePoint, thenMove } from './camera.ts';
import {
  followDrawn,
  subjectScanSchema,
  lookAtShot,
  lookWithin,
  overlayName,
  placeAt,
  shotLookSchema,
  stitchLooks,
  type ShotLook,
} from './look.ts';
import { colourWord, plainName, tellApart } from './names.ts';
import { around, insidePicture, lookSize, looksAtEvery, overlapShare, type LookPicture } from './picture.ts';
import { withSights, type RawTrack, type Sight } from './tracks.ts';

const size = followedSize;
const plane = size.width * size.height;

/** A place with enough in it to tell a camera by: noise of several sizes; seen from (dx, dy) further, at a zoom. */
function ground(dx: number, dy: number, zoom = 1): LookPicture {
  const picture = new Uint8Array(plane * 3).fill(128);
  const { sin, max, min } = Math;
  for (let y = 0; y < size.height; y++) {
    for (let x = 0; x < size.width; x++) {
      const [u, v] = [
        (x - size.width / 2) / zoom + size.width / 2 + dx,
        (y - size.height / 2) / zoom + size.height / 2 + dy,
      ];
      const value =
        120 +
        40 * sin(u * 0.31) * sin(v * 0.27) +
        26 * sin(u * 0.13 + v * 0.21) +
        20 * sin(u * 0.9 - v * 0.7) +
        16 * sin(u * 0.55 + 1) * sin(v * 0.6 + 2);
      picture[y * size.width + x] = max(0, min(255, value));
    }
  }
  return picture;
}

describe('the camera', () => {
  test.each([
    [0, 0],
    [3, 0],
    [-5.5, 2],
    [8, -4.25],
    [0.5, 0.5],
  ])('a shift by %p, %p is told to a quarter of a pixel', (dx, dy) => {
    const move = cameraBetween(ground(0, 0), ground(dx, dy), size);
    expect(Math.abs(move.dx + dx)).toBeLessThan(0.25);
    expect(Math.abs(move.dy + dy)).toBeLessThan(0.25);
    expect(move.sure).toBeGreaterThan(0.5);
  });
  test('a zoom is told', () => {
    const move = cameraBetween(ground(0, 0), ground(0, 0, 1.06), size);
    expect(Math.hypot(move.a, move.b)).toBeCloseTo(1.06, 1);
  });
  test('a long pan does not drift: its sum is right to a pixel after fifty pictures', () => {
    const pictures = Array.from({ length: 50 }, (_, i) => ground(i * 1.7, i * 0.2));
    const { path, unclear } = cameraThrough(pictures, size);
    expect(unclear).toBe(0);
    expect(Math.abs(path.at(-1)!.dx + 49 * 1.7)).toBeLessThan(1);
    expect(Math.abs(path.at(-1)!.dy + 49 * 0.2)).toBeLessThan(1);
  });
  test('moves add up, and are taken back', () => {
    const a = { a: 1.02, b: 0.01, dx: 3, dy: -2, sure: 1 };
    const there = movePoint(thenMove(a, a), 20, 30, size);
    const back = movePoint(backMove(thenMove(a, a)), there.x, there.y, size);
    expect(back.x).toBeCloseTo(20, 9);
    expect(back.y).toBeCloseTo(30, 9);
  });
});

/** How often a look's first subject that fits covers the truth, and how large its error is. */
function held(shot: FollowedShot, look: ShotLook): number {
  let best = 0;
  for (const track of look.tracks) {
    let [hit, n] = [0, 0];
    for (let f = 0; f < shot.frames - 2; f += 2) {
      const [t, p] = [shot.truth(f), placeAt(track, f)];
      if (!t) continue;
      n++;
      if (
        p &&
        overlapShare(
          { x: p.x, y: p.y, width: p.w, height: p.h },
          { x: t.x, y: t.y, width: t.w, height: t.h },
        ) > 0.2
      )
        hit++;
    }
    best = Math.max(best, hit / n);
  }
  return best;
}

describe('shots whose truth is known', () => {
  // One of each kind; the bench goes through all thirty.
  const kinds = [1, 5, 9, 12, 16, 20, 26, 27];
  const seen = new Map<number, { shot: FollowedShot; look: ShotLook }>();
  beforeAll(() => {
    for (const i of kinds) {
      const shot = followedShot(i);
      seen.set(i, { shot, look: lookAtFollowed(shot) });
    }
  }, 600_000);

  test.each(kinds)('shot %i: its subject is followed', (i) => {
    const { shot, look } = seen.get(i)!;
    expect(shotLookSchema.safeParse(look).error).toBeUndefined();
    expect(held(shot, look)).toBeGreaterThan(0.92);
  });
  test.each(kinds)(
    'shot %i: a tall window keeps its middle, far better than the middle or the most salient point',
    (i) => {
      const { shot, look } = seen.get(i)!;
      const { frameSize: frame } = followedFrames[0]!;
      const mine = scoreLefts(shot, leftsOf(chooseFollowed(look, frame), shot.frames, frame), frame);
      const centre = scoreLefts(shot, centreLefts(shot.frames, frame), frame);
      const argmax = scoreLefts(shot, argmaxLefts(shot, frame), frame);
      expect(mine.centre / mine.frames).toBeGreaterThan(0.985);
      expect(mine.inside / mine.frames).toBeGreaterThan(0.92);
      expect(mine.inside).toBeGreaterThan(centre.inside);
      expect(mine.travelled).toBeLessThanOrEqual(argmax.travelled + 0.2);
      expect(mine.turns / mine.seconds).toBeLessThan(0.6);
    },
  );
  test('one who stands is held still', () => {
    const { shot, look } = seen.get(26)!;
    const move = chooseFollowed(look, followedFrames[0]!.frameSize);
    expect(move.kind).toBe('hold');
    expect(
      scoreLefts(shot, leftsOf(move, shot.frames, followedFrames[0]!.frameSize), followedFrames[0]!.frameSize)
        .travelled,
    ).toBe(0);
  });
  test('a box drawn by hand is followed both ways', () => {
    const { shot } = seen.get(5)!;
    const at = 30;
    const t = shot.truth(at * 2)!;
    const places = followDrawn(
      { from: 0, step: 2, to: shot.frames, pictures: shot.pictures, size, perSecond: 12.5 },
      at,
      { x: t.x * size.width, y: t.y * size.height, width: t.w * size.width, height: t.h * size.height },
    );
    const track = { id: 'd', kind: 'drawn' as const, name: 'd', places };
    expect(places[0]!.at).toBeLessThan(8);
    expect(places.at(-1)!.at).toBeGreaterThan(shot.frames - 8);
    for (const f of [2, 40, 80, 118]) {
      const [p, q] = [placeAt(track, f), shot.truth(f)!];
      if (p) expect(Math.abs(p.x + p.w / 2 - q.x - q.w / 2)).toBeLessThan(0.05);
    }
  });
});

describe('shots that there is little to say of', () => {
  const shotOf = (pictures: LookPicture[]) => ({
    from: 100,
    step: 2,
    to: 100 + pictures.length * 2,
    pictures,
    size,
    perSecond: 12.5,
  });
  const black = () => new Uint8Array(plane * 3).fill(128).fill(16, 0, plane);
  test('black, a flash, one picture, three pictures: nothing is seen and nothing breaks', () => {
    const white = new Uint8Array(plane * 3).fill(128).fill(235, 0, plane);
    for (const pictures of [
      [black()],
      [black(), white, black()],
      Array.from({ length: 30 }, black),
      Array.from({ length: 30 }, (_, i) => (i % 7 === 0 ? white : ground(0, 0))),
      [],
    ]) {
      const look = lookAtShot(shotOf(pictures), [], 't');
      expect(shotLookSchema.safeParse({ ...look, to: Math.max(look.to, 101) }).error).toBeUndefined();
      expect(look.tracks.every((t) => t.places.every((p) => p.at >= 100 && p.at < look.to))).toBe(true);
      expect(look.tracks.filter((t) => t.kind === 'mover')).toEqual([]);
    }
  });
  test('nothing but noise: everything moves, or nothing does; never a single subject', () => {
    const { floor } = Math;
    let roll = 5;
    const noise = () =>
      new Uint8Array(plane * 3).map((_, i) =>
        i < plane ? ((roll = (roll * 1103515245 + 12345) & 0x7fffffff), floor(roll / 8388608)) : 128,
      );
    const look = lookAtShot(shotOf(Array.from({ length: 24 }, noise)), [], 't');
    expect(look.tracks.length).toBeLessThan(3);
  });
  test('a title that comes and goes over a still picture is an overlay, with its time', () => {
    const withTitle = (on: boolean) => {
      const picture = ground(0, 0).map((v, i) => (i < plane ? 110 + (v - 120) * 0.05 : v));
      if (on)
        for (let y = 66; y < 76; y++)
          for (let x = 14; x < 70; x++) if (x % 4 < 2 !== y % 5 < 2) picture[y * size.width + x] = 235;
      return picture;
    };
    const look = lookAtShot(
      shotOf(Array.from({ length: 60 }, (_, i) => withTitle(i >= 14 && i < 46))),
      [],
      't',
    );
    expect(look.overlays).toHaveLength(1);
    const [o] = look.overlays;
    expect(Math.abs(o!.from - 128)).toBeLessThanOrEqual(4);
    expect(Math.abs(o!.to - 192)).toBeLessThanOrEqual(4);
    expect(Math.abs(o!.x * size.width - 14)).toBeLessThan(7);
    expect(Math.abs((o!.y + o!.height) * size.height - 76)).toBeLessThan(7);
    expect(overlayName(o!)).toBe('Title, lower left');
  });
});

describe('sights', () => {
  const box = (x: number, y: number, width = 10, height = 20) => ({ x, y, width, height });
  test('a mover takes the kind and the size that the detector saw', () => {
    const mover: RawTrack = {
      kind: 'mover',
      what: '',
      colour: [90, 90, 200],
      boxes: Array.from({ length: 30 }, (_, at) => ({ at, box: box(10 + at, 40, 6, 8), sure: 0.8 })),
    };
    const sights: Sight[] = [4, 14, 24].map((at) => ({
      at,
      box: box(8 + at, 34, 10, 20),
      kind: 'person',
      what: 'person',
      score: 0.7,
    }));
    const world = {
      pictures: Array.from({ length: 30 }, () => ground(0, 0)),
      size,
      path: cameraThrough(
        Array.from({ length: 30 }, () => ground(0, 0)),
        size,
      ).path,
      perSecond: 12.5,
    };
    const [first, ...rest] = withSights([mover], sights, world);
    expect(rest).toEqual([]);
    expect(first).toMatchObject({ kind: 'person', what: 'person' });
    const at20 = first!.boxes[20]!.box;
    expect(at20.width).toBeCloseTo(10, 5);
    expect(at20.height).toBeCloseTo(20, 5);
    expect(at20.x).toBeCloseTo(28, 0);
  });
});

describe('names', () => {
  test('colours in plain words', () => {
    expect(colourWord([96, 96, 196])).toBe('red');
    expect(colourWord([150, 70, 166])).toBe('orange');
    expect(colourWord([84, 180, 96])).toBe('blue');
    expect(colourWord([225, 126, 130])).toBe('white');
    expect(colourWord([30, 128, 128])).toBe('dark');
    expect(plainName('thing', 'kite', [96, 96, 196])).toBe('red kite');
    expect(plainName('mover', '', [225, 126, 130])).toBe('white thing');
  });
  test('what is alike is told apart from left to right', () => {
    expect(
      tellApart([
        { name: 'person', x: 5, area: 9 },
        { name: 'kite', x: 3, area: 1 },
        { name: 'person', x: 1, area: 1 },
      ]),
    ).toEqual(['person at right', 'kite', 'person at left']);
    expect(tellApart([1, 2, 3, 4].map((x) => ({ name: 'person', x, area: 1 })))).toEqual([
      'leftmost person',
      '2nd person from left',
      '3rd person from left',
      'rightmost person',
    ]);
  });
  test('of two things of which one is far larger, by their sizes', () => {
    const two = (area: number) =>
      tellApart([
        { name: 'red kite', x: 1, area },
        { name: 'red kite', x: 2, area: 1 },
      ]);
    expect(two(3)).toEqual(['large red kite', 'small red kite']);
    expect(two(0.2)).toEqual(['small red kite', 'large red kite']);
    expect(two(2.9)).toEqual(['red kite at left', 'red kite at right']);
  });
});

describe('small things', () => {
  test('sizes, steps and boxes', () => {
    expect(lookSize({ width: 1920, height: 1080 })).toEqual({ width: 160, height: 90 });
    expect(lookSize({ width: 1080, height: 1920 })).toEqual({ width: 90, height: 160 });
    expect([12, 24, 25, 30, 50, 60].map(looksAtEvery)).toEqual([1, 2, 2, 2, 4, 5]);
    expect(
      overlapShare({ x: 0, y: 0, width: 2, height: 2 }, { x: 1, y: 0, width: 2, height: 2 }),
    ).toBeCloseTo(1 / 3, 9);
    expect(around({ x: 0, y: 0, width: 1, height: 1 }, { x: 4, y: 5, width: 1, height: 1 })).toEqual({
      x: 0,
      y: 0,
      width: 5,
      height: 6,
    });
    expect(insidePicture({ x: 200, y: 0, width: 5, height: 5 }, size)).toBeNull();
  });
  test('pieces of a long shot become one, and so does a subject that goes on over the seam', () => {
    const place = (at: number, x: number) => ({ at, x, y: 0.4, w: 0.1, h: 0.2, sure: 0.9 });
    const piece = (from: number, to: number, tracks: ShotLook['tracks']): ShotLook => ({
      from,
      to,
      camera: 'still',
      everythingMoves: false,
      tracks,
      overlays: [],
    });
    const whole = stitchLooks([
      piece(0, 100, [{ id: 'a', kind: 'person', name: 'person', places: [place(0, 0.1), place(100, 0.4)] }]),
      piece(100, 200, [
        { id: 'b', kind: 'person', name: 'person', places: [place(100, 0.41), place(198, 0.7)] },
        { id: 'c', kind: 'thing', name: 'red thing', places: [place(100, 0.8), place(198, 0.8)] },
      ]),
    ]);
    expect(whole.tracks.map((t) => [t.id, t.places[0]!.at, t.places.at(-1)!.at])).toEqual([
      ['a', 0, 198],
      ['c', 100, 198],
    ]);
    expect(lookWithin([whole], { from: 20, to: 60 })!.tracks.map((t) => t.id)).toEqual(['a']);
    expect(lookWithin([whole], { from: 500, to: 600 })).toBeNull();
    expect(placeAt(whole.tracks[0]!, 50)!.x).toBeCloseTo(0.255, 6);
    expect(placeAt(whole.tracks[0]!, 300)).toBeNull();
    expect(
      subjectScanSchema.safeParse({ version: 1, detector: { kind: 'used' }, shots: [whole] }).success,
    ).toBe(true);
  });
});
