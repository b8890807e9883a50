import bidiFactory from 'bidi-js';
import { create, type Font, type Glyph } from 'fontkit';
import { faceBehindOwn, isOwn, type Face, type ShippedFace } from './face.ts';

/** One step of an outline, in lengths of the letters' size, y downwards from the line that they stand on. */
export type Stroke =
  | { to: 'move'; x: number; y: number }
  | { to: 'line'; x: number; y: number }
  | { to: 'curve'; x1: number; y1: number; x2: number; y2: number; x: number; y: number }
  | { to: 'close' };

/** A line of text as it is drawn. All lengths are in parts of the letters' size. */
export interface ShapedLine {
  /** From where it starts to where the next line would go on. */
  width: number;
  outline: readonly Stroke[];
}

/** A file of a typeface: the letters of one or more scripts at one weight. */
export interface FaceFile {
  /** Any family, for letters that the asked one lacks. */
  family: ShippedFace['family'] | 'any';
  weight: number | 'any';
  bytes: Uint8Array;
}

/** Sets text in typefaces. The same on every machine: the letters come from the files alone. */
export interface Shaper {
  shape(text: string, face: Face): ShapedLine;
  /** Its width alone, by its words and the blanks between them; for breaking lines. */
  widthOf(text: string, face: Face): number;
  /** Letters that no typeface has, each once. */
  missing(text: string, face: Face): string[];
}

const bidi = bidiFactory();
const graphemes = new Intl.Segmenter('und', { granularity: 'grapheme' });
/** Signs that join or choose letters and are seen as none of their own. */
const unseen = /^[\p{Cf}\p{Variation_Selector}]$/u;
/** A letter that no typeface has is an empty box, so wide and high. */
const boxWidth = 0.6;
const boxHeight = 0.7;
const boxLine = 0.06;

/** So many lines are remembered. */
const mostKnown = 4000;

interface Run {
  font: Font | null;
  level: number;
  text: string;
}

/** Text that reads the same way and is set from one file. */
function runsOf(text: string, fonts: readonly Font[]): Run[] {
  const { levels } = bidi.getEmbeddingLevels(text, 'auto');
  const runs: Run[] = [];
  for (const { segment, index } of graphemes.segment(text)) {
    const points = [...segment].filter((letter) => !unseen.test(letter));
    const has = (font: Font) => points.every((p) => font.hasGlyphForCodePoint(p.codePointAt(0)!));
    const last = runs.at(-1);
    const level = levels[index]!;
    // The first file that has the letter draws it; blanks are the asked family's own, as everywhere.
    const font = fonts.find(has) ?? null;
    if (last && last.level === level && last.font === font) last.text += segment;
    else runs.push({ font, level, text: segment });
  }
  return runs;
}

/** Runs from left to right (Unicode UAX 9, rule L2): from the highest level down, what stands that high is turned about. */
function inSight(runs: readonly Run[]): Run[] {
  const order = [...runs];
  const highest = Math.max(0, ...order.map((run) => run.level));
  for (let level = highest; level >= 1; level--) {
    let start = 0;
    while (start < order.length) {
      if (order[start]!.level < level) {
        start++;
        continue;
      }
      let end = start;
      while (end < order.length && order[end]!.level >= level) end++;
      order.splice(start, end - start, ...order.slice(start, end).reverse());
      start = end;
    }
  }
  return order;
}

/** An empty box for each letter that no typeface has. */
function boxes(text: string, at: number): { outline: Stroke[]; width: number } {
  const outline: Stroke[] = [];
  let x = at;
  for (const _letter of graphemes.segment(text)) {
    const [left, right, top] = [x + 0.05, x + boxWidth - 0.05, -boxHeight];
    const ring = (inset: number, back: boolean) => {
      const corners = [
        [left + inset, -inset],
        [right - inset, -inset],
        [right - inset, top + inset],
        [left + inset, top + inset],
      ] as const;
      (back ? [...corners].reverse() : corners).forEach(([cx, cy], i) =>
        outline.push(i ? { to: 'line', x: cx, y: cy } : { to: 'move', x: cx, y: cy }),
      );
      outline.push({ to: 'close' });
    };
    ring(0, false);
    ring(boxLine, true);
    x += boxWidth;
  }
  return { outline, width: x - at };
}

/** Glyphs and their places; null where a damaged typeface cannot say. */
function laidOut(font: Font, text: string, level: number): ReturnType<Font['layout']> | null {
  try {
    return font.layout(text, undefined, undefined, undefined, level % 2 ? 'rtl' : 'ltr');
  } catch {
    return null;
  }
}

/** The steps of a glyph's outline; none where a damaged typeface cannot say. */
function outlineOf(glyph: Glyph): Glyph['path']['commands'] {
  try {
    return glyph.path.commands;
  } catch {
    return [];
  }
}

