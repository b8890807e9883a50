import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { heldFraming, layoutAt, type Framing } from '../framing/framing.ts';
import type { ShotLook, Track } from '../subjects/look.ts';
import { facts, story } from '../testing/samples.ts';
import { planVersion } from '../render/planned.ts';
import { assuranceWords, type LookedAtFilm } from './assurance.ts';
import { causesOf } from './causes.ts';
import { moveWindow, showWhole } from './remedies.ts';
import { offeredKeeps, seenThings, type SeenInFilm } from './seen.ts';
import type { Trouble } from './trouble-kinds.ts';
import { frameRules, troublesOf } from './troubles.ts';

const frames = 200;
const masterSize = { width: 1920, height: 1080 };
const shots = [
  { from: 0, setup: 'a' },
  { from: 100, setup: 'b' },
];
const person = (over: Partial<Track> = {}): Track => ({
  id: 's1',
  kind: 'person',
  name: 'person on the left',
  places: [
    { at: 0, x: 0.05, y: 0.2, w: 0.1, h: 0.7, sure: 0.9 },
    { at: 99, x: 0.05, y: 0.2, w: 0.1, h: 0.7, sure: 0.9 },
  ],
  ...over,
});
const look = (over: Partial<ShotLook> = {}): ShotLook => ({
  from: 0,
  to: 100,
  camera: 'still',
  everythingMoves: false,
  tracks: [person()],
  overlays: [],
  ...over,
});
const film = (over: Partial<SeenInFilm> = {}): SeenInFilm => ({
  looks: [look()],
  drawn: [],
  keeps: [],
  unimportant: [],
  ...over,
});
const placement = story({ blocked: [], duration: {} });
const planned = (framing: Framing) =>
  planVersion({ facts: facts({ frames }), sha256: 'a'.repeat(64), placement, framing, cut: undefined });
const troubles = (framing: Framing, seen: SeenInFilm): Trouble[] =>
  troublesOf(planned(framing), placement, {
    keeps: seen.keeps,
    margin: { kind: 'place' },
    seen: seenThings(seen),
  }).filter((t) => t.code.startsWith('seen'));
const held = (x: number) => heldFraming({ x, y: 0.5, zoom: 1 });

