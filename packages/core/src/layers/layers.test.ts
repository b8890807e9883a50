import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Shaper } from '../letters/shaper.ts';
import { clearArea, type FrameRect } from './clear-area.ts';
import { anchored, layOutLayers, placeBox, setWords, type LayerFrame } from './lay-out.ts';
import {
  anchors,
  bare,
  dressingSchema,
  dressingShown,
  layerIn,
  trackFor,
  type Anchor,
  type Layer,
} from './layer.ts';
import { opacityAt } from './paint.ts';
import { startStyles } from './styles.ts';

/** Letters half as wide as they are high. */
const plainShaper: Shaper = {
  shape: (text) => ({ width: text.length * 0.5, outline: [] }),
  widthOf: (text) => text.length * 0.5,
  missing: () => [],
};
const tall = { width: 1080, height: 1920 };
const frames = [
  tall,
  { width: 1920, height: 1080 },
  { width: 1080, height: 1080 },
  { width: 1500, height: 500 },
];
const margin = { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 };
const furniture = [
  { x: 0.86, y: 0.45, width: 0.14, height: 0.38 },
  { x: 0, y: 0.84, width: 1, height: 0.16 },
];
const title = (over: Partial<Layer> = {}): Layer => ({
  id: 'title',
  name: 'Title',
  what: { kind: 'words', text: 'Kite Weekend on the sea wall', style: startStyles[1]! },
  span: { from: 25, to: 75 },
  fadeIn: 0,
  fadeOut: 0,
  place: { anchor: 'bottom left', across: 0, down: 0, width: 0.9 },
  otherwise: {},
  ...over,
});
const into = (frame = tall, over: Partial<LayerFrame> = {}): LayerFrame => ({
  frame,
  clear: clearArea(frame, margin, furniture),
  masterRate: { num: 25, den: 1 },
  rate: { num: 25, den: 1 },
  frames: 200,
  played: { kept: [{ from: 0, to: 200 }], pace: { num: 1, den: 1 } },
  shows: () => null,
  ...over,
});
const within = (box: FrameRect, outer: FrameRect, slack = 1) =>
  box.x >= outer.x - slack &&
  box.y >= outer.y - slack &&
  box.x + box.width <= outer.x + outer.width + slack &&
  box.y + box.height <= outer.y + outer.height + slack;

describe('the clear area', () => {
  test('is inside the margin, under nothing that the outlet draws, and the largest such rectangle of the edges', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...frames),
        fc.array(
          fc.tuple(fc.nat(80), fc.nat(80), fc.integer({ min: 3, max: 60 }), fc.integer({ min: 3, max: 40 })),
          { maxLength: 4 },
        ),
        (frame, areas) => {
          const blocked = areas.map(([x, y, width, height]) => ({
            x: x / 100,
            y: y / 100,
            width: Math.min(width, 100 - x) / 100,
            height: Math.min(height, 100 - y) / 100,
          }));
          const clear = clearArea(frame, margin, blocked);
          const inner = {
            x: frame.width * 0.05,
            y: frame.height * 0.05,
            width: frame.width * 0.9,
            height: frame.height * 0.9,
          };
          expect(within(clear, inner)).toBe(true);
          const whole = Math.abs(clear.width * clear.height - inner.width * inner.height) < 1;
          if (!whole)
            for (const b of blocked) {
              const apart =
                clear.x + clear.width <= b.x * frame.width + 0.01 ||
                clear.x >= (b.x + b.width) * frame.width - 0.01 ||
                clear.y + clear.height <= b.y * frame.height + 0.01 ||
                clear.y >= (b.y + b.height) * frame.height - 0.01;
              expect(apart).toBe(true);
            }
        },
      ),
      { numRuns: 150 },
    );
  });

  test('beside buttons and above a caption block, in a tall frame', () => {
    const { x, y, width, height } = clearArea(tall, margin, furniture);
    expect([x, y, x + width, y + height].map(Math.round)).toEqual([54, 96, 929, 1613]);
  });
});

