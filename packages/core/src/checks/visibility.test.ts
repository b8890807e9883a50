import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { heldFraming, layoutAt, type Framing } from '../framing/framing.ts';
import { replaceFramingIn, unitAt, unitsOf } from '../framing/shots-of.ts';
import { insideMargins } from '../picture/safe.ts';
import { makePlan } from '../render/plan.ts';
import { facts, story } from '../testing/samples.ts';
import { keepAt, keepSchema, keepsWithin, withKeepAt, type Keep } from './keeps.ts';
import { suggestMend } from './mend.ts';
import { marginsFor, partAccepted, troubleMark, troublesOf } from './troubles.ts';
import { refusal } from './trouble-kinds.ts';
import { hiddenKeeps, type FrameRules } from './visibility.ts';

const master = { width: 1920, height: 1080 };
const frames = 120;
const rules: FrameRules = {
  frameSize: { width: 1080, height: 1920 },
  blocked: [
    { name: 'buttons', x: 0.86, y: 0.45, width: 0.14, height: 0.38 },
    { name: 'caption block', x: 0, y: 0.84, width: 1, height: 0.16 },
  ],
  margins: { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
};
const keep = (over: Partial<Keep> = {}): Keep => ({
  id: 'k',
  name: 'face',
  kind: 'face',
  span: { from: 0, to: frames },
  keys: [{ at: 0, x: 0.45, y: 0.3, width: 0.1, height: 0.2 }],
  ...over,
});
const held = (x: number, zoom = 1): Framing => heldFraming({ x, y: 0.5, zoom });

/** The same question asked of every frame, from the definition: is the keep in a panel, clear, and inside the margin? */
function bruteForce(framing: Framing, k: Keep, frame: number): string {
  if (frame < k.span.from || frame >= k.span.to) return 'seen';
  const r = keepAt(k, frame);
  const box = {
    x: r.x * master.width,
    y: r.y * master.height,
    width: r.width * master.width,
    height: r.height * master.height,
  };
  const answers = layoutAt(framing, frame, master, rules.frameSize).panels.map(({ source: s, into }) => {
    if (
      box.x < s.x - 0.5 ||
      box.y < s.y - 0.5 ||
      box.x + box.width > s.x + s.width + 0.5 ||
      box.y + box.height > s.y + s.height + 0.5
    )
      return 'cut';
    const [fx, fy] = [rules.frameSize.width, rules.frameSize.height];
    const [left, top] = [
      (into.x + ((box.x - s.x) * into.width) / s.width) / fx,
      (into.y + ((box.y - s.y) * into.height) / s.height) / fy,
    ];
    const [right, bottom] = [
      left + (box.width * into.width) / s.width / fx,
      top + (box.height * into.height) / s.height / fy,
    ];
    const area = rules.blocked.find(
      (b) =>
        left < b.x + b.width - 1e-4 &&
        b.x < right - 1e-4 &&
        top < b.y + b.height - 1e-4 &&
        b.y < bottom - 1e-4,
    );
    if (area) return `blocked ${area.name}`;
    const i = insideMargins(rules.margins!);
    return left < i.x - 1e-4 ||
      top < i.y - 1e-4 ||
      right > i.x + i.width + 1e-4 ||
      bottom > i.y + i.height + 1e-4
      ? 'margin'
      : 'seen';
  });
  if (answers.includes('seen')) return 'seen';
  return answers.find((a) => a !== 'cut') ?? 'cut';
}

describe('what hides a keep', () => {
  const unit = fc.double({ min: 0, max: 1, noNaN: true });
  const pose = fc.record({ x: unit, y: unit, zoom: fc.double({ min: 1, max: 3, noNaN: true }) });
  const rect = fc.record({
    x: fc.double({ min: 0, max: 0.8, noNaN: true }),
    y: fc.double({ min: 0, max: 0.8, noNaN: true }),
    width: fc.double({ min: 0.02, max: 0.2, noNaN: true }),
    height: fc.double({ min: 0.02, max: 0.2, noNaN: true }),
  });
  test('the spans are those of a frame-by-frame check', () => {
    const arbitrary = fc.tuple(
      fc.array(pose, { minLength: 4, maxLength: 4 }),
      fc.integer({ min: 1, max: 118 }),
      fc.array(rect, { minLength: 2, maxLength: 2 }),
      fc.integer({ min: 0, max: 60 }),
      fc.integer({ min: 61, max: 150 }),
      fc.boolean(),
      fc.boolean(),
    );
    fc.assert(
      fc.property(arbitrary, ([p, cut, r, from, to, moves, stacked]) => {
        const framing: Framing = {
          version: 1,
          stretches: [
            { from: 0, move: { kind: 'glide', a: p[0]!, b: p[1]!, start: 5, end: 90, ease: 'soft' } },
            {
              from: cut,
              move: { kind: 'hold', pose: p[2]! },
              ...(stacked
                ? {
                    fill: {
                      kind: 'stacked' as const,
                      divide: 0.5,
                      lower: { kind: 'hold' as const, pose: p[3]! },
                    },
                  }
                : {}),
            },
          ],
        };
        const k = keep({
          span: { from, to },
          keys: moves
            ? [
                { at: 10, ...r[0]! },
                { at: 100, ...r[1]! },
              ]
            : [{ at: 0, ...r[0]! }],
        });
        const found = hiddenKeeps(framing, [k], { from: 0, to: frames }, master, rules);
        const said = Array.from({ length: frames }, (_, f) => {
          const here = found.filter((h) => f >= h.span.from && f < h.span.to);
          expect(here.length).toBeLessThanOrEqual(1);
          return here.length
            ? here[0]!.how.kind === 'blocked'
              ? `blocked ${here[0]!.how.area}`
              : here[0]!.how.kind
            : 'seen';
        });
        expect(said).toEqual(Array.from({ length: frames }, (_, f) => bruteForce(framing, k, f)));
      }),
      { numRuns: 120 },
    );
  });
  test('in the whole picture nothing is cut', () => {
    const whole: Framing = {
      version: 1,
      stretches: [{ from: 0, move: { kind: 'hold', pose: { x: 0, y: 0, zoom: 1 } }, fill: { kind: 'soft' } }],
    };
    expect(
      hiddenKeeps(whole, [keep()], { from: 0, to: frames }, master, { ...rules, margins: null, blocked: [] }),
    ).toEqual([]);
  });
});

describe('mending', () => {
  const whole = { from: 0, to: frames };
  test('the smallest move that clears the keep is found; it hides nothing else', () => {
    for (const x of [0.1, 0.3, 0.42, 0.58, 0.7, 0.95]) {
      const framing = held(x);
      const [hidden] = hiddenKeeps(framing, [keep()], whole, master, rules);
      if (!hidden) continue;
      const units = unitsOf(framing, [{ from: 0, setup: '1' }], frames);
      const mend = suggestMend(hidden, framing, units, unitAt(units, 0), [keep()], master, rules)!;
      expect(hiddenKeeps(mend.framing, [keep()], whole, master, rules)).toEqual([]);
      // A pixel less would not have been enough.
      const short = heldFraming({ ...mend.pose, x: mend.pose.x - (Math.sign(mend.dx) * 2.6) / master.width });
      expect(hiddenKeeps(short, [keep()], whole, master, rules)).toHaveLength(1);
    }
  });
  test('where two keeps cannot both be shown, none is proposed; zoomed in too far, zooming out is', () => {
    const far = keep({ id: 'far', keys: [{ at: 0, x: 0.85, y: 0.3, width: 0.1, height: 0.2 }] });
    const framing = held(0.5);
    const units = unitsOf(framing, [{ from: 0, setup: '1' }], frames);
    const [hidden] = hiddenKeeps(framing, [far], whole, master, rules);
    expect(suggestMend(hidden!, framing, units, unitAt(units, 0), [keep(), far], master, rules)).toBeNull();
    const near = held(0.5, 4);
    const [cut] = hiddenKeeps(near, [keep()], whole, master, rules);
    expect(suggestMend(cut!, near, units, unitAt(units, 0), [keep()], master, rules)).toMatchObject({
      zoomsOut: true,
    });
  });
});

describe('keeps', () => {
  test('outside the picture or after the film they are refused or cut short', () => {
    expect(
      keepSchema.safeParse(keep({ keys: [{ at: 0, x: 0.95, y: 0, width: 0.1, height: 0.1 }] })).success,
    ).toBe(false);
    expect(keepSchema.safeParse(keep({ span: { from: 5, to: 5 } })).success).toBe(false);
    expect(
      keepsWithin(
        [keep({ span: { from: 100, to: 900 } }), keep({ span: { from: 500, to: 900 } })],
        frames,
      ).map((k) => k.span),
    ).toEqual([{ from: 100, to: 120 }]);
  });
  test('a moving keep goes straight from key to key and stands still beyond them', () => {
    const moving = withKeepAt(
      keep({ keys: [{ at: 10, x: 0, y: 0, width: 0.1, height: 0.1 }] }),
      20,
      { x: 0.5, y: 0.2, width: 0.1, height: 0.1 },
      true,
    );
    expect(keepAt(moving, 15)).toEqual({ x: 0.25, y: 0.1, width: 0.1, height: 0.1 });
    expect([keepAt(moving, 0).x, keepAt(moving, 99).x]).toEqual([0, 0.5]);
    expect(withKeepAt(moving, 20, { x: 2, y: -3, width: 0.3, height: 0.3 }).keys[1]).toMatchObject({
      x: 0.7,
      y: 0,
    });
  });
});

describe('troubles of keeps', () => {
  const place = story({
    duration: {},
    blocked: [{ name: 'buttons', x: 0.86, y: 0.45, width: 0.14, height: 0.38 }],
    safeMargin: { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
  });
  const planned = (framing: Framing) =>
    makePlan({ facts: facts({ frames }), sha256: 'a'.repeat(64), placement: place, framing });
  const troubles = (framing: Framing, keeps = [keep()]) =>
    troublesOf(planned(framing), place, { keeps, margin: { kind: 'place' } }).filter((t) => t.keepId);

  test('cut is a fault, but does not refuse the export; an accepted one is out of the way', () => {
    const cut = troubles(held(0.9));
    expect(cut).toMatchObject([{ code: 'keep-cut', severity: 'fault', span: { from: 0, to: frames } }]);
    expect(refusal(cut)).toBeUndefined();
    const { plan } = planned(held(0.9));
    const accepted = [
      {
        mark: troubleMark(cut[0]!, plan, [keep()]),
        reason: 'the client asked for it',
        acceptedAt: '2026-06-01T10:00:00.000Z',
      },
    ];
    expect(partAccepted(cut, accepted, plan, [keep()])).toMatchObject({
      open: [],
      accepted: [{ acceptance: { reason: 'the client asked for it' } }],
    });
  });
  test('an acceptance ends when the framing under it changes or the keep does, and only then', () => {
    const short = keep({ span: { from: 10, to: 40 } });
    const framing = held(0.9);
    const [t] = troubles(framing, [short]);
    const mark = troubleMark(t!, planned(framing).plan, [short]);
    const elsewhere = replaceFramingIn(
      framing,
      { from: 60, to: frames },
      { move: { kind: 'hold', pose: { x: 0.2, y: 0.5, zoom: 1 } }, fill: { kind: 'filled' }, length: 60 },
      frames,
    );
    expect(troubleMark(troubles(elsewhere, [short])[0]!, planned(elsewhere).plan, [short])).toBe(mark);
    const here = held(0.75);
    expect(troubleMark(troubles(here, [short])[0]!, planned(here).plan, [short])).not.toBe(mark);
    const grown = { ...short, keys: [{ ...short.keys[0]!, width: 0.11 }] };
    expect(troubleMark(troubles(framing, [grown])[0]!, planned(framing).plan, [grown])).not.toBe(mark);
  });
  test('the margin is the place’s, a published one, or a share of the frame', () => {
    expect(marginsFor({ kind: 'place' }, place)?.left).toBe(0.05);
    expect(marginsFor({ kind: 'published', id: 'ebu-r95-action' }, place)?.top).toBe(0.035);
    expect(marginsFor({ kind: 'percent', inner: 90 }, place)).toEqual({
      top: 0.05,
      right: 0.05,
      bottom: 0.05,
      left: 0.05,
    });
    expect(marginsFor({ kind: 'percent', inner: 100 }, place)).toBeNull();
  });
  test('enlarged beyond twice is worth a look, bars are noted', () => {
    expect(troublesOf(planned(held(0.5, 1.5)), place).map((t) => t.code)).toContain('enlarged-far');
    const bars: Framing = {
      version: 1,
      stretches: [
        {
          from: 0,
          move: { kind: 'hold', pose: { x: 0.5, y: 0.5, zoom: 1 } },
          fill: { kind: 'bars', colour: '#000000' },
        },
      ],
    };
    expect(troublesOf(planned(bars), place).map((t) => t.code)).toEqual(['bars']);
  });
});
