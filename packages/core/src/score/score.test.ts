import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { groupNarrow } from './group.ts';
import { curveBetween, levelsOfDetail } from './levels.ts';
import { rulerStep, rulerTicks } from './ruler.ts';
import { draggedSpan } from './drag-span.ts';
import { snapTo } from './snap.ts';
import { panned, viewOf, wholeFilm, withFrame, zoomedAt, type ScoreView } from './view.ts';

const film = fc.integer({ min: 1, max: 200_000 });
const width = fc.integer({ min: 100, max: 2400 });
const isInside = (view: ScoreView, frames: number) => {
  expect(view.from).toBeGreaterThanOrEqual(0);
  expect(view.to).toBeLessThanOrEqual(frames + 1e-6);
  expect(view.to).toBeGreaterThan(view.from);
};

describe('what the score shows', () => {
  test('however it is zoomed and moved, it stays inside the film, and a frame is at most 24 pixels wide', () => {
    const step = fc.record({
      how: fc.constantFrom('zoom', 'pan', 'span', 'follow'),
      share: fc.double({ min: 0, max: 0.999, noNaN: true }),
      by: fc.double({ min: 0.2, max: 5, noNaN: true }),
    });
    fc.assert(
      fc.property(film, width, fc.array(step, { maxLength: 12 }), (frames, w, steps) => {
        let view = wholeFilm(frames);
        for (const { how, share, by } of steps) {
          const frame = Math.floor(share * frames);
          if (how === 'zoom') view = zoomedAt(view, frame, by, frames, w);
          if (how === 'pan') view = panned(view, (by - 2) * 100, frames);
          if (how === 'span') view = viewOf({ from: frame, to: Math.min(frames, frame + 40) }, frames, w);
          if (how === 'follow') {
            view = withFrame(view, frame, frames);
            expect(frame).toBeGreaterThanOrEqual(view.from - 1e-6);
            expect(frame).toBeLessThan(view.to + 1e-6);
          }
          isInside(view, frames);
          if (frames * 24 > w) expect(w / (view.to - view.from)).toBeLessThanOrEqual(24 + 1e-6);
        }
      }),
    );
  });

  test('the frame that is zoomed at stays where it is on the screen', () => {
    const view = { from: 1000, to: 3000 };
    const next = zoomedAt(view, 1500, 2, 10_000, 1000);
    expect((1500 - next.from) / (next.to - next.from)).toBeCloseTo(0.25, 9);
    expect(next.to - next.from).toBeCloseTo(1000, 9);
  });

  test('a shot is shown whole, with a little beside it; a head outside turns the view over', () => {
    expect(viewOf({ from: 500, to: 600 }, 10_000, 1000)).toEqual({ from: 496, to: 604 });
    expect(withFrame({ from: 0, to: 100 }, 50, 1000)).toEqual({ from: 0, to: 100 });
    expect(withFrame({ from: 0, to: 100 }, 100, 1000)).toEqual({ from: 90, to: 190 });
    expect(withFrame({ from: 0, to: 100 }, 999, 1000)).toEqual({ from: 900, to: 1000 });
  });
});

describe('the ruler', () => {
  const rate = { num: 25, den: 1 };
  test('labels have room at every zoom, and marks stand on frames', () => {
    const rates = fc.constantFrom(rate, { num: 30_000, den: 1001 }, { num: 24, den: 1 }, { num: 50, den: 1 });
    const scale = fc.double({ min: 0.01, max: 24, noNaN: true });
    fc.assert(
      fc.property(rates, scale, fc.integer({ min: 0, max: 9000 }), (r, px, from) => {
        const view = { from, to: from + 1000 / px };
        const ticks = rulerTicks(view, 400_000, px, r, 80);
        const labels = ticks.filter((t) => t.labelled).map((t) => t.frame);
        for (let i = 1; i < labels.length; i++)
          expect((labels[i]! - labels[i - 1]! + 1) * px).toBeGreaterThanOrEqual(80);
        expect(ticks.every((t) => Number.isInteger(t.frame))).toBe(true);
        expect(ticks.length).toBeLessThan(90);
      }),
    );
  });
  test.each([
    // Worked out by hand: the least step of 80 pixels or more.
    [24, 5],
    [8, 10],
    [3, 50],
    [0.5, 250],
    [0.05, 3000],
  ])('%f pixels a frame: a label every %i frames', (px, expected) =>
    expect(rulerStep(px, rate, 80)).toBe(expected),
  );
});

