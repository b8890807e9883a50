import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Shot } from '../shots/shots.ts';
import { carryFraming, carryKept, matchByTime, type CarryFilm } from './carry.ts';
import { heldFraming, layoutAt, type Fill, type Framing } from './framing.ts';
import { editFrame, poseOfMove, withPoseAt } from './move.ts';
import type { Move } from './moves/kinds.ts';
import type { Pose } from './pose.ts';
import {
  clipOf,
  frameAlone,
  replaceFramingIn,
  setShotFraming,
  moveChange,
  shareWithSetup,
  sharedSetup,
  tidyFraming,
  unitAt,
  unitsOf,
} from './shots-of.ts';

const master = { width: 1920, height: 1080 };
const tall = { width: 1080, height: 1920 };
const frames = 300;

const unit = fc.double({ min: 0, max: 1, noNaN: true });
const pose = fc.record({ x: unit, y: unit, zoom: fc.double({ min: 1, max: 4, noNaN: true }) });
const move: fc.Arbitrary<Move> = fc.oneof(
  pose.map((p): Move => ({ kind: 'hold', pose: p })),
  fc
    .tuple(
      pose,
      pose,
      fc.integer({ min: 0, max: 60 }),
      fc.integer({ min: 1, max: 90 }),
      fc.constantFrom('soft' as const, 'even' as const),
    )
    .map(([a, b, start, length, ease]): Move => ({ kind: 'glide', a, b, start, end: start + length, ease })),
  fc.uniqueArray(fc.integer({ min: 0, max: 120 }), { minLength: 1, maxLength: 6 }).chain((at) =>
    fc.array(pose, { minLength: at.length, maxLength: at.length }).map((poses): Move => ({
      kind: 'path',
      keys: [...at].sort((a, b) => a - b).map((a, i) => ({ at: a, pose: poses[i]! })),
    })),
  ),
);
const fill: fc.Arbitrary<Fill> = fc.oneof(
  { weight: 4, arbitrary: fc.constant<Fill>({ kind: 'filled' }) },
  fc.constant<Fill>({ kind: 'bars', colour: '#102030' }),
  fc.constant<Fill>({ kind: 'soft' }),
  fc
    .tuple(fc.double({ min: 0.2, max: 0.8, noNaN: true }), move)
    .map(([divide, lower]): Fill => ({ kind: 'stacked', divide, lower })),
);
const cuts = fc
  .uniqueArray(fc.integer({ min: 1, max: frames - 1 }), { maxLength: 8 })
  .map((list) => [0, ...list].sort((a, b) => a - b));
const framing: fc.Arbitrary<Framing> = cuts.chain((from) =>
  fc.array(fc.tuple(move, fill), { minLength: from.length, maxLength: from.length }).map((parts) => ({
    version: 1,
    stretches: from.map((f, i) => ({ from: f, move: parts[i]![0], fill: parts[i]![1] })),
  })),
);
const shots: fc.Arbitrary<Shot[]> = cuts.chain((from) =>
  fc
    .array(fc.constantFrom('1', '2', '3'), { minLength: from.length, maxLength: from.length })
    .map((setups) => from.map((f, i) => ({ from: f, setup: setups[i]! }))),
);

const seen = (f: Framing, at: number) => layoutAt(f, at, master, tall);
function expectSame(a: ReturnType<typeof seen>, b: ReturnType<typeof seen>): void {
  expect(a.panels.length).toBe(b.panels.length);
  a.panels.forEach((p, i) => {
    const q = b.panels[i]!;
    for (const side of ['x', 'y', 'width', 'height'] as const)
      expect(p.source[side]).toBeCloseTo(q.source[side], 6);
    expect(p.into).toEqual(q.into);
  });
  expect(a.ground).toEqual(b.ground);
}

