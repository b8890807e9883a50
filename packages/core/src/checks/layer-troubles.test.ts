import { expect, test } from '@jest/globals';
import type { LaidLayer } from '../layers/lay-out.ts';
import type { Layer } from '../layers/layer.ts';
import { startStyles } from '../layers/styles.ts';
import type { PlannedVersion } from '../render/plan-schema.ts';
import { causesOf } from './causes.ts';
import { layerTroubles } from './layer-troubles.ts';

/** What stands against layers: where they lie, over each other, and over what should be seen. */
const frameSize = { width: 1000, height: 1000 };
const rules = {
  frameSize,
  blocked: [{ name: 'buttons', x: 0.8, y: 0, width: 0.2, height: 1 }],
  margins: { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
};
const laid = (id: string, x: number, y: number, from = 0, to = 50): LaidLayer => {
  const layer: Layer = {
    id,
    name: id,
    what: { kind: 'words', text: 'Words', style: startStyles[0]! },
    span: { from, to },
    fadeIn: 0,
    fadeOut: 0,
    place: { anchor: 'top left', across: 0, down: 0, width: 1 },
    otherwise: {},
  };
  return {
    layer,
    source: layer.span,
    missing: [],
    planned: {
      box: { x, y, width: 200, height: 100 },
      spans: [{ from, to }],
      fadeIn: 0,
      fadeOut: 0,
      what: { kind: 'picture', sha256: '' },
    },
  };
};
/** As much of a plan as troubles of layers look at: a square film, shown whole. */
const planned = (layers: LaidLayer[], more: Partial<PlannedVersion> = {}) =>
  ({
    plan: {
      frame: frameSize,
      rate: { num: 25, den: 1 },
      step: { kind: 'every', n: 1 },
      kept: [{ from: 0, to: 100 }],
      pace: { num: 1, den: 1 },
      master: { displayed: frameSize, rate: { num: 25, den: 1 } },
      framing: {
        version: 1,
        stretches: [{ from: 0, move: { kind: 'hold', pose: { x: 0.5, y: 0.5, zoom: 1 } } }],
      },
    },
    laid: layers,
    ...more,
  }) as unknown as PlannedVersion;
const face = (x: number, y: number) => ({
  id: 'face',
  name: 'a face',
  span: { from: 0, to: 100 },
  keys: [{ at: 0, x, y, width: 0.2, height: 0.2 }],
});
const sentences = (layers: LaidLayer[], ...watched: ReturnType<typeof face>[]) =>
  layerTroubles(planned(layers), rules, watched).map((t) => t.sentence);

test('a layer inside the clear area, alone and over nothing, has no trouble', () => {
  expect(sentences([laid('One', 100, 100)], face(0.5, 0.5))).toEqual([]);
});

test('behind what the outlet draws, and outside the margin', () => {
  expect(sentences([laid('One', 700, 100)])).toEqual(['“One” is behind “buttons”.']);
  expect(sentences([laid('One', 20, 100)])).toEqual(['“One” reaches outside the safe margin.']);
});

test('over each other only while both are shown', () => {
  expect(sentences([laid('One', 100, 100), laid('Two', 250, 150)])).toEqual(['“One” lies over “Two”.']);
  expect(sentences([laid('One', 100, 100, 0, 20), laid('Two', 250, 150, 20, 40)])).toEqual([]);
});

test('over a face, where it covers enough of it', () => {
  expect(sentences([laid('One', 100, 100)], face(0.15, 0.12))).toEqual(['“One” lies over a face.']);
  expect(sentences([laid('One', 100, 100)], face(0.295, 0.195))).toEqual([]);
});

test('letters that no typeface has are named, in titles and in captions', () => {
  const found = layerTroubles(
    planned([{ ...laid('One', 100, 100), missing: ['日'] }], { captionsMissing: ['本'] }),
    rules,
    [],
  );
  expect(found.map((t) => t.sentence)).toEqual([
    '“One”: no typeface here has 日.',
    'The captions: no typeface here has 本.',
  ]);
});

test('two layers in trouble are two causes, one layer in two versions is one', () => {
  const troubles = layerTroubles(planned([laid('One', 20, 100), laid('Two', 20, 400)]), rules, []);
  const causes = causesOf(
    ['a', 'b'].map((versionId) => ({ versionId, troubles })),
    [{ from: 0, setup: '1' }],
  );
  expect(causes.map((cause) => cause.places.length)).toEqual([2, 2]);
});