describe('what was seen and a window hides', () => {
  test('a person at the edge is cut by the middle, and worth a look; never a fault', () => {
    expect(troubles(held(0.5), film())).toMatchObject([
      { code: 'seen-cut', severity: 'look', seen: { id: 's1' }, span: { from: 0, to: 100 } },
    ]);
    expect(troubles(held(0.16), film())).toEqual([]);
  });

  test('half a face is a fault; a face that is shown whole, or left out altogether, or larger than the window is none', () => {
    const at = (x: number, w = 0.12) => {
      const places = [0, 99].map((frame) => ({ at: frame, x, y: 0.2, w, h: 0.3, sure: 0.9 }));
      const tracks = [person({ id: 'f1', kind: 'face', name: 'face', places })];
      const found = troublesOf(planned(held(0.5)), placement, {
        keeps: [],
        margin: { kind: 'place' },
        seen: seenThings(film({ looks: [look({ tracks })] })),
      });
      return found.filter(({ seen }) => seen?.id === 'f1').map(({ code, severity }) => `${code} ${severity}`);
    };
    // The window shows 0.342 to 0.658 of the master.
    expect(at(0.28)).toEqual(['face-cut fault']);
    expect(at(0.6)).toEqual(['face-cut fault']);
    expect(at(0.44)).toEqual([]);
    expect(at(0.1)).toEqual(['seen-cut look']);
    expect(at(0.2, 0.5)).toEqual(['seen-cut look']);
  });

  test('nobody is told of who was seen unsurely, for a moment, or does not matter; things are no people', () => {
    const places = person().places.map((p) => ({ ...p, sure: 0.2 }));
    expect(troubles(held(0.5), film({ looks: [look({ tracks: [person({ places })] })] }))).toEqual([]);
    const brief = person({ places: person().places.map((p, i) => ({ ...p, at: i * 6 })) });
    expect(troubles(held(0.5), film({ looks: [look({ tracks: [brief] })] }))).toEqual([]);
    expect(troubles(held(0.5), film({ unimportant: ['s1'] }))).toEqual([]);
    expect(troubles(held(0.5), film({ looks: [look({ tracks: [person({ kind: 'thing' })] })] }))).toEqual([]);
    const drawn = person({ kind: 'drawn', id: 'drawn-1' });
    expect(troubles(held(0.5), film({ looks: [], drawn: [drawn] }))).toHaveLength(1);
  });

  test('a box is allowed to be wrong by a little, and by no more', () => {
    // The window of a tall frame is 607.5 px wide; held at its left end it shows up to 0.3164 of the master.
    const at = (right: number) => {
      const places = [0, 99].map((f) => ({ at: f, x: right - 0.2, y: 0.1, w: 0.2, h: 0.8, sure: 1 }));
      return troubles(held(0), film({ looks: [look({ tracks: [person({ places })] })] })).length;
    };
    expect(at(0.3164 + 0.2 * 0.075)).toBe(0);
    expect(at(0.3164 + 0.2 * 0.09)).toBe(1);
  });

  test('a title that lies still is told of until it is a keep, or does not matter', () => {
    const overlay = { x: 0.02, y: 0.8, width: 0.3, height: 0.1, from: 10, to: 90 };
    const titled = film({ looks: [look({ tracks: [], overlays: [overlay] })] });
    const [offer] = offeredKeeps(titled.looks, []);
    expect(offer).toMatchObject({ kind: 'title', span: { from: 10, to: 90 } });
    expect(troubles(held(0.5), titled)).toMatchObject([{ code: 'seen-cut', seen: { id: offer!.id } }]);
    expect(troubles(held(0.5), { ...titled, unimportant: [offer!.id] })).toEqual([]);
    expect(troubles(held(0.5), { ...titled, keeps: [{ ...offer!, id: 'k' }] })).toEqual([]);
    expect(offeredKeeps(titled.looks, [{ ...offer!, id: 'k' }])).toEqual([]);
  });

  test('every frame in which most of a person is out of the window is told of', () => {
    const walk = fc.array(fc.double({ min: 0, max: 0.8, noNaN: true }), { minLength: 2, maxLength: 5 });
    fc.assert(
      fc.property(walk, fc.double({ min: 0.2, max: 0.8, noNaN: true }), (xs, x) => {
        const step = Math.floor(99 / (xs.length - 1));
        const places = xs.map((px, i) => ({ at: i * step, x: px, y: 0.1, w: 0.2, h: 0.8, sure: 1 }));
        const last = places.at(-1)!.at;
        const framing = held(x);
        const { x: left, width } = layoutAt(framing, 0, masterSize, { width: 1080, height: 1920 }).panels[0]!
          .source;
        let out = 0;
        for (let f = 0; f <= last; f++) {
          const i = Math.min(xs.length - 2, Math.floor(f / step));
          const px = xs[i]! + ((xs[i + 1]! - xs[i]!) * (f - i * step)) / step;
          const middle = (px + 0.1) * masterSize.width;
          if (middle < left || middle > left + width) out++;
        }
        const found = troubles(framing, film({ looks: [look({ tracks: [person({ places })] })] }));
        if (out >= 10) expect(found.map((t) => t.code)).toEqual(['seen-cut']);
      }),
    );
  });
});