describe('moves', () => {
  test('a glide is set at the end that is nearer to the frame; all other moves right there', () => {
    const [a, b, moved] = [0.2, 0.8, 0.5].map((x) => ({ x, y: 0.5, zoom: 1 })) as [Pose, Pose, Pose];
    const glide: Move = { kind: 'glide', a, b, start: 10, end: 30, ease: 'soft' };
    expect([0, 19, 21, 99].map((at) => editFrame(glide, at))).toEqual([10, 10, 30, 30]);
    expect(withPoseAt(glide, 12, moved)).toEqual({ ...glide, a: moved });
    expect(withPoseAt(glide, 28, moved)).toEqual({ ...glide, b: moved });
    expect(editFrame({ kind: 'hold', pose: a }, 7)).toBe(7);
    expect(editFrame({ kind: 'path', keys: [{ at: 0, pose: a }] }, 7)).toBe(7);
  });
  test('a window of any move stays in the master and keeps its shape, at every frame', () => {
    fc.assert(
      fc.property(framing, fc.integer({ min: 0, max: frames + 50 }), (f, at) => {
        for (const { source: w, into } of seen(f, at).panels) {
          expect(Math.min(w.x, w.y)).toBeGreaterThanOrEqual(-1e-9);
          expect(w.x + w.width).toBeLessThanOrEqual(master.width + 1e-6);
          expect(w.y + w.height).toBeLessThanOrEqual(master.height + 1e-6);
          expect(w.width / w.height / (into.width / into.height)).toBeCloseTo(1, 6);
        }
      }),
    );
  });
  test('a glide is continuous, goes only from one end to the other, and never faster than 1.5 times its average', () => {
    fc.assert(
      fc.property(
        pose,
        pose,
        fc.integer({ min: 0, max: 20 }),
        fc.integer({ min: 2, max: 200 }),
        (a, b, start, length) => {
          const glide: Move = { kind: 'glide', a, b, start, end: start + length, ease: 'soft' };
          const x = (at: number) => poseOfMove(glide, at, master, tall).x;
          const whole = x(start + length) - x(start);
          expect(x(start - 5)).toBe(x(start));
          expect(x(start + length + 9)).toBe(x(start + length));
          for (let at = start; at < start + length; at++) {
            const step = (x(at + 1) - x(at)) * Math.sign(whole || 1);
            expect(step).toBeGreaterThanOrEqual(-1e-12);
            expect(step).toBeLessThanOrEqual((1.5 * Math.abs(whole)) / length + 1e-9);
          }
        },
      ),
    );
  });
  test('a path meets its keyframes and does not overshoot them', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 200 }), { minLength: 2, maxLength: 8 }),
        fc.array(unit, { minLength: 8, maxLength: 8 }),
        (at, xs) => {
          const keys = [...at]
            .sort((p, q) => p - q)
            .map((a, i) => ({ at: a, pose: { x: 0.2 + xs[i]! * 0.6, y: 0.5, zoom: 1 } }));
          const path: Move = { kind: 'path', keys };
          keys.forEach((k, i) => {
            expect(poseOfMove(path, k.at, master, tall).x).toBeCloseTo(k.pose.x, 9);
            const next = keys[i + 1];
            if (!next) return;
            for (let f = k.at; f <= next.at; f++) {
              const { x } = poseOfMove(path, f, master, tall);
              expect(x).toBeGreaterThanOrEqual(Math.min(k.pose.x, next.pose.x) - 1e-9);
              expect(x).toBeLessThanOrEqual(Math.max(k.pose.x, next.pose.x) + 1e-9);
            }
          });
        },
      ),
    );
  });
});

