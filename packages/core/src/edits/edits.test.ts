import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { deliveredLength } from '../time/delivered-rate.ts';
import { rate, withinSeconds, framesWithin } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { adviceFor, leastAdvice, takeAdvice, type Advice, type AdviceFacts } from './advice.ts';
import {
  asEdited,
  checkKept,
  dropFrames,
  joinKept,
  justFits,
  keepFrames,
  keepOrDrop,
  keepsAny,
  keepWithin,
  keptFrameAt,
  keptInOrder,
  keptLength,
  moveKept,
  pace,
  paceForRate,
  pacedRate,
  paceValue,
  parsePace,
  playedWithin,
  playsAt,
  rollJoin,
  splitKept,
  trimKept,
} from './cut.ts';
import { pacedDelivery } from '../render/plan.ts';
import type { Placement } from '../specs/schema.ts';
import { timeLeft, timeLeftFigures, timeLeftWords } from './time-left.ts';

const frames = 600;
/** A cut: spans of a film that do not overlap, in any order. */
const cuts = fc
  .uniqueArray(fc.integer({ min: 0, max: frames }), { minLength: 2, maxLength: 14 })
  .chain((edges) => {
    const sorted = edges.sort((a, b) => a - b);
    const spans: FrameSpan[] = [];
    for (let i = 0; i + 1 < sorted.length; i += 2) spans.push({ from: sorted[i]!, to: sorted[i + 1]! });
    return fc.shuffledSubarray(spans, { minLength: 1 });
  });
const listed = (kept: readonly FrameSpan[]) =>
  kept.flatMap((s) => Array.from({ length: s.to - s.from }, (_, i) => s.from + i));
const span = fc
  .tuple(fc.integer({ min: 0, max: frames - 1 }), fc.integer({ min: 1, max: 200 }))
  .map(([from, length]) => ({ from, to: Math.min(frames, from + length) }));

describe('the arithmetic of cuts', () => {
  test('every kept frame plays once, where it is said to play', () => {
    fc.assert(
      fc.property(cuts, (kept) => {
        const all = listed(kept);
        expect(keptLength(kept)).toBe(all.length);
        for (let i = 0; i < all.length; i += 7) {
          expect(keptFrameAt(kept, i).frame).toBe(all[i]);
          expect(playsAt(kept, all[i]!)).toBe(i);
        }
        expect(checkKept(kept, frames).ok).toBe(true);
      }),
    );
  });
  test('dropping and keeping change just those frames, and nothing of the order of the others', () => {
    fc.assert(
      fc.property(cuts, span, (kept, piece) => {
        const inside = (f: number) => f >= piece.from && f < piece.to;
        const dropped = dropFrames(kept, piece);
        expect(listed(dropped)).toEqual(listed(kept).filter((f) => !inside(f)));
        const added = keepFrames(kept, piece);
        expect(listed(added).filter((f) => listed(kept).includes(f))).toEqual(listed(kept));
        expect([...listed(added)].sort((a, b) => a - b)).toEqual(
          [...new Set([...listed(kept), ...listed([piece])])].sort((a, b) => a - b),
        );
        if (dropped.length) expect(checkKept(dropped, frames).ok).toBe(true);
        expect(checkKept(added, frames).ok).toBe(true);
      }),
      { numRuns: 60 },
    );
  });
  test('splitting and joining change nothing that plays; moving plays the same frames in another order', () => {
    fc.assert(
      fc.property(cuts, fc.integer({ min: 0, max: frames }), fc.nat(), fc.nat(), (kept, at, a, b) => {
        expect(listed(splitKept(kept, at))).toEqual(listed(kept));
        expect(listed(joinKept(splitKept(kept, at)))).toEqual(listed(kept));
        const moved = moveKept(kept, a % kept.length, b % kept.length);
        expect([...listed(moved)].sort((x, y) => x - y)).toEqual([...listed(kept)].sort((x, y) => x - y));
        expect(moved[b % kept.length]).toEqual(kept[a % kept.length]);
        expect(listed(keptInOrder(kept))).toEqual([...listed(kept)].sort((x, y) => x - y));
      }),
    );
  });
  test('trimming keeps at least a frame, inside the film and off the other spans', () => {
    fc.assert(
      fc.property(
        cuts,
        fc.nat(),
        fc.constantFrom('from' as const, 'to' as const),
        fc.integer({ min: -50, max: frames + 50 }),
        (kept, i, edge, at) => {
          const trimmed = trimKept(kept, i % kept.length, edge, at, frames);
          expect(checkKept(trimmed, frames).ok).toBe(true);
          expect(trimmed).toHaveLength(kept.length);
        },
      ),
    );
  });
  test.each<[string, FrameSpan[], RegExp]>([
    ['nothing', [], /would be empty/],
    ['outside', [{ from: 500, to: 700 }], /from frame 500 to 700; the film has frames 0 to 599/],
    [
      'twice',
      [
        { from: 0, to: 100 },
        { from: 300, to: 400 },
        { from: 90, to: 120 },
      ],
      /The frames from 90 on are kept twice/,
    ],
  ])('a cut of %s is refused in a sentence', (_what, kept, sentence) => {
    const checked = checkKept(kept, frames);
    expect(checked.ok).toBe(false);
    if (!checked.ok) expect(checked.problem.sentence).toMatch(sentence);
  });
});