describe('narrow shots', () => {
  test('every shot is in one group, in order; none that is wide enough is joined, and no two narrow groups touch', () => {
    const lengths = fc.array(fc.integer({ min: 1, max: 60 }), { minLength: 1, maxLength: 300 });
    fc.assert(
      fc.property(lengths, fc.integer({ min: 1, max: 50 }), (all, least) => {
        let at = 0;
        const spans = all.map((n) => ({ from: at, to: (at += n) }));
        const groups = groupNarrow(spans, least);
        expect(groups.reduce((sum, g) => sum + g.count, 0)).toBe(spans.length);
        groups.forEach((g, i) => {
          expect([g.from, g.to]).toEqual([spans[g.first]!.from, spans[g.first + g.count - 1]!.to]);
          const members = spans.slice(g.first, g.first + g.count);
          if (g.count > 1) expect(members.every((s) => s.to - s.from < least)).toBe(true);
          const next = groups[i + 1];
          if (next && g.to - g.from < least) {
            const first = spans[next.first]!;
            expect(first.to - first.from).toBeGreaterThanOrEqual(least);
          }
        });
      }),
    );
  });
});

describe('a curve at any zoom', () => {
  test('no peak is lost, and about as many points are given as are wanted', () => {
    const values = fc.array(fc.integer({ min: -90, max: 0 }), { minLength: 1, maxLength: 3000 });
    fc.assert(
      fc.property(values, fc.nat(), fc.integer({ min: 10, max: 800 }), (all, seed, points) => {
        const from = seed % all.length;
        const to = Math.min(all.length, from + 1 + (seed % 1500));
        const drawn = curveBetween(levelsOfDetail(all), from, to, points);
        expect(Math.max(...drawn.map((d) => d.value))).toBeGreaterThanOrEqual(
          Math.max(...all.slice(from, to)),
        );
        expect(drawn.length).toBeLessThanOrEqual(2 * points + 3);
        if (to - from >= 2 * points) expect(drawn.length).toBeGreaterThanOrEqual(points);
      }),
    );
  });
});

test('what is dragged is drawn to the nearest that is near enough', () => {
  const all = [0, 40, 100];
  expect(snapTo(42, all, 3)).toBe(40);
  expect(snapTo(44, all, 3)).toBe(44);
  expect(snapTo(99, all, 3)).toBe(100);
  expect(snapTo(69, all, 40)).toBe(40);
  expect(snapTo(5, [], 40)).toBe(5);
});

describe('a span that is dragged', () => {
  const snap = (frame: number) => snapTo(frame, [0, 40, 100], 3);
  const into = { frames: 200, snap };
  test('is drawn by the end that is held, and as a whole by the nearer of its two', () => {
    expect(draggedSpan({ from: 50, to: 80 }, 'start', -8, into)).toEqual({ from: 40, to: 80 });
    expect(draggedSpan({ from: 50, to: 80 }, 'end', 21.4, into)).toEqual({ from: 50, to: 100 });
    expect(draggedSpan({ from: 50, to: 80 }, 'whole', -12, into)).toEqual({ from: 40, to: 70 });
    expect(draggedSpan({ from: 50, to: 80 }, 'whole', 22, into)).toEqual({ from: 70, to: 100 });
    // Both are near something: 42 to 40, and 101 to 100.
    expect(draggedSpan({ from: 52, to: 111 }, 'whole', -10, into)).toEqual({ from: 41, to: 100 });
  });
  test('stays in the film, keeps its length as a whole, and a frame at least', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 150 }),
        fc.integer({ min: 1, max: 50 }),
        fc.constantFrom('start' as const, 'end' as const, 'whole' as const),
        fc.double({ min: -400, max: 400, noNaN: true }),
        (from, length, part, by) => {
          const held = { from, to: from + length };
          const next = draggedSpan(held, part, by, into);
          expect(next.from).toBeGreaterThanOrEqual(0);
          expect(next.to).toBeLessThanOrEqual(200);
          expect(next.to - next.from).toBeGreaterThanOrEqual(1);
          if (part === 'whole') expect(next.to - next.from).toBe(length);
          if (part === 'start') expect(next.to).toBe(held.to);
          if (part === 'end') expect(next.from).toBe(held.from);
        },
      ),
    );
  });
});