describe('framing shot by shot', () => {
  test('framing one span changes nothing outside of it', () => {
    fc.assert(
      fc.property(
        framing,
        fc.integer({ min: 0, max: frames - 2 }),
        fc.integer({ min: 1, max: 120 }),
        move,
        (f, from, length, m) => {
          const span = { from, to: Math.min(frames, from + length) };
          // A clip of just this length, so that nothing has to be pressed together.
          const next = replaceFramingIn(
            f,
            span,
            { move: m, fill: { kind: 'filled' }, length: span.to - span.from },
            frames,
          );
          for (let at = 0; at < frames; at += 7)
            if (at < span.from || at >= span.to) expectSame(seen(next, at), seen(f, at));
          expectSame(seen(next, from), seen({ version: 1, stretches: [{ from: 0, move: m }] }, 0));
        },
      ),
      { numRuns: 60 },
    );
  });
  test('units cover the film once, each inside one shot', () => {
    fc.assert(
      fc.property(framing, shots, (f, list) => {
        const units = unitsOf(f, list, frames);
        expect(units[0]!.from).toBe(0);
        expect(units.at(-1)!.to).toBe(frames);
        units.forEach((u, i) => {
          expect(u.to).toBe(units[i + 1]?.from ?? frames);
          expect(list[u.shot]!.setup).toBe(u.setup);
          expect(unitAt(units, u.to - 1)).toBe(u);
        });
      }),
    );
  });
  test('what is set once for a camera serves all of its shots, follows later changes, and lets one go its own way', () => {
    const list: Shot[] = [0, 50, 100, 150, 200, 250].map((from, i) => ({ from, setup: i % 2 ? '2' : '1' }));
    const units = unitsOf(heldFraming(), list, frames);
    const hold = (x: number) => ({
      move: { kind: 'hold' as const, pose: { x, y: 0.5, zoom: 1 } },
      fill: { kind: 'filled' as const },
      length: 50,
    });
    const centre = (f: Framing) =>
      [10, 60, 110, 160, 210, 260].map((at) =>
        Number(((seen(f, at).panels[0]!.source.x + 303.75) / 1920).toFixed(3)),
      );
    let f = setShotFraming(heldFraming(), units, units[1]!, hold(0.7));
    expect(centre(f)).toEqual([0.5, 0.7, 0.5, 0.5, 0.5, 0.5]);
    f = shareWithSetup(f, units, units[1]!);
    expect(centre(f)).toEqual([0.5, 0.7, 0.5, 0.7, 0.5, 0.7]);
    f = setShotFraming(f, units, units[5]!, hold(0.6));
    expect(centre(f)).toEqual([0.5, 0.6, 0.5, 0.6, 0.5, 0.6]);
    f = setShotFraming(frameAlone(f, units, units[3]!), units, units[3]!, hold(0.4));
    expect(centre(f)).toEqual([0.5, 0.6, 0.5, 0.4, 0.5, 0.6]);
    expect(units.map((u) => sharedSetup(f, u))).toEqual([
      undefined,
      '2',
      undefined,
      undefined,
      undefined,
      '2',
    ]);
  });
  test('pasted to a shorter shot, a glide is pressed together and arrives', () => {
    const clip = {
      move: {
        kind: 'glide' as const,
        a: { x: 0.2, y: 0.5, zoom: 1 },
        b: { x: 0.8, y: 0.5, zoom: 1 },
        start: 10,
        end: 99,
        ease: 'even' as const,
      },
      fill: { kind: 'filled' as const },
      length: 100,
    };
    const f = replaceFramingIn(heldFraming(), { from: 200, to: 220 }, clip, frames);
    expect(seen(f, 200).panels[0]!.source.x).toBeCloseTo(0.2 * 1920 - 303.75, 6);
    expect((seen(f, 219).panels[0]!.source.x + 303.75) / 1920).toBeGreaterThan(0.75);
  });
  test('a change goes along with a cut that is moved, and never past its neighbours', () => {
    const f = replaceFramingIn(
      heldFraming(),
      { from: 100, to: 200 },
      { move: { kind: 'hold', pose: { x: 0.8, y: 0.5, zoom: 1 } }, fill: { kind: 'filled' }, length: 100 },
      frames,
    );
    expect(moveChange(f, 100, 90).stretches.map((s) => s.from)).toEqual([0, 90, 200]);
    expect(moveChange(f, 100, 260)).toBe(f);
    expect(moveChange(f, 0, 5)).toBe(f);
  });
  test('tidied, a framing shows the same; framings that show the same are tidied alike', () => {
    fc.assert(
      fc.property(framing, fc.integer({ min: 0, max: 200 }), (f, from) => {
        const span = { from, to: frames };
        const tidy = tidyFraming(f, [span], master, tall);
        for (let at = from; at < frames; at += 9) expectSame(seen(tidy, at), seen(f, at));
        const split = replaceFramingIn(f, { from: 120, to: 130 }, clipOf(f, { from: 120, to: 130 }), frames);
        if (f.stretches.every((s) => s.move.kind === 'hold' && s.fill?.kind !== 'stacked'))
          expect(tidyFraming(split, [span], master, tall)).toEqual(tidy);
      }),
      { numRuns: 60 },
    );
  });
});

