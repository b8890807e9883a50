import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { DifferenceFinder } from '../compare/differences.ts';
import { compareSoundRate } from '../compare/sound-offset.ts';
import { otherSound } from '../compare/same-sound.ts';
import type { Keep } from '../checks/keeps.ts';
import { bare } from '../layers/layer.ts';
import { saidAgain, sayAgain } from '../layers/say-anew.ts';
import { facts } from '../testing/samples.ts';
import { couldBeTextless, drawnFrom, matchProblem, seenLeft, unexplained } from './textless.ts';

const size = { width: 96, height: 54 };
const plane = size.width * size.height;

const made = new Map<number, Uint8Array>();
/** A picture of even noise, three planes. */
function picture(seed: number): Uint8Array {
  const there = made.get(seed);
  if (there) return there;
  const samples = new Uint8Array(plane * 3);
  let state = seed * 2654435761 + 1;
  for (let i = 0; i < samples.length; i++) {
    state = (state * 1664525 + 1013904223) >>> 0;
    samples[i] = 60 + (state >>> 24) / 2;
  }
  made.set(seed, samples);
  return samples;
}
/** The same as another encoder leaves it. */
const encodedAnew = (of: Uint8Array, seed: number) =>
  of.map((sample, i) => sample + (((i * 7 + seed * 13) % 11) - 5));

interface Block {
  x: number;
  y: number;
  width: number;
  height: number;
}
function withBlock(of: Uint8Array, { x, y, width, height }: Block): Uint8Array {
  const changed = of.slice();
  for (let row = y; row < y + height; row++)
    for (let column = x; column < x + width; column++) changed[row * size.width + column] = 255;
  return changed;
}

const block = fc
  .record({
    x: fc.integer({ min: 0, max: 70 }),
    y: fc.integer({ min: 0, max: 40 }),
    width: fc.integer({ min: 10, max: 26 }),
    height: fc.integer({ min: 6, max: 14 }),
  })
  .filter((b) => b.x + b.width <= size.width && b.y + b.height <= size.height);

describe('differences between two films', () => {
  test('a block over some frames is one difference, with its very frames and a box around it', () => {
    fc.assert(
      fc.property(
        block,
        fc.integer({ min: 0, max: 20 }),
        fc.integer({ min: 2, max: 15 }),
        (where, from, frames) => {
          const finder = new DifferenceFinder(size);
          for (let frame = 0; frame < 40; frame++) {
            const film = picture(frame);
            const shown = frame >= from && frame < from + frames ? withBlock(film, where) : film;
            finder.push(shown, encodedAnew(film, frame));
          }
          const [found, ...more] = finder.finish();
          expect(more).toEqual([]);
          expect(found!.span).toEqual({ from, to: from + frames });
          const { x, y, width, height } = found!.box;
          // Cells are eight samples wide, and a sliver of one need not count.
          const slack = 8.001;
          expect(Math.abs(x * size.width - where.x)).toBeLessThanOrEqual(slack);
          expect(Math.abs(y * size.height - where.y)).toBeLessThanOrEqual(slack);
          expect(Math.abs((x + width) * size.width - where.x - where.width)).toBeLessThanOrEqual(slack);
          expect(Math.abs((y + height) * size.height - where.y - where.height)).toBeLessThanOrEqual(slack);
        },
      ),
      { numRuns: 15 },
    );
  });
  test('what two encoders make of the same picture is no difference', () => {
    const finder = new DifferenceFinder(size);
    for (let frame = 0; frame < 30; frame++)
      expect(finder.push(picture(frame), encodedAnew(picture(frame), frame))).toBe(0);
    expect(finder.finish()).toEqual([]);
  });
  test('two titles far from each other, and one after a pause, are three', () => {
    const finder = new DifferenceFinder(size);
    const [top, bottom] = [
      { x: 4, y: 2, width: 20, height: 8 },
      { x: 60, y: 42, width: 30, height: 9 },
    ];
    for (let frame = 0; frame < 60; frame++) {
      const film = picture(frame);
      let shown = film;
      if (frame < 10 || frame >= 40) shown = withBlock(shown, top);
      if (frame < 20) shown = withBlock(shown, bottom);
      finder.push(shown, film);
    }
    expect(finder.finish().map(({ span }) => span)).toEqual([
      { from: 0, to: 10 },
      { from: 0, to: 20 },
      { from: 40, to: 60 },
    ]);
  });
  test('another picture altogether differs all over', () => {
    const dark = new Uint8Array(plane * 3).fill(20);
    expect(new DifferenceFinder(size).push(dark, new Uint8Array(plane * 3).fill(200))).toBe(1);
  });
});

describe('sounds', () => {
  const sound = (seconds: number, gain: (at: number) => number) =>
    Float32Array.from({ length: seconds * compareSoundRate }, (_, i) => {
      const at = i / compareSoundRate;
      return gain(at) * Math.sin(2 * Math.PI * 220 * at) * (0.5 + 0.5 * Math.sin(2 * Math.PI * 0.9 * at));
    });
  const whole = sound(8, () => 0.4);
  test('the same sound a hair later and a little louder is the same', () => {
    const later = new Float32Array(whole.length);
    later.set(
      whole.subarray(0, -60).map((s) => s * 1.1),
      60,
    );
    expect(otherSound(whole, later)).toBeNull();
  });
  test.each([
    ['a voice that is missing', (at: number) => (at > 3 && at < 4.5 ? 0.1 : 0.4), 3],
    ['silence in its place', () => 0, 0],
    ['another level', () => 0.2, 0],
  ])('%s is told where it begins', (_what, gain, from) => {
    const at = otherSound(whole, sound(8, gain));
    expect(at).not.toBeNull();
    expect(Math.abs(at! - from)).toBeLessThanOrEqual(0.6);
  });
  test('a sound that ends early', () => {
    expect(otherSound(whole, whole.subarray(0, 5 * compareSoundRate))).toBeGreaterThanOrEqual(4.7);
  });
});

