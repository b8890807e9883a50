import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Keep } from '../checks/keeps.ts';
import type { FrameRules } from '../checks/visibility.ts';
import { headOf } from '../subjects/head.ts';
import type { Track } from '../subjects/look.ts';
import { doubtsOf } from './doubt.ts';
import { candidatesIn, chooseWindow, type FollowQuestion } from './follow.ts';
import {
  followedWords,
  followFilm,
  judgeFilm,
  putBack,
  withUnitMarks,
  worthLooks,
  type FollowFilm,
} from './follow-film.ts';
import { framingSchema, heldFraming, layoutAt, stretchAt, windowAt } from './framing.ts';
import { judgeFollowing } from './judge.ts';
import { livelyLimits, livelyWords } from './lively.ts';
import { firstPose, fitMove, isStill, mapPoses, poseOfMove, shiftMove, stretchMove } from './move.ts';
import { withPoint, type FollowMove } from './moves/follow.ts';
import { replaceFramingIn, tidyFraming, unitsOf } from './shots-of.ts';

const master = { width: 1920, height: 1080 };
const tall: FrameRules = { frameSize: { width: 1080, height: 1920 }, blocked: [], margins: null };

/** A subject that goes from one place to another through some frames. */
function going(
  id: string,
  name: string,
  from: number,
  to: number,
  frames: number,
  over: Partial<Track> & { w?: number; h?: number; start?: number } = {},
): Track {
  const { w = 0.1, h = 0.4, start = 0, ...rest } = over;
  const places = Array.from({ length: 21 }, (_, i) => ({
    at: start + Math.round((i * (frames - 1)) / 20),
    x: from + ((to - from) * i) / 20 - w / 2,
    y: 0.3,
    w,
    h,
    sure: 0.9,
  }));
  return { id, kind: 'person', name, places, ...rest };
}
const swinging = (id: string, name: string, frames: number, reach = 0.35, periods = 1): Track => ({
  id,
  kind: 'thing',
  name,
  places: Array.from({ length: 101 }, (_, i) => ({
    at: Math.round((i * (frames - 1)) / 100),
    x: 0.45 + reach * Math.sin((i / 100) * Math.PI * 2 * periods),
    y: 0.3,
    w: 0.1,
    h: 0.3,
    sure: 0.9,
  })),
});
const ask = (tracks: Track[], over: Partial<FollowQuestion> = {}): FollowQuestion => ({
  span: { from: 0, to: 150 },
  look: { tracks, everythingMoves: false },
  keeps: [],
  masterSize: master,
  rules: tall,
  framesPerSecond: 25,
  lively: 0.55,
  ...over,
});
const keep = (x: number, width = 0.1): Keep => ({
  id: 'k',
  name: 'Title',
  kind: 'title',
  span: { from: 0, to: 150 },
  keys: [{ at: 0, x, y: 0.8, width, height: 0.1 }],
});

/** Greatest speed and acceleration of a move, frame widths a second, over its frames. */
function speeds(move: FollowMove | ReturnType<typeof chooseWindow>['move'], frames: number) {
  const width = 607.5 / 1920;
  const x = Array.from({ length: frames }, (_, f) => poseOfMove(move, f, master, tall.frameSize).x / width);
  let [speed, acceleration] = [0, 0];
  for (let f = 1; f < frames; f++) speed = Math.max(speed, Math.abs(x[f]! - x[f - 1]!) * 25);
  for (let f = 1; f + 1 < frames; f++)
    acceleration = Math.max(acceleration, Math.abs(x[f + 1]! - 2 * x[f]! + x[f - 1]!) * 625);
  return { speed, acceleration };
}

/** Someone in close-up: the face at a place, and the person around it, who fills the picture. */
function closeUp(id: string, x: number, w: number, over: Partial<Track> = {}): [Track, Track] {
  const h = (w * 16) / 9;
  const still = (at: number, box: { x: number; y: number; w: number; h: number }) => ({
    at,
    ...box,
    sure: 0.9,
  });
  const face = { x, y: Math.max(0.02, 0.45 - h / 2), w, h };
  const person = { x: Math.max(0, x - 0.8 * w), y: 0.01, w: Math.min(1, 2.6 * w), h: 0.98 };
  const places = (box: typeof face) => [still(0, box), still(149, box)];
  return [
    { id: `${id} face`, kind: 'face', name: 'face', places: places(face), ...over },
    { id, kind: 'person', name: 'person', places: places(person) },
  ];
}

