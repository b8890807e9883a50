import { beforeAll, describe, expect, test } from '@jest/globals';
import { createCanvas, GlobalFonts } from '@napi-rs/canvas';
import { captionFace, fontFiles, type ShapedLine } from '@mivvy/core';
import { fontPath, shippedShaper } from './shaper.ts';

const shaper = shippedShaper();
/** Width of a text at 100 px as the HarfBuzz in Skia sets it, in the same files in the same order. */
let reference: (text: string) => number;
beforeAll(() => {
  const names = fontFiles
    .filter(
      ({ family, weight }) =>
        (family === captionFace.family || family === 'any') && (weight === 600 || weight === 'any'),
    )
    .map((file) => {
      GlobalFonts.registerFromPath(fontPath(file), `Reference ${file.name}`);
      return `"Reference ${file.name}"`;
    });
  const pen = createCanvas(8, 8).getContext('2d');
  pen.font = `600 100px ${names.join(',')}`;
  reference = (text) => pen.measureText(text).width;
});

const box = (outline: ShapedLine['outline']) => {
  const at = outline.flatMap((s) => (s.to === 'close' ? [] : [s]));
  return {
    left: Math.min(...at.map((s) => s.x)),
    right: Math.max(...at.map((s) => s.x)),
    top: Math.min(...at.map((s) => s.y)),
  };
};

describe('text is set as another shaping engine (HarfBuzz, in Skia) sets it', () => {
  test.each([
    ['kerning', 'Kite Weekend AVATAR To. We'],
    ['ligatures', 'office shuffle fj ffl'],
    ['letters with marks', 'Ärger über Öl, Tiếng Việt'],
    ['marks of their own', 'cafe\u0301 nin\u0303o'],
    ['Cyrillic', 'Здравствуй, мир'],
    ['Greek', 'Καλημέρα Αθήνα'],
    ['Devanagari, whose letters join and change places', 'नमस्ते दुनिया क्षत्रिय'],
    ['Hebrew', 'שלום עולם'],
    ['Arabic, whose letters have four forms', 'مرحبا بالعالم'],
    ['two ways of reading in one line', 'abc שלום 123'],
    ['pictures', 'ok 👍 go 🪁'],
  ])('%s', (_what, text) => {
    expect(shaper.shape(text, captionFace).width * 100).toBeCloseTo(reference(text), 0);
    expect(shaper.widthOf(text, captionFace) * 100).toBeCloseTo(reference(text), 0);
    expect(shaper.missing(text, captionFace)).toEqual([]);
  });
});

test('what reads from right to left starts at the right', () => {
  const whole = shaper.shape('שלום abc', captionFace);
  const latin = shaper.shape('abc', captionFace);
  // The paragraph reads from the right: the Latin word, which comes last, stands at the left.
  const first = whole.outline.filter((s) => s.to !== 'close' && s.x < latin.width);
  expect(box(first).top).toBeCloseTo(box(latin.outline).top, 2);
  expect(whole.width).toBeGreaterThan(latin.width);
});

test('a letter that no typeface has is an empty box, and is named', () => {
  expect(shaper.missing('日本 ok 日', captionFace)).toEqual(['日', '本']);
  const { outline, width } = shaper.shape('日', captionFace);
  expect(width).toBeCloseTo(0.6, 6);
  expect(outline.filter((s) => s.to === 'move')).toHaveLength(2);
});

test('signs that join letters are seen as none of their own', () => {
  expect(shaper.missing('a\u200db\ufe0f\u200e', captionFace)).toEqual([]);
});

test('each family has its own letters', () => {
  const widths = (['Noto Sans', 'Archivo', 'Noto Serif'] as const).map(
    (family) => shaper.shape('Weekend', { family, weight: 800 }).width,
  );
  expect(new Set(widths.map((w) => w.toFixed(3))).size).toBe(3);
  // What a family lacks, another has.
  expect(shaper.missing('Привет', { family: 'Archivo', weight: 400 })).toEqual([]);
});