describe('single keys', () => {
  test('only what lies inside a span is kept, in the order in which it plays', () => {
    fc.assert(
      fc.property(cuts, span, (kept, only) =>
        expect(listed(keepWithin(kept, only))).toEqual(
          listed(kept).filter((f) => f >= only.from && f < only.to),
        ),
      ),
    );
  });
  test('a span is dropped where anything of it is kept, else kept; twice is as before for what was all kept or all dropped', () => {
    fc.assert(
      fc.property(
        cuts,
        fc.integer({ min: 0, max: 580 }),
        fc.integer({ min: 1, max: 60 }),
        (kept, from, length) => {
          const span = { from, to: Math.min(600, from + length) };
          const once = keepOrDrop(kept, span);
          expect(keepsAny(once, span)).toBe(!keepsAny(kept, span));
          if (!keepsAny(kept, span)) expect(keptLength(once)).toBe(keptLength(kept) + span.to - span.from);
          expect(checkKept(once.length ? once : kept, 600).ok).toBe(true);
        },
      ),
    );
  });
  test('a join that is moved leaves the cut as long as it was, whatever stands in its way', () => {
    fc.assert(
      fc.property(
        cuts,
        fc.integer({ min: 0, max: 6 }),
        fc.integer({ min: -80, max: 80 }),
        (kept, index, by) => {
          const rolled = rollJoin(kept, index, by, 600);
          expect(keptLength(rolled)).toBe(keptLength(kept));
          expect(checkKept(rolled, 600).ok).toBe(true);
          expect(rolled).toHaveLength(kept.length);
        },
      ),
    );
    expect(
      rollJoin(
        [
          { from: 100, to: 200 },
          { from: 300, to: 400 },
        ],
        0,
        7,
        600,
      ),
    ).toEqual([
      { from: 100, to: 207 },
      { from: 307, to: 400 },
    ]);
    // As far as it goes: the second span keeps a frame.
    expect(
      rollJoin(
        [
          { from: 0, to: 10 },
          { from: 300, to: 303 },
        ],
        0,
        50,
        600,
      ),
    ).toEqual([
      { from: 0, to: 12 },
      { from: 302, to: 303 },
    ]);
  });
});

describe('pace', () => {
  test('published and agreed values', () => {
    const pal = rate(25);
    // Limit 60 s, ceiling 1.10: the longest cut that pace alone can save is 66 s.
    expect(justFits(66 * 25, pal, pal, 60 * 25)).toEqual({ kind: 'pace', pace: pace(11, 10) });
    expect(justFits(66 * 25 + 1, pal, pal, 60 * 25)).toEqual({ kind: 'too-long', frames: 1 });
    // A cut of 65.4 s at pace 1.09 lasts 60.0 s.
    expect(deliveredLength(65.4 * 25, pacedRate(pal, pace(109, 100)), pal, { kind: 'nearest' })).toBe(1500);
    expect(justFits(60 * 25, pal, pal, 60 * 25)).toEqual({ kind: 'fits' });
    // 24 at a pace of 25/24 goes by at 25.
    expect(pacedRate(rate(24), pace(25, 24))).toEqual(rate(25));
    expect(pacedRate(rate(24000, 1001), pace(25, 24))).toEqual(rate(25000, 1001));
  });
  test('it is written as a number or a fraction', () => {
    expect(parsePace('1.05')).toMatchObject({ ok: true, value: pace(21, 20) });
    expect(parsePace('25/24')).toMatchObject({ ok: true, value: { num: 25, den: 24 } });
    expect(parsePace('1')).toMatchObject({ ok: true, value: asEdited });
    for (const wrong of ['0.9', '2.5', 'fast', '24/25', '1/0', '-1']) expect(parsePace(wrong).ok).toBe(false);
  });
  const rates = fc.constantFrom(
    rate(24000, 1001),
    rate(24),
    rate(25),
    rate(30000, 1001),
    rate(30),
    rate(50),
    rate(60000, 1001),
    rate(60),
  );
  test('“just fits” fills the limit exactly, and any less would be over', () => {
    fc.assert(
      fc.property(
        rates,
        rates,
        fc.integer({ min: 25, max: 20_000 }),
        fc.integer({ min: 1, max: 90 }),
        (master, delivered, length, seconds) => {
          const limit = framesWithin(seconds, delivered);
          const fit = justFits(length, master, delivered, limit, 1.5);
          const seconds1 = (p: { num: number; den: number }) =>
            (length * master.den * p.den) / (master.num * p.num);
          const limitSeconds = (limit * delivered.den) / delivered.num;
          if (fit.kind === 'fits') return expect(seconds1(asEdited)).toBeLessThanOrEqual(limitSeconds + 1e-9);
          if (fit.kind === 'too-long') {
            // What it says must go is enough, and a frame less is not.
            expect(justFits(length - fit.frames, master, delivered, limit, 1.5).kind).not.toBe('too-long');
            expect(justFits(length - fit.frames + 1, master, delivered, limit, 1.5).kind).toBe('too-long');
            return undefined;
          }
          expect(deliveredLength(length, pacedRate(master, fit.pace), delivered, { kind: 'nearest' })).toBe(
            limit,
          );
          expect(withinSeconds(limit, delivered, seconds)).toBe(true);
          expect(seconds1(fit.pace)).toBeLessThanOrEqual(limitSeconds + 1e-9);
          expect(paceValue(fit.pace)).toBeGreaterThan(1);
          expect(seconds1({ num: fit.pace.num * 1_000_000, den: fit.pace.den * 1_000_001 })).toBeGreaterThan(
            limitSeconds,
          );
          return undefined;
        },
      ),
      { numRuns: 300 },
    );
  });
});