describe('faces come first', () => {
  const windowFor = (tracks: Track[], rules = tall) => {
    const { move, pick } = chooseWindow(ask(tracks, { rules }));
    const { x, width } = windowAt(
      { version: 1, stretches: [{ from: 0, move }] },
      75,
      master,
      rules.frameSize,
    );
    return { left: x / master.width, right: (x + width) / master.width, pick };
  };

  test('of someone larger than the window the head is whole: hair, chin and ears, in every shape', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.02, max: 0.6, noNaN: true }),
        fc.double({ min: 0.12, max: 0.38, noNaN: true }),
        fc.double({ min: -1, max: 1, noNaN: true }),
        fc.constantFrom([1080, 1920], [1080, 1350], [1080, 1080]),
        (x, w, turned, [width, height]) => {
          const rules = { ...tall, frameSize: { width: width!, height: height! } };
          const { left, right, pick } = windowFor(closeUp('p', x, w, { turned }), rules);
          expect(pick.subject?.name).toMatch(/face|person/);
          const head = headOf({ x, y: 0.2, w, h: 0.4 });
          if (head.w <= right - left) {
            expect(head.x).toBeGreaterThanOrEqual(left - 1e-4);
            expect(head.x + head.w).toBeLessThanOrEqual(right + 1e-4);
          } else {
            // Wider than the window: eyes and mouth are in it, in the middle as far as the picture's edge lets it.
            const middle = Math.max((right - left) / 2, Math.min(1 - (right - left) / 2, x + w / 2));
            expect((left + right) / 2).toBeCloseTo(middle, 1);
          }
        },
      ),
    );
  });

  test('there is a third more room on the side to which it looks, and none more where that is not known', () => {
    const room = (turned?: number) => {
      const { left, right } = windowFor(closeUp('p', 0.42, 0.16, turned === undefined ? {} : { turned }));
      const head = headOf({ x: 0.42, y: 0.2, w: 0.16, h: 0.4 });
      return (right - head.x - head.w) / (head.x - left);
    };
    expect(room(1)).toBeCloseTo(4 / 3, 1);
    expect(room(-1)).toBeCloseTo(3 / 4, 1);
    expect(room()).toBeCloseTo(1, 1);
  });

  test('a face in close-up comes before a bright thing beside it', () => {
    const kite: Track = { ...going('k', 'red thing', 0.8, 0.2, 150, { w: 0.3, h: 0.5 }), kind: 'mover' };
    expect(windowFor([closeUp('p', 0.1, 0.2)[0], kite]).pick.subject?.name).toBe('face');
  });

  test('two who are wider than the window together are held by their faces where these fit', () => {
    const rules = { ...tall, frameSize: { width: 1080, height: 1080 } };
    const { pick, left, right } = windowFor([...closeUp('p', 0.3, 0.13), ...closeUp('q', 0.55, 0.13)], rules);
    expect(pick.sentence).toMatch(/both fit|all fit/);
    expect([left < 0.28, right > 0.7]).toEqual([true, true]);
  });
});