describe('layers in frames', () => {
  test.each(frames.map((f) => [`${f.width} × ${f.height}`, f] as const))(
    '%s: every anchor lands inside the clear area, and words keep to the width',
    (_name, frame) => {
      for (const anchor of anchors) {
        const [laid] = layOutLayers(
          [title({ place: { anchor, across: 0, down: 0, width: 0.9 } })],
          into(frame),
          plainShaper,
        );
        const { clear } = into(frame);
        expect(within(laid!.planned.box, clear)).toBe(true);
        expect(laid!.planned.box.width).toBeLessThanOrEqual(clear.width * 0.9 + 1);
      }
    },
  );

  test('what a hand has moved stands where it was put, whichever anchor is nearest', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...frames),
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (frame, u, v) => {
          const clear = clearArea(frame, margin, []);
          const size = { width: Math.round(frame.width / 4), height: Math.round(frame.height / 5) };
          const box = {
            ...size,
            x: Math.round(u * (frame.width - size.width)),
            y: Math.round(v * (frame.height - size.height)),
          };
          const placed = placeBox({ ...anchored(box, frame, clear), width: 0.5 }, size, frame, clear);
          expect(Math.abs(placed.x - box.x)).toBeLessThanOrEqual(1);
          expect(Math.abs(placed.y - box.y)).toBeLessThanOrEqual(1);
        },
      ),
    );
  });

  test('words are wrapped as even as can be, line breaks that were typed are kept, and a long title stays whole', () => {
    const { what, width, height } = setWords(
      'one two three four',
      startStyles[1]!,
      tall,
      12 * 27 + 44,
      plainShaper,
    );
    expect(what.lines).toEqual(['one two', 'three four']);
    expect(width).toBe(5 * 54 + 2 * what.rim);
    expect(height).toBe(2 * what.leading + 2 * what.rim);
    expect(setWords('a\n\nb', startStyles[0]!, tall, 500, plainShaper).what.lines).toEqual(['a', '', 'b']);
    const long = 'A title of three hundred letters. '.repeat(9).trim();
    expect(setWords(long, startStyles[0]!, tall, 875, plainShaper).what.lines.join(' ')).toBe(long);
  });

  test('a layer is shown while its frames play: clipped by the cut, sped by the pace, twice where they play apart', () => {
    const spans = (played: LayerFrame['played'], count: number) =>
      layOutLayers([title()], into(tall, { played, frames: count }), plainShaper)[0]?.planned.spans;
    const pace = { num: 1, den: 1 };
    expect(spans({ kept: [{ from: 50, to: 150 }], pace }, 100)).toEqual([{ from: 0, to: 25 }]);
    expect(spans({ kept: [{ from: 100, to: 150 }], pace }, 50)).toBeUndefined();
    expect(spans({ kept: [{ from: 0, to: 200 }], pace: { num: 5, den: 4 } }, 160)).toEqual([
      { from: 20, to: 60 },
    ]);
    expect(
      spans(
        {
          kept: [
            { from: 60, to: 100 },
            { from: 0, to: 40 },
          ],
          pace,
        },
        80,
      ),
    ).toEqual([
      { from: 0, to: 15 },
      { from: 65, to: 80 },
    ]);
    // Longer than the film: it ends with it.
    expect(
      layOutLayers([title({ span: { from: 100, to: 900 } })], into(), plainShaper)[0]!.planned.spans,
    ).toEqual([{ from: 100, to: 200 }]);
  });

  test('a picture keeps its shape, and a high one is no higher than the clear area', () => {
    const picture = { sha256: '0'.repeat(64), name: 'mark', width: 300, height: 200 };
    const box = (over: Partial<typeof picture>) =>
      layOutLayers(
        [title({ what: { kind: 'picture', picture: { ...picture, ...over } } })],
        into(),
        plainShaper,
      )[0]!.planned.box;
    const wide = box({});
    expect(wide.width / wide.height).toBeCloseTo(1.5, 2);
    expect(box({ height: 20_000 }).height).toBeLessThanOrEqual(1517);
  });

  test('a fade rises and falls by even steps, and is wholly there between', () => {
    const planned = layOutLayers([title({ fadeIn: 0.2, fadeOut: 0.12 })], into(), plainShaper)[0]!.planned;
    const seen = (k: number) => Number(opacityAt(planned, k).toFixed(3));
    expect([24, 25, 26, 29, 30, 71, 72, 74, 75].map(seen)).toEqual([
      0, 0.167, 0.333, 0.833, 1, 1, 0.75, 0.25, 0,
    ]);
  });
});

describe('one version may differ', () => {
  const layer = title({
    otherwise: {
      a: { out: true },
      b: { text: 'Other words', place: { anchor: 'top' as Anchor, down: 0.1 }, size: 0.1 },
    },
  });
  test('it is left out, placed by itself, in other words, in another size; the others are as they were', () => {
    expect(layerIn(layer, 'a')).toBeNull();
    expect(layerIn(layer, 'b')).toMatchObject({
      place: { anchor: 'top', across: 0, down: 0.1, width: 0.9 },
      what: { text: 'Other words', style: { size: 0.1, name: 'plate' } },
    });
    expect(layerIn(layer, 'c')).toBe(layer);
  });
  test('it shows another picture in one, and everyone’s in the others', () => {
    const [common, own] = ['a', 'b'].map((digit) => ({
      sha256: digit.repeat(64),
      name: `${digit}.png`,
      width: 200,
      height: 120,
    }));
    const mark = title({
      what: { kind: 'picture', picture: common! },
      otherwise: { a: { picture: own! }, b: { place: { width: 0.5 } } },
    });
    const shown = (id: string) => {
      const what = layerIn(mark, id)!.what;
      return what.kind === 'picture' && what.picture;
    };
    expect(['a', 'b', 'c'].map(shown)).toEqual([own, common, common]);
    expect(layerIn(mark, 'b')!.place.width).toBe(0.5);
    // Words have no picture to be another one of.
    expect(layerIn(title({ otherwise: { a: { picture: own! } } }), 'a')!.what.kind).toBe('words');
  });

  test('what an export is asked for is what it shows, and nothing of the others', () => {
    const dressing = {
      ...bare,
      layers: [layer],
      captions: [
        { id: 'deutsch1', language: 'de', cues: [] },
        { id: 'brazil01', language: 'pt-BR', cues: [] },
      ],
    };
    expect(dressingShown(dressing, { versionId: 'a', language: 'pt', keeps: [] })).toEqual({
      ...dressing,
      layers: [],
      captions: [dressing.captions[1]],
    });
    const shown = dressingShown(dressing, { versionId: 'b', language: undefined, keeps: [] });
    expect(shown.layers[0]).toMatchObject({ otherwise: {}, what: { text: 'Other words' } });
    expect(shown.captions).toEqual([dressing.captions[0]]);
    expect(trackFor(dressing.captions, 'fr')).toBeUndefined();
    expect(dressingSchema.parse(dressing)).toEqual(dressing);
  });
});