describe('rates and limits', () => {
  const only = (...allowed: ReturnType<typeof rate>[]) => ({ allowed });
  test('24 is brought to 25 by a pace of 25/24, where 25 is taken and 24 is not', () => {
    expect(paceForRate(rate(24), only(rate(25), rate(30)))).toEqual({ pace: pace(25, 24), rate: rate(25) });
    expect(paceForRate(rate(24000, 1001), only(rate(25)))).toEqual({ pace: pace(1001, 960), rate: rate(25) });
    // Taken as it is, by every second frame, or only far away: nothing is offered.
    expect(paceForRate(rate(24), only(rate(24), rate(25)))).toBeNull();
    expect(paceForRate(rate(50), only(rate(25), rate(60)))).toBeNull();
    expect(paceForRate(rate(24), only(rate(30)))).toBeNull();
    expect(paceForRate(rate(30), { max: rate(25) })).toBeNull();
    // At that pace nothing is repeated.
    expect(pacedDelivery(rate(24), pace(25, 24), only(rate(25)))).toMatchObject({
      rate: rate(25),
      step: { kind: 'every', n: 1 },
      unevenPerSecond: 0,
    });
  });
  const place = (duration: { minSeconds?: number; maxSeconds?: number }) => ({ duration }) as Placement;
  test.each([
    // 14 seconds and 59 frames of a 60-frame second are inside a limit of 15 seconds (agreed value).
    [14 * 60 + 59, rate(60), { maxSeconds: 15 }, '1 frame to spare', '0.017 s'],
    [900, rate(60), { maxSeconds: 15 }, '0 frames over', '0 s'],
    [378, rate(25), { maxSeconds: 15 }, '3 frames over', '0.12 s'],
    [1270, rate(25), { maxSeconds: 60 }, '9.2 s to spare', '230 frames'],
    [1060, rate(25), { maxSeconds: 15 }, '27.4 s over', '685 frames'],
    // 15 s at 29.97 are 449.55 frames: 449 fit.
    [450, rate(30000, 1001), { maxSeconds: 15 }, '1 frame over', '0.033 s'],
    [449, rate(30000, 1001), { maxSeconds: 15 }, '0 frames over', '0 s'],
    [70, rate(25), { minSeconds: 3, maxSeconds: 15 }, '5 frames too short', '0.2 s'],
    [70, rate(25), {}, 'no limit', '0 s'],
  ])('%d frames at %j under %j: %s', (frames, r, duration, words, figures) => {
    const left = timeLeft({ frames, rate: r }, place(duration));
    expect(timeLeftWords(left)).toBe(words);
    expect(timeLeftFigures(left)).toBe(figures);
  });
  test('a cut in a film that took another’s place keeps what lies inside it', () => {
    const cut = {
      kept: [
        { from: 500, to: 600 },
        { from: 90, to: 130 },
        { from: 0, to: 10 },
      ],
      pace: asEdited,
      joinMs: 20,
    };
    expect(playedWithin(cut, 100)).toEqual({
      kept: [
        { from: 90, to: 100 },
        { from: 0, to: 10 },
      ],
      pace: asEdited,
      joinMs: 20,
    });
    expect(playedWithin(null, 100)).toEqual({});
  });
});