describe('choosing', () => {
  test('nothing seen: the middle is held', () => {
    const { move, pick } = chooseWindow(ask([]));
    expect(move).toMatchObject({ kind: 'hold', pose: { x: 0.5, y: 0.5, zoom: 1 } });
    expect(pick).toMatchObject({ subject: null, sentence: 'Holds the middle: nothing stands out.' });
  });
  test('everything moves: the middle is held, and that is said', () => {
    const confetti = {
      ...going('a', 'red thing', 0.2, 0.25, 150, { w: 0.03, h: 0.03 }),
      kind: 'mover' as const,
    };
    expect(
      chooseWindow(ask([confetti], { look: { tracks: [confetti], everythingMoves: true } })).pick.sentence,
    ).toMatch(/so much moves/);
  });
  test('one who stands is held, with room', () => {
    const { move, pick } = chooseWindow(ask([going('a', 'person', 0.3, 0.3, 150)]));
    expect(move.kind).toBe('hold');
    expect(poseOfMove(move, 0, master, tall.frameSize).x).toBeCloseTo(0.3, 1);
    expect(pick.sentence).toBe('Holds on the person.');
  });
  test('two who both fit are held together; two who do not: one is followed and the other named', () => {
    expect(
      chooseWindow(
        ask([going('a', 'person at left', 0.45, 0.45, 150), going('b', 'person at right', 0.6, 0.6, 150)]),
      ).pick.sentence,
    ).toBe('Holds still: person at left and person at right both fit.');
    expect(
      chooseWindow(
        ask([
          going('a', 'person at left', 0.2, 0.2, 150, { w: 0.16 }),
          going('b', 'person at right', 0.8, 0.8, 150),
        ]),
      ).pick.sentence,
    ).toBe('Holds on the person at left; the person at right would leave the frame.');
  });
  test('one slow way is one glide; a swing is followed; a short shot is held', () => {
    const glide = chooseWindow(ask([going('a', 'boat', 0.3, 0.7, 250)], { span: { from: 0, to: 250 } }));
    expect(glide.move.kind).toBe('glide');
    expect(glide.pick.sentence).toBe('Glides once to the right with the boat.');
    const follow = chooseWindow(ask([swinging('a', 'red kite', 150)]));
    expect(follow.move.kind).toBe('follow');
    expect(follow.pick).toMatchObject({
      subject: { id: 'a', name: 'red kite' },
      sentence: 'Follows the red kite.',
    });
    expect(
      chooseWindow(ask([going('a', 'runner', 0.1, 0.9, 3)], { span: { from: 0, to: 3 } })).move.kind,
    ).toBe('hold');
  });
  test('what is quicker than the window may be is followed as well as it goes, and that is said', () => {
    const { move, pick } = chooseWindow(ask([swinging('a', 'red kite', 150, 0.42, 8)], { lively: 0 }));
    expect(pick.sentence).toMatch(/too quick for a window this calm/);
    expect(speeds(move, 150).speed).toBeLessThanOrEqual(livelyLimits(0).maxSpeed * 1.001);
  });
  test('keeps are obeyed first', () => {
    const subject = going('a', 'person', 0.2, 0.3, 150);
    const { move, pick } = chooseWindow(ask([subject], { keeps: [keep(0.62)] }));
    for (const f of [0, 70, 149]) {
      const w = windowAt({ version: 1, stretches: [{ from: 0, move }] }, f, master, tall.frameSize);
      expect(w.x).toBeLessThanOrEqual(0.62 * 1920 + 1);
      expect(w.x + w.width).toBeGreaterThanOrEqual(0.72 * 1920 - 1);
    }
    expect(pick).toMatchObject({
      subject: null,
      sentence: 'Holds where Title is seen; the person would leave the frame.',
    });
    // Where both can be seen, both are.
    const both = chooseWindow(ask([going('a', 'person', 0.3, 0.34, 150)], { keeps: [keep(0.42)] }));
    expect(both.pick).toMatchObject({
      subject: { id: 'a' },
      sentence: 'Holds on the person, with Title kept in view.',
    });
    // One that no window shows whole is a trouble, and said; the subject is framed as if it were not there.
    const large = chooseWindow(ask([going('a', 'person', 0.3, 0.34, 150)], { keeps: [keep(0.5, 0.45)] }));
    expect(large.pick.sentence).toBe('Holds on the person; Title is larger than the frame shows.');
  });
  test('the subject stands clear of what the outlet draws', () => {
    const rules: FrameRules = {
      ...tall,
      blocked: [{ name: 'buttons', x: 0.7, y: 0.2, width: 0.3, height: 0.6 }],
    };
    const free = chooseWindow(ask([going('a', 'person', 0.5, 0.5, 150)]));
    const blocked = chooseWindow(ask([going('a', 'person', 0.5, 0.5, 150)], { rules }));
    const [a, b] = [free, blocked].map((c) => poseOfMove(c.move, 0, master, tall.frameSize).x);
    // The window goes right, so that the person stands left of the buttons.
    expect(b!).toBeGreaterThan(a! + 0.02);
    const w = windowAt(
      { version: 1, stretches: [{ from: 0, move: blocked.move }] },
      0,
      master,
      tall.frameSize,
    );
    expect((0.55 * 1920 - w.x) / w.width).toBeLessThanOrEqual(0.7);
  });
  test('one click takes the other subject, and none', () => {
    const [a, b] = [swinging('a', 'red kite', 150), going('b', 'runner', 0.2, 0.8, 150)];
    expect(chooseWindow(ask([a, b], { subject: 'b' })).pick.subject?.id).toBe('b');
    expect(chooseWindow(ask([a, b], { subject: 'a' })).pick.subject?.id).toBe('a');
    expect(chooseWindow(ask([a, b], { subject: null })).pick.subject).toBeNull();
  });
  test('people come before things, and whoever was followed before comes again', () => {
    const [person, thing] = [
      going('p', 'person', 0.3, 0.6, 150),
      { ...going('t', 'crate', 0.4, 0.7, 150), kind: 'thing' as const },
    ];
    expect(candidatesIn(ask([thing, person]))[0]!.track.id).toBe('p');
    const [x, y] = [
      going('x', 'person at left', 0.3, 0.4, 150),
      going('y', 'person at right', 0.6, 0.7, 150),
    ];
    const [first] = candidatesIn(ask([x, y]));
    const other = first!.track.id === 'x' ? y : x;
    expect(
      candidatesIn(ask([x, y], { before: [{ name: other.name, setup: '2', x: 0.5 }], setup: '2' }))[0]!.track
        .id,
    ).toBe(other.id);
  });
  test('mirrored shots are framed mirrored', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.1, max: 0.4, noNaN: true }),
        fc.double({ min: 0.3, max: 3, noNaN: true }),
        (reach, periods) => {
          const track = swinging('a', 'kite', 150, reach, periods);
          const mirrored: Track = { ...track, places: track.places.map((p) => ({ ...p, x: 1 - p.x - p.w })) };
          const [a, b] = [track, mirrored].map((t) => chooseWindow(ask([t])).move);
          for (const f of [0, 37, 75, 149])
            expect(poseOfMove(b!, f, master, tall.frameSize).x).toBeCloseTo(
              1 - poseOfMove(a!, f, master, tall.frameSize).x,
              3,
            );
        },
      ),
      { numRuns: 15, seed: 9 },
    );
  });
  test('limits hold for every control, and are told in numbers', () => {
    for (const lively of [0, 0.3, 0.7, 1]) {
      const { move } = chooseWindow(ask([swinging('a', 'kite', 150, 0.4, 5)], { lively }));
      const limits = livelyLimits(lively);
      expect(speeds(move, 150).speed).toBeLessThanOrEqual(limits.maxSpeed * 1.001);
      expect(speeds(move, 150).acceleration).toBeLessThanOrEqual(limits.maxAcceleration * 1.01);
    }
    expect(livelyWords(0)).toBe('at most 0.30 frame widths a second, changing by at most 0.5 a second');
  });
});

