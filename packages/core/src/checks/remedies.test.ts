import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { heldFraming, stretchAt, type Framing } from '../framing/framing.ts';
import { poseOfMove } from '../framing/move.ts';
import { rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { keepsWithin, type Keep } from './keeps.ts';
import { hidingOf, moveWindow, moveWindowWhile, waysOut, type RemedyVersion } from './remedies.ts';
import { trouble, type Trouble } from './trouble-kinds.ts';
import { hiddenKeeps, type FrameRules } from './visibility.ts';

const frames = 300;
const rules: FrameRules = { frameSize: { width: 1080, height: 1920 }, blocked: [], margins: null };
const masterSize = { width: 1920, height: 1080 };
const shots = [
  { from: 0, setup: 'a' },
  { from: 200, setup: 'a' },
];

/** Something that stands at a place, by the film's width, for a span. */
const thing = (id: string, x: number, span: FrameSpan): Keep => ({
  id,
  name: id,
  kind: 'title',
  span,
  keys: [{ at: span.from, x, y: 0.4, width: 0.1, height: 0.1 }],
});
const version = (framing: Framing, keeps: Keep[]): RemedyVersion => ({
  framing,
  shots,
  frames,
  rate: rate(25),
  masterSize,
  rules,
  watched: keepsWithin(keeps, frames),
});
/** What a window cuts of one thing, as a trouble; undefined where it cuts nothing of it. */
function cutOf(of: RemedyVersion, id: string): Trouble | undefined {
  const hidden = hiddenKeeps(of.framing, of.watched, { from: 0, to: frames }, masterSize, rules);
  const found = hidden.find((each) => each.keep.id === id);
  return found && trouble('keep-cut', found.span, '', { keepId: id });
}
const hiddenIn = (of: RemedyVersion, framing: Framing) =>
  hiddenKeeps(framing, of.watched, { from: 0, to: frames }, masterSize, rules);
const poseAt = (framing: Framing, frame: number) => {
  const stretch = stretchAt(framing, frame);
  return poseOfMove(stretch.move, frame - stretch.from, masterSize, rules.frameSize);
};
const held = heldFraming({ x: 0.5, y: 0.5, zoom: 1 });

describe('a title that comes late in a shot, and a face that is there before it', () => {
  const title = thing('title', 0.1, { from: 100, to: 150 });
  const face = thing('face', 0.45, { from: 0, to: 80 });
  const of = version(held, [title, face]);
  const cut = cutOf(of, 'title')!;

  test('the shot’s window cannot go there, but it can while the title is there', () => {
    expect(moveWindow(of, cut)).toBeNull();
    const moved = moveWindowWhile(of, cut)!;
    expect(hiddenIn(of, moved)).toEqual([]);
    // As it was long before and after, and in the other shot of its setup.
    for (const frame of [0, 84, 166, 199, 200, 299])
      expect(poseAt(moved, frame)).toEqual(poseAt(held, frame));
    expect(poseAt(moved, 120).x).toBeLessThan(0.5);
    expect(poseAt(moved, 100)).toEqual(poseAt(moved, 149));
  });
  test('the ways out are told in the order of what they change', () => {
    const ways = waysOut(of, cut);
    expect(ways.map((way) => way.kind)).toEqual(['move-while', 'whole-while', 'whole']);
    expect(ways[0]!.moved!.dx).toBeLessThan(0);
    const [, part, whole] = ways;
    expect(part!.framing.stretches.map((s) => [s.from, s.fill?.kind ?? 'filled'])).toEqual([
      [0, 'filled'],
      [100, 'soft'],
      [150, 'filled'],
      [200, 'filled'],
    ]);
    expect(whole!.framing.stretches.map((s) => s.fill?.kind ?? 'filled')).toEqual(['soft', 'filled']);
  });
});

test('a thing that is there all through the shot has no way for a while only', () => {
  const of = version(held, [thing('title', 0.1, { from: 0, to: 200 })]);
  const kinds = waysOut(of, cutOf(of, 'title')!).map((way) => way.kind);
  expect(kinds).toEqual(['move', 'whole-while']);
});

test('a trouble that is about no thing has none', () => {
  const of = version(held, []);
  expect(waysOut(of, trouble('keep-cut', { from: 0, to: 10 }, '', { keepId: 'gone' }))).toEqual([]);
});

test('every way out shows the thing while the trouble lasts, hides nothing else more, and leaves the rest of the film', () => {
  const span = fc
    .tuple(fc.nat({ max: frames - 2 }), fc.integer({ min: 1, max: 120 }))
    .map(([from, length]) => ({ from, to: Math.min(frames, from + length) }));
  const place = fc.double({ min: 0, max: 0.9, noNaN: true });
  fc.assert(
    fc.property(place, span, place, span, place, (x, when, otherX, otherWhen, windowX) => {
      const framing = heldFraming({ x: windowX, y: 0.5, zoom: 1 });
      const of = version(framing, [thing('title', x, when), thing('other', otherX, otherWhen)]);
      const cut = cutOf(of, 'title');
      if (!cut) return;
      const length = (spans: ReturnType<typeof hiddenIn>, id: string) =>
        spans
          .filter((each) => each.keep.id === id)
          .reduce((sum, each) => sum + each.span.to - each.span.from, 0);
      const unitEnd = cut.span.from < 200 ? 200 : frames;
      for (const way of waysOut(of, cut)) {
        const hidden = hiddenIn(of, way.framing);
        const there = hidden.filter(
          (each) =>
            each.keep.id === 'title' &&
            each.span.from < Math.min(cut.span.to, unitEnd) &&
            each.span.to > cut.span.from,
        );
        expect([way.kind, there]).toEqual([way.kind, []]);
        expect(length(hidden, 'other')).toBeLessThanOrEqual(length(hiddenIn(of, framing), 'other'));
        // What is far enough before it is as it was, where the way is for a while only.
        const before = cut.span.from - 16;
        if (way.kind.endsWith('while') && before >= 0 && before < 200 === cut.span.from < 200)
          expect(poseAt(way.framing, before)).toEqual(poseAt(framing, before));
      }
    }),
  );
});

test('how a thing is hidden is told by its trouble', () => {
  const span = { from: 0, to: 10 };
  expect(hidingOf(trouble('keep-cut', span, ''))).toEqual({ kind: 'cut' });
  expect(hidingOf(trouble('keep-margin', span, ''))).toEqual({ kind: 'margin' });
  expect(hidingOf(trouble('keep-blocked', span, '', { area: 'Buttons' }))).toEqual({
    kind: 'blocked',
    area: 'Buttons',
  });
});