describe('carrying over', () => {
  const film = (list: Shot[], rate = { num: 25, den: 1 }, length = frames): CarryFilm => ({
    shots: list,
    frames: length,
    rate,
  });
  test('to the same film and back is where it was', () => {
    fc.assert(
      fc.property(framing, shots, (f, list) => {
        const here = film(list);
        const match = list.map((_, i) => i);
        const there = carryFraming(carryFraming(f, here, here, match), here, here, match);
        for (let at = 0; at < frames; at += 5) expectSame(seen(there, at), seen(f, at));
      }),
      { numRuns: 15 },
    );
  });
  test('to twice the rate, each shot keeps its windows at its own time', () => {
    fc.assert(
      fc.property(framing, shots, (f, list) => {
        const [here, there] = [
          film(list),
          film(
            list.map((s) => ({ ...s, from: s.from * 2 })),
            { num: 50, den: 1 },
            frames * 2,
          ),
        ];
        const carried = carryFraming(f, here, there, matchByTime(here, there));
        for (let at = 0; at < frames; at += 5) {
          const [a, b] = [seen(carried, at * 2), seen(f, at)];
          a.panels.forEach((p, i) => expect(p.source.x).toBeCloseTo(b.panels[i]!.source.x, 4));
        }
      }),
      { numRuns: 30 },
    );
  });
  test('a cut goes along with its shots, in its order: trimmed edges at their own time, whole shots to their ends, nothing twice', () => {
    const list: Shot[] = [0, 100, 200].map((from) => ({ from, setup: '1' }));
    const kept = [
      { from: 250, to: 300 },
      { from: 90, to: 120 },
    ];
    const here = film(list, undefined, 300);
    expect(carryKept(kept, here, here, [0, 1, 2])).toEqual(kept);
    // The last shot grew by twenty frames, and the first is gone.
    expect(
      carryKept(
        kept,
        here,
        film(
          [0, 100].map((from) => ({ from, setup: '1' })),
          undefined,
          220,
        ),
        [1, 2],
      ),
    ).toEqual([
      { from: 150, to: 220 },
      { from: 0, to: 20 },
    ]);
    // At twice the rate, twice as many frames.
    expect(
      carryKept(
        kept,
        here,
        film(
          list.map((s) => ({ ...s, from: s.from * 2 })),
          { num: 50, den: 1 },
          600,
        ),
        [0, 1, 2],
      ),
    ).toEqual([
      { from: 500, to: 600 },
      { from: 180, to: 240 },
    ]);
    // Two shots taken for the same one: what they share is kept once.
    expect(carryKept([{ from: 0, to: 100 }], here, film(list, undefined, 300), [0, 0, null])).toEqual([
      { from: 0, to: 200 },
    ]);
    expect(carryKept(kept, here, here, [null, null, null])).toEqual([]);
  });
  test('a shot without a match shows the middle', () => {
    const list: Shot[] = [0, 100, 200].map((from) => ({ from, setup: '1' }));
    const f = heldFraming({ x: 0.2, y: 0.5, zoom: 2 });
    const carried = carryFraming(f, film(list), film(list), [0, null, 2]);
    expect(seen(carried, 150).panels[0]!.source.x).toBeCloseTo(656.25, 6);
    expectSame(seen(carried, 250), seen(f, 250));
  });
  test('from a tall frame to a wide one and back, the point it is centred on stays', () => {
    const f = heldFraming({ x: 0.18, y: 0.5, zoom: 1 });
    // A framing is free of shape: the wide frame shows all of the master, and the tall one finds its place again.
    expect(layoutAt(f, 0, master, { width: 1920, height: 1080 }).panels[0]!.source).toEqual({
      x: 0,
      y: 0,
      width: 1920,
      height: 1080,
    });
    expect(seen(f, 0).panels[0]!.source.x).toBeCloseTo(0.18 * 1920 - 303.75, 9);
  });
});