describe('who comes first', () => {
  const still = (
    id: string,
    kind: Track['kind'],
    x: number,
    w: number,
    h: number,
    over: Partial<Track> = {},
  ) =>
    ({
      id,
      kind,
      name: id,
      places: [0, 149].map((at) => ({ at, x, y: 0.3, w, h, sure: kind === 'thing' ? 0.95 : 0.8 })),
      ...over,
    }) satisfies Track;
  const first = (...tracks: Track[]) => candidatesIn(ask(tracks))[0]!.track.id;
  test('of two still things the living one, however colourful the other; but not a speck in the sky', () => {
    const orange = still('orange', 'thing', 0.6, 0.2, 0.36);
    for (const kind of ['person', 'animal', 'face'] as const)
      expect(first(orange, still('who', kind, 0.05, 0.12, 0.3))).toBe('who');
    expect(first(orange, still('bird', 'animal', 0.45, 0.03, 0.04))).toBe('orange');
  });
  test('a vehicle before what is known by its movement alone, and that before a thing', () => {
    const swings = { ...swinging('mover', 'mover', 150), kind: 'mover' as const };
    expect(first(still('car', 'vehicle', 0.4, 0.2, 0.3), still('vase', 'thing', 0.4, 0.2, 0.3))).toBe('car');
    expect(first(swings, still('vase', 'thing', 0.5, 0.1, 0.3))).toBe('mover');
  });
  test('of a face and its person the whole person, as long as the window shows it', () => {
    const face = (w: number) => still('face', 'face', 0.3, w, 0.2);
    const chosen = (w: number) =>
      chooseWindow(ask([still('person', 'person', 0.3 - w, 3 * w, 0.65), face(w)])).pick.subject?.id;
    expect(chosen(0.06)).toBe('person');
    expect(chosen(0.15)).toBe('face');
  });
});