describe('advice', () => {
  const facts: AdviceFacts = {
    framesPerSecond: 25,
    speech: [
      { from: 100, to: 200 },
      { from: 320, to: 400 },
    ],
    silences: [
      { from: 40, to: 90 },
      { from: 210, to: 218 },
      { from: 250, to: 300 },
    ],
    shots: [
      { from: 0, to: 95, interest: 0.6 },
      { from: 95, to: 210, interest: 0.05 },
      { from: 210, to: 310, interest: 0.5 },
      { from: 310, to: 410, interest: 0.4 },
      { from: 410, to: 500, interest: 0.04 },
      { from: 500, to: 600, interest: 0.5, repeats: 0 },
    ],
  };
  const whole = [{ from: 0, to: 600 }];
  test('silences, still and repeated shots and tails; never in speech, never what is protected', () => {
    const all = adviceFor(whole, facts, []);
    expect(all.map((a) => [a.reason, a.span.from, a.span.to])).toEqual([
      ['silence', 44, 95],
      ['silence', 254, 310],
      ['still', 410, 500],
      ['repeated', 500, 600],
    ]);
    const spared = adviceFor(whole, facts, [
      { from: 0, to: 60 },
      { from: 560, to: 600 },
    ]);
    expect(spared.map((a) => [a.reason, a.span.from])).toEqual([
      ['tail', 75],
      ['silence', 254],
      ['still', 410],
    ]);
    for (const a of [...all, ...spared])
      expect(facts.speech.some((s) => s.from < a.span.to && s.to > a.span.from)).toBe(false);
  });
  test('a film in which next to nothing is heard is not dull for its silence; what is said is heard out; no flash is left', () => {
    const one = { framesPerSecond: 25, shots: [{ from: 0, to: 500, interest: 0.6 }] };
    expect(
      adviceFor([{ from: 0, to: 500 }], { ...one, speech: [], silences: [{ from: 0, to: 480 }] }, []).map(
        (a) => a.reason,
      ),
    ).toEqual(['tail']);
    const [tail] = adviceFor(
      [{ from: 0, to: 500 }],
      { ...one, speech: [{ from: 300, to: 400 }], silences: [] },
      [],
    );
    expect(tail).toMatchObject({ reason: 'tail', span: { from: 404, to: 500 } });
    // Two silences ten frames apart, the later one ending close before the shot does.
    const [silence, ...more] = adviceFor(
      [{ from: 0, to: 250 }],
      {
        framesPerSecond: 25,
        speech: [{ from: 0, to: 90 }],
        silences: [
          { from: 100, to: 150 },
          { from: 160, to: 245 },
        ],
        shots: [
          { from: 0, to: 250, interest: 0.5 },
          { from: 250, to: 500, interest: 0.5 },
        ],
      },
      [],
    );
    expect(silence!.span).toEqual({ from: 104, to: 250 });
    expect(more.filter((a) => a.span.from < 250)).toEqual([]);
  });
  test('what it promises is what is saved, whatever the cut', () => {
    fc.assert(
      fc.property(cuts, (kept) => {
        const all = adviceFor(kept, facts, []);
        for (const a of all) expect(keptLength(kept) - keptLength(dropFrames(kept, a.span))).toBe(a.saves);
        expect(keptLength(kept) - keptLength(takeAdvice(kept, all))).toBe(
          all.reduce((sum, a) => sum + a.saves, 0),
        );
      }),
    );
  });
  test('the smallest set that is enough, against all sets', () => {
    const piece = fc.record({
      saves: fc.integer({ min: 1, max: 60 }),
      dispensability: fc.double({ min: 0, max: 1, noNaN: true }),
    });
    fc.assert(
      fc.property(
        fc.array(piece, { minLength: 1, maxLength: 9 }),
        fc.integer({ min: 1, max: 250 }),
        (pieces, need) => {
          const all = pieces.map((p, i): Advice => ({
            ...p,
            reason: 'silence',
            span: { from: i * 100, to: i * 100 + p.saves },
          }));
          const found = leastAdvice(all, need);
          const sums = Array.from({ length: 2 ** all.length }, (_, mask) =>
            all.filter((_a, i) => mask & (1 << i)).reduce((sum, a) => sum + a.saves, 0),
          ).filter((n) => n >= need);
          if (!sums.length) return expect(found).toBeNull();
          expect(found!.reduce((sum, a) => sum + a.saves, 0)).toBe(Math.min(...sums));
          expect(new Set(found).size).toBe(found!.length);
          return undefined;
        },
      ),
      { numRuns: 120 },
    );
    expect(leastAdvice([], 0)).toEqual([]);
  });
});