const keep = (over: Partial<Keep> = {}): Keep => ({
  id: 'title',
  name: 'Kite Weekend',
  kind: 'title',
  span: { from: 10, to: 60 },
  keys: [{ at: 10, x: 0.1, y: 0.7, width: 0.4, height: 0.12 }],
  ...over,
});
const differs = [{ span: { from: 8, to: 62 }, box: { x: 0.08, y: 0.68, width: 0.46, height: 0.17 } }];
const film = facts();
const seenFace = {
  id: 't1',
  span: { from: 0, to: 9 },
  keys: [{ at: 0, x: 0.4, y: 0.7, width: 0.1, height: 0.2 }],
};
const master = (over: object = {}) => ({
  facts: film,
  sha256: 'a'.repeat(64),
  keeps: [keep(), keep({ id: 'face', kind: 'face' }), keep({ id: 'later', span: { from: 90, to: 99 } })],
  faces: [seenFace],
  unimportant: [],
  textless: {
    masterId: 'other',
    name: 'Textless',
    sha256: 'b'.repeat(64),
    facts: facts(),
    of: 'a'.repeat(64),
    differs,
  },
  ...over,
});

describe('what a version is drawn from', () => {
  test('the film itself, unless it asks for the textless master', () => {
    expect(drawnFrom(false, master())).toMatchObject({ sha256: 'a'.repeat(64) });
    expect(drawnFrom(false, master()).textless).toBeUndefined();
  });
  test('with the faces that were seen in the film, but for those that do not matter', () => {
    expect(drawnFrom(false, master()).faces).toEqual([seenFace]);
    expect(drawnFrom(true, master()).faces).toEqual([seenFace]);
    const [of, without] = [master(), ['t1']];
    const drawn = () => drawnFrom(false, { ...of, unimportant: without }).faces;
    expect([drawn(), drawn() === drawn()]).toEqual([[], true]);
  });
  test('the textless master does without its title, and without nothing else', () => {
    const drawn = drawnFrom(true, master());
    expect(drawn).toMatchObject({ sha256: 'b'.repeat(64), textless: 'used' });
    expect(drawn.keeps.map(({ id }) => id)).toEqual(['face', 'later']);
  });
  test('the same keeps are the same list, so that nothing is planned anew', () => {
    const one = master();
    expect(drawnFrom(true, one).keeps).toBe(drawnFrom(true, one).keeps);
  });
  test.each([
    ['none', { textless: null }],
    ['one that was matched with an earlier film', { sha256: 'c'.repeat(64) }],
  ])('with %s, it is wanted, and the film stands in for it', (_what, over) => {
    const drawn = drawnFrom(true, master(over));
    expect(drawn.textless).toBe('wanted');
    expect(drawn.keeps).toHaveLength(3);
  });
  test('a title that was seen is left out where the textless master does not have it', () => {
    const seen = (y: number) => ({ ...keep(), what: 'title' as const, keys: [{ ...keep().keys[0]!, y }] });
    expect(seenLeft([seen(0.7)], differs)).toEqual([]);
    expect(seenLeft([seen(0.1)], differs)).toHaveLength(1);
  });
  test('a difference that no title explains is told', () => {
    const logo = { span: { from: 0, to: 100 }, box: { x: 0.8, y: 0.05, width: 0.1, height: 0.1 } };
    expect(unexplained([...differs, logo], [keep()])).toEqual([logo]);
    // A title that stands there at another time explains nothing.
    expect(unexplained(differs, [keep({ span: { from: 90, to: 99 } })])).toEqual(differs);
  });
});

test.each([
  ['other-size', facts({ displayed: { width: 1280, height: 720 } })],
  ['other-rate', facts({ rate: { num: 30, den: 1 } })],
  ['other-length', facts({ frames: film.video.frames - 1 })],
  ['other-sound', facts({}, { audio: null })],
])('%s: it is not the same edit', (code, other) => {
  expect(couldBeTextless(film, other)).toMatchObject({ ok: false, problem: { code } });
});

test('a few frames that are others are differences; many are another edit', () => {
  expect(matchProblem(100, { others: [{ from: 10, to: 20 }] })).toBeNull();
  expect(matchProblem(100, { others: [{ from: 10, to: 21 }] })).toMatchObject({ code: 'other-pictures' });
});

test('what is said again is one layer, in the versions that are drawn without the title', () => {
  const said = { keep: keep(), text: 'Kite Weekend', id: 'abcd1234' };
  const one = sayAgain(bare, { ...said, versionId: 'tall' });
  const two = sayAgain(one, { ...said, versionId: 'square', id: 'efgh5678' });
  expect(two.layers).toHaveLength(1);
  expect(two.layers[0]).toMatchObject({
    only: ['tall', 'square'],
    what: { kind: 'words', text: 'Kite Weekend' },
    span: { from: 10, to: 60 },
    place: { anchor: 'bottom left' },
  });
  expect(saidAgain(two, keep({ id: 'another', name: 'Other' }))).toBeUndefined();
  expect(sayAgain(bare, { ...said, text: '  ', versionId: 'tall' }).layers).toEqual([]);
});