describe('how likely the choice is wrong', () => {
  const look = (...tracks: Track[]) => ({ tracks, everythingMoves: false });
  const film = { masterSize: master, rules: tall, rate: { num: 25, den: 1 } };
  const span = { from: 0, to: 150 };
  const person = going('p', 'person', 0.3, 0.6, 150);
  const thing = swinging('t', 'red thing', 150, 0.02);
  test('somebody known and alone is not doubted; a thing known by its colour is, and two of a weight are', () => {
    expect(doubtsOf(look(person), span, person, film)).toEqual([]);
    expect(
      doubtsOf(look(thing), span, thing, film)
        .map((d) => d.words)
        .join(),
    ).toContain('by its colour');
    const other = going('q', 'other', 0.6, 0.3, 150);
    expect(
      doubtsOf(look(person, other), span, person, film)
        .map((d) => d.words)
        .join(),
    ).toContain('might as well');
  });
  test('a box that grows and shrinks is doubted', () => {
    const places = person.places.map((p, i) => ({ ...p, w: i % 8 < 4 ? p.w : p.w * 2.4, h: p.h }));
    const words = doubtsOf(look({ ...person, places }), span, { ...person, places }, film).map(
      (d) => d.words,
    );
    expect(words.join()).toContain('now larger, now smaller');
  });
  test('doubts lower the figure and are said; they can be many', () => {
    const framing = heldFraming({ x: 0.45, y: 0.5, zoom: 1 });
    const judged = (doubts: { points: number; words: string }[]) =>
      judgeFollowing(framing, span, thing, master, tall, 25, doubts);
    const doubt = { points: 24, words: 'nobody knows what it is' };
    expect(judged([]).figure - judged([doubt]).figure).toBe(24);
    expect(judged([doubt]).words).toContain('nobody knows what it is');
  });
});