describe('troubles by their cause', () => {
  const trouble = fc.record({
    code: fc.constantFrom(
      'keep-cut' as const,
      'keep-blocked' as const,
      'seen-cut' as const,
      'too-long' as const,
    ),
    from: fc.integer({ min: 0, max: 190 }),
    length: fc.integer({ min: 1, max: 60 }),
    thing: fc.constantFrom('p', 'q', 'r'),
  });
  test('every trouble is in exactly one row, with its version, and a row is about one thing in one shot', () => {
    fc.assert(
      fc.property(fc.array(fc.array(trouble, { maxLength: 8 }), { maxLength: 7 }), (drawn) => {
        const versions = drawn.map((list, i) => ({
          versionId: `v${i}`,
          troubles: list.map(({ code, from, length, thing }): Trouble => {
            const about = code.startsWith('keep')
              ? { keepId: thing }
              : code.startsWith('seen')
                ? { seen: { id: thing, name: thing, what: 'person' as const } }
                : {};
            const severity = code === 'seen-cut' ? ('look' as const) : ('fault' as const);
            return { code, severity, span: { from, to: from + length }, sentence: code, mend: '', ...about };
          }),
        }));
        const causes = causesOf(versions, shots);
        const told = causes.flatMap((c) => c.places);
        expect(told).toHaveLength(versions.reduce((sum, v) => sum + v.troubles.length, 0));
        for (const { versionId, troubles: list } of versions)
          for (const t of list)
            expect(told.filter((p) => p.versionId === versionId && p.trouble === t)).toHaveLength(1);
        for (const cause of causes)
          for (const { trouble: t } of cause.places) {
            expect([t.code, t.keepId]).toEqual([cause.code, cause.keepId]);
            if (t.seen) expect(cause.seen.filter((x) => x.id === t.seen!.id)).toHaveLength(1);
            expect(cause.shot).toBe(
              t.code === 'too-long' && cause.shot === null ? null : t.span.from < 100 ? 0 : 1,
            );
          }
        expect(new Set(causes.map((c) => c.key)).size).toBe(causes.length);
        const ranks = causes.map((c) => (c.severity === 'fault' ? 0 : 1));
        expect(ranks).toEqual([...ranks].sort());
      }),
    );
  });
});

describe('one remedy for several versions', () => {
  const rules = frameRules(placement, { width: 1080, height: 1920 }, { kind: 'place' });
  const version = (framing: Framing, seen = film()) => ({
    framing,
    shots,
    frames,
    rate: facts({ frames }).video.rate,
    masterSize,
    rules,
    watched: seenThings(seen),
  });
  test('moving the window clears the trouble', () => {
    const [t] = troubles(held(0.5), film());
    const moved = moveWindow(version(held(0.5)), t!);
    expect(moved).not.toBeNull();
    expect(troubles(moved!, film())).toEqual([]);
  });
  test('no window is moved for two people who stand too far apart', () => {
    const far = person({ id: 's2', places: person().places.map((p) => ({ ...p, x: 0.85 })) });
    const two = film({ looks: [look({ tracks: [person(), far] })] });
    const [t] = troubles(held(0.16), two);
    expect(t).toMatchObject({ seen: { id: 's2' } });
    expect(moveWindow(version(held(0.16), two), t!)).toBeNull();
  });
  test('showing it whole shows everything in that shot, and leaves the others as they were', () => {
    const [t] = troubles(held(0.5), film());
    const whole = showWhole(version(held(0.5)), t!)!;
    expect(troubles(whole, film())).toEqual([]);
    expect(whole.stretches.map((s) => [s.from, s.fill?.kind ?? 'filled'])).toEqual([
      [0, 'soft'],
      [100, 'filled'],
    ]);
    expect(showWhole(version(whole), t!)).toBeNull();
  });
});

describe('what is said where nothing is wrong', () => {
  const seen = (over: Partial<LookedAtFilm> = {}): LookedAtFilm => ({
    name: 'Kite',
    keeps: 0,
    shots: 4,
    unlooked: 0,
    looking: 'done',
    shotsAssumed: false,
    detector: true,
    setAside: 0,
    ...over,
  });
  const said = (over: Partial<LookedAtFilm>, troubles = 0) =>
    assuranceWords([seen(over)], troubles).join(' ');
  test('each thing that was not looked at takes something off the assurance', () => {
    expect(said({})).toBe(
      'Nothing that was found is cut or covered, to about 8 % of its box, and from 0.4 s on. No keeps are drawn.',
    );
    expect(said({ unlooked: 2 })).toContain('Nothing was looked for in 2 shots.');
    expect(said({ unlooked: 4, looking: 'failed' })).toBe('No keeps are drawn. Looking failed in the film.');
    expect(said({ unlooked: 4, looking: 'waiting' })).not.toContain('Nothing that was found');
    expect(said({ shotsAssumed: true })).toContain('No shots could be found in the film: it stands as one.');
    expect(said({ detector: false })).toContain('by movement and colour alone');
    expect(said({ setAside: 1 })).toContain('1 thing was said not to matter.');
    expect(said({ keeps: 3 })).toContain('3 keeps are shown whole.');
  });
  test('while something is hidden, nothing is assured', () => {
    expect(said({ keeps: 3 }, 1)).toBe('');
  });
});