/** A run's outlines and how far it goes on. */
function outlined({ font, level, text }: Run, at: number): { outline: Stroke[]; width: number } {
  if (!font) return boxes(text, at);
  const laid = laidOut(font, text, level);
  if (!laid) return boxes(text, at);
  const { glyphs, positions } = laid;
  const k = 1 / font.unitsPerEm;
  const outline: Stroke[] = [];
  let x = at;
  glyphs.forEach((glyph, i) => {
    const { xAdvance, xOffset, yOffset } = positions[i]!;
    const px = (n: number) => x + (n + xOffset) * k;
    const py = (n: number) => -(n + yOffset) * k;
    let [fromX, fromY] = [0, 0];
    for (const { command, args } of outlineOf(glyph)) {
      const [a = 0, b = 0, c = 0, d = 0, e = 0, f = 0] = args;
      if (command === 'moveTo' || command === 'lineTo') {
        const at = { x: px(a), y: py(b) };
        outline.push(command === 'moveTo' ? { to: 'move', ...at } : { to: 'line', ...at });
        [fromX, fromY] = [a, b];
      } else if (command === 'quadraticCurveTo') {
        // As a cubic: the same curve.
        const [x1, y1] = [fromX + ((a - fromX) * 2) / 3, fromY + ((b - fromY) * 2) / 3];
        const [x2, y2] = [c + ((a - c) * 2) / 3, d + ((b - d) * 2) / 3];
        outline.push({ to: 'curve', x1: px(x1), y1: py(y1), x2: px(x2), y2: py(y2), x: px(c), y: py(d) });
        [fromX, fromY] = [c, d];
      } else if (command === 'bezierCurveTo') {
        outline.push({ to: 'curve', x1: px(a), y1: py(b), x2: px(c), y2: py(d), x: px(e), y: py(f) });
        [fromX, fromY] = [e, f];
      } else outline.push({ to: 'close' });
    }
    x += xAdvance * k;
  });
  return { outline, width: x - at };
}

/** A file that somebody brought in, opened; null for one that is no typeface. */
function openOwn(bytes: Uint8Array): Font | null {
  try {
    const font = create(bytes as Buffer);
    return 'layout' in font && font.unitsPerEm > 0 ? font : null;
  } catch {
    return null;
  }
}

/** What a typeface file calls itself, empty where it does not say; null for one that no letters can be set in. */
export function nameOfTypeface(bytes: Uint8Array): string | null {
  const font = openOwn(bytes);
  if (!font) return null;
  try {
    const some = font.characterSet.slice(0, 40).map((point) => String.fromCodePoint(point));
    const drawn = some.flatMap((letter) =>
      font.layout(letter).glyphs.map((glyph) => glyph.path.commands.length),
    );
    return drawn.some((steps) => steps > 0) ? (font.fullName ?? font.familyName ?? '').trim() : null;
  } catch {
    return null;
  }
}

/** A file that somebody brought in, by its sum; undefined where it is not there. */
export type OwnFile = (sha256: string) => Uint8Array | undefined;

/**
 * A shaper of some files: those of the asked family first, then any that have the letters, in the order given. Letters
 * that a typeface of somebody's own lacks are drawn by those that ship.
 */
export function shaperOf(files: readonly FaceFile[], ownFile: OwnFile = () => undefined): Shaper {
  const opened = files.map((file) => ({ ...file, font: undefined as Font | undefined }));
  const fontOf = (file: (typeof opened)[number]) => (file.font ??= create(file.bytes as Buffer) as Font);
  const known = new Map<string, ShapedLine>();
  const chosen = new Map<string, Font[]>();
  const keyOf = (face: Face) => (isOwn(face) ? face.own : `${face.family} ${face.weight}`);
  const fontsFor = (face: Face): Font[] => {
    const key = keyOf(face);
    const there = chosen.get(key);
    if (there) return there;
    if (isOwn(face)) {
      const bytes = ownFile(face.own);
      const font = bytes && openOwn(bytes);
      const fonts = [...(font ? [font] : []), ...fontsFor(faceBehindOwn)];
      // One that is not there yet is asked for again.
      if (font) chosen.set(key, fonts);
      return fonts;
    }
    const { family, weight } = face;
    const fits = opened.filter((f) => f.weight === weight || f.weight === 'any');
    const own = fits.filter((f) => f.family === family);
    const fonts = [...own, ...fits.filter((f) => f.family !== family)].map(fontOf);
    chosen.set(key, fonts);
    return fonts;
  };
  const shape = (text: string, face: Face): ShapedLine => {
    const key = `${keyOf(face)} ${text}`;
    const there = known.get(key);
    if (there) return there;
    const outline: Stroke[] = [];
    let width = 0;
    for (const run of inSight(runsOf(text, fontsFor(face)))) {
      const part = outlined(run, width);
      // One at a time: a long line has more strokes than a call may have arguments.
      for (const stroke of part.outline) outline.push(stroke);
      width += part.width;
    }
    if (known.size >= mostKnown) known.delete(known.keys().next().value!);
    const line = { width, outline };
    known.set(key, line);
    return line;
  };
  return {
    shape,
    widthOf: (text, face) =>
      text
        .split(/( +)/)
        .filter(Boolean)
        .reduce((sum, word) => sum + shape(word, face).width, 0),
    missing: (text, face) => {
      const lacking = runsOf(text, fontsFor(face)).filter((run) => run.font === null);
      return [...new Set(lacking.flatMap((run) => [...graphemes.segment(run.text)].map((g) => g.segment)))];
    },
  };
}