describe('overruling', () => {
  const track = swinging('a', 'red kite', 150);
  const film: FollowFilm = {
    shots: [
      { from: 0, setup: '1' },
      { from: 150, setup: '2' },
    ],
    frames: 300,
    rate: { num: 25, den: 1 },
    masterSize: master,
    keeps: [],
    rules: tall,
    drawn: [],
    looks: [
      {
        from: 0,
        to: 150,
        camera: 'still',
        everythingMoves: false,
        tracks: [track, going('b', 'runner', 0.2, 0.7, 150, { w: 0.05, h: 0.15, kind: 'mover' })],
        overlays: [],
      },
      {
        from: 150,
        to: 300,
        camera: 'still',
        everythingMoves: false,
        tracks: [going('c', 'person', 0.7, 0.7, 150, { start: 150 })],
        overlays: [],
      },
    ],
  };
  const run = (framing = heldFraming(), wishes: Partial<Parameters<typeof followFilm>[2]> = {}) =>
    followFilm(film, framing, { lively: 0.55, ...wishes });

  test('a run frames every shot, and each has its reason and what was there before', () => {
    const { framing, changed } = run();
    expect(changed).toBe(2);
    expect(framingSchema.safeParse(framing).error).toBeUndefined();
    expect(framing.stretches.map((s) => [s.from, s.move.kind, s.pick?.subject?.id])).toEqual([
      [0, 'follow', 'a'],
      [150, 'hold', 'c'],
    ]);
    expect(framing.stretches[0]!.pick!.before!.move).toMatchObject({ kind: 'hold', pose: { x: 0.5 } });
    const [unit] = unitsOf(framing, film.shots, 300);
    expect(putBack(framing, unit!, 300).stretches[0]!.move).toMatchObject({ kind: 'hold', pose: { x: 0.5 } });
  });
  test('a point set by hand is kept, to the pixel, when the run is made again', () => {
    const first = run().framing;
    const move = first.stretches[0]!.move as FollowMove;
    const set = {
      ...first,
      stretches: [
        { ...first.stretches[0]!, move: withPoint(move, { at: 60, x: 0.75, y: 0.5 }) },
        first.stretches[1]!,
      ],
    };
    const again = run(set).framing;
    expect((again.stretches[0]!.move as FollowMove).points).toEqual([{ at: 60, x: 0.75, y: 0.5 }]);
    expect(poseOfMove(again.stretches[0]!.move, 60, master, tall.frameSize).x).toBeCloseTo(0.75, 5);
    // And once more, with the other subject.
    const other = run(again, { only: [0], subject: 'b' }).framing;
    expect(other.stretches[0]!.pick).toMatchObject({ subject: { id: 'b' }, named: true });
    expect(poseOfMove(other.stretches[0]!.move, 60, master, tall.frameSize).x).toBeCloseTo(0.75, 5);
    // A subject that a person has named stays named.
    expect(run(other).framing.stretches[0]!.pick!.subject!.id).toBe('b');
  });
  test('locked shots, and shots framed by hand, are left alone and counted', () => {
    const first = run().framing;
    const [unit] = unitsOf(first, film.shots, 300);
    const locked = withUnitMarks(first, unit!, 300, { locked: true });
    const byHand = replaceFramingIn(
      locked,
      { from: 150, to: 300 },
      { move: { kind: 'hold', pose: { x: 0.2, y: 0.5, zoom: 1 } }, fill: { kind: 'filled' }, length: 150 },
      300,
    );
    const again = run(byHand);
    expect(again).toMatchObject({ changed: 0, locked: 1, byHand: 1 });
    expect(again.framing).toEqual(byHand);
    expect(followedWords(again)).toBe(
      'Nothing was framed anew; 1 shot locked; 1 shot framed by hand left alone.',
    );
    expect(run(byHand, { handMade: true }).changed).toBe(1);
    expect(run(heldFraming(), {}).notSeen).toBe(0);
    expect(
      followFilm({ ...film, looks: film.looks.slice(0, 1) }, heldFraming(), { lively: 0.5 }),
    ).toMatchObject({ changed: 1, notSeen: 1 });
  });
  test('what a choice was made by does not change the picture', () => {
    const { framing } = run();
    const bare = { ...framing, stretches: framing.stretches.map(({ pick: _pick, ...s }) => s) };
    expect(tidyFraming(framing, [{ from: 0, to: 300 }], master, tall.frameSize)).toEqual(
      tidyFraming(bare, [{ from: 0, to: 300 }], master, tall.frameSize),
    );
    for (const f of [0, 77, 149, 150, 299])
      expect(layoutAt(framing, f, master, tall.frameSize)).toEqual(layoutAt(bare, f, master, tall.frameSize));
  });
  test('what is badly framed is worth a look until somebody has looked', () => {
    const { framing } = run();
    const off = {
      ...framing,
      stretches: [
        { ...framing.stretches[0]!, move: { kind: 'hold' as const, pose: { x: 0.9, y: 0.5, zoom: 1 } } },
        framing.stretches[1]!,
      ],
    };
    const judged = judgeFilm(film, off);
    expect(judged).toHaveLength(2);
    const worth = worthLooks(judged);
    expect(worth.map((w) => w.unit.from)).toEqual([0]);
    expect(worth[0]!.judgement.words[0]).toMatch(/the red kite is out of the frame for \d\.\d s/);
    expect(worthLooks(judgeFilm(film, withUnitMarks(off, worth[0]!.unit, 300, { seen: true })))).toEqual([]);
    expect(stretchAt(withUnitMarks(off, worth[0]!.unit, 300, { seen: true }), 0).move).toEqual(
      off.stretches[0]!.move,
    );
  });
  test('a good framing has a good figure', () => {
    const { framing } = run();
    const j = judgeFollowing(framing, { from: 150, to: 300 }, film.looks[1]!.tracks[0]!, master, tall, 25);
    expect(j).toMatchObject({ inside: 1, centre: 1, clear: 1, rms: 0, turns: 0, figure: 100, words: [] });
  });
  test('who fills the frame so nearly that what was seen may miss an edge is not scored as sure', () => {
    const window = (1080 * 9) / 16 / 1920;
    /** Somebody in the middle of the frame with so much room at each side, shares of their width. */
    const judged = (room: number, kind: Track['kind'] = 'person', x = 0.5) => {
      const w = window / (1 + 2 * room);
      const who = { ...going('a', 'walker', x, x, 100, { w }), kind };
      const framing = heldFraming({ x, y: 0.5, zoom: 1 });
      return judgeFollowing(framing, { from: 0, to: 100 }, who, master, tall, 25);
    };
    expect(judged(0.08)).toMatchObject({ inside: 1, figure: 100, words: [] });
    expect(judged(0.05)).toMatchObject({ inside: 1, figure: 88, words: [expect.stringContaining('edges')] });
    // What somebody has drawn has its edges where they drew them.
    expect(judged(0.05, 'drawn')).toMatchObject({ figure: 100, words: [] });
    // At the picture's own edges nothing more could be shown.
    const wide = { ...tall, frameSize: master };
    const all = going('a', 'walker', 0.5, 0.5, 100, { w: 1, h: 0.6 });
    const whole = judgeFollowing(heldFraming(), { from: 0, to: 100 }, all, master, wide, 25);
    expect(whole).toMatchObject({ inside: 1, figure: 100 });
  });
});

describe('a following move as any other move', () => {
  const move: FollowMove = {
    kind: 'follow',
    start: 0,
    step: 7,
    zoom: 1,
    x: [0.3, 0.3, 0.32, 0.4, 0.5, 0.6, 0.66, 0.7, 0.7],
    y: [0.5],
    points: [{ at: 14, x: 0.35, y: 0.5 }],
    spans: [{ from: 0, to: 7, how: 'still' }],
  };
  const at = (m: Parameters<typeof poseOfMove>[0], f: number) => poseOfMove(m, f, master, tall.frameSize).x;
  test('seen from a later start it shows the same', () => {
    const later = shiftMove(move, 10) as FollowMove;
    for (const f of [0, 5, 21]) expect(at(later, f)).toBeCloseTo(at(move, f + 10), 12);
    expect(later.points[0]!.at).toBe(4);
  });
  test('at half the pace it takes twice as long', () => {
    const slow = stretchMove(move, 2);
    for (const f of [0, 5, 21]) expect(at(slow, f * 2)).toBeCloseTo(at(move, f), 12);
  });
  test('pressed into a shorter shot it ends where it ended', () => {
    expect(at(fitMove(move, 43, 20), 20)).toBeCloseTo(at(move, 43), 2);
    expect(fitMove(move, 43, 60)).toEqual(move);
  });
  test('its poses can be changed, it knows where it starts and whether it stands', () => {
    expect(
      at(
        mapPoses(move, (p) => ({ ...p, x: Math.min(1, p.x + 0.1) })),
        20,
      ),
    ).toBeCloseTo(at(move, 20) + 0.1, 9);
    expect(firstPose(move).x).toBeCloseTo(0.303, 2);
    expect(isStill(move)).toBe(false);
    expect(isStill({ ...move, x: [0.4] })).toBe(true);
  });
});
