import type { BurnedCaptions } from '../captions/burned.ts';
import { captionFace } from '../letters/face.ts';
import type { Shaper } from '../letters/shaper.ts';
import { frameToSeconds, type Rate } from '../time/rate.ts';
import type { PlannedLayer, PlannedWords } from './planned-layer.ts';

/** What is drawn with: a 2D canvas, in a browser or on the server. */
export interface Pen {
  save(): void;
  restore(): void;
  translate(x: number, y: number): void;
  scale(x: number, y: number): void;
  beginPath(): void;
  moveTo(x: number, y: number): void;
  lineTo(x: number, y: number): void;
  bezierCurveTo(x1: number, y1: number, x2: number, y2: number, x: number, y: number): void;
  closePath(): void;
  fill(): void;
  roundRect(x: number, y: number, width: number, height: number, radius: number): void;
  globalAlpha: number;
  fillStyle: unknown;
}

/** Where letters stand on their line, by the line's height. */
const baseline = 0.74;
/** A shadow lies so far off, by the letters' size, and is so dark. */
const shadowOff = 0.045;
const shadowDark = 0.65;
/** Corners of a plate, by its rim. */
const plateCorner = 0.5;

/** Captions are pale letters on a dark plate that lets a little of the film through. */
const captionLook = {
  kind: 'words',
  face: captionFace,
  colour: '#ffffff',
  plate: { colour: '#0e1014', opacity: 0.8 },
  shadow: false,
  align: 'middle',
} as const;

/** Fills a box. */
function paintPatch(pen: Pen, box: PlannedLayer['box'], colour: string): void {
  pen.fillStyle = colour;
  pen.beginPath();
  pen.roundRect(box.x, box.y, box.width, box.height, 0);
  pen.fill();
}

/** Draws one line; its letters stand on `y`. */
function paintLine(pen: Pen, shaper: Shaper, text: string, face: PlannedWords['face'], size: number): void {
  pen.beginPath();
  for (const s of shaper.shape(text, face).outline) {
    if (s.to === 'close') pen.closePath();
    else if (s.to === 'move') pen.moveTo(s.x * size, s.y * size);
    else if (s.to === 'line') pen.lineTo(s.x * size, s.y * size);
    else pen.bezierCurveTo(s.x1 * size, s.y1 * size, s.x2 * size, s.y2 * size, s.x * size, s.y * size);
  }
  pen.fill();
}

/** Draws words into their box; the pen's origin is the frame's corner. */
function paintWords(pen: Pen, box: PlannedLayer['box'], what: PlannedWords, shaper: Shaper): void {
  const { size, leading, rim, face, lines, align } = what;
  if (what.plate) {
    pen.save();
    pen.globalAlpha *= what.plate.opacity;
    pen.fillStyle = what.plate.colour;
    pen.beginPath();
    pen.roundRect(box.x, box.y, box.width, box.height, rim * plateCorner);
    pen.fill();
    pen.restore();
  }
  lines.forEach((line, i) => {
    const free = box.width - 2 * rim - shaper.widthOf(line, face) * size;
    const x = box.x + rim + (align === 'left' ? 0 : align === 'right' ? free : free / 2);
    const y = box.y + rim + leading * (i + baseline);
    if (what.shadow) {
      pen.save();
      pen.globalAlpha *= shadowDark;
      pen.fillStyle = '#000000';
      pen.translate(x + size * shadowOff, y + size * shadowOff);
      paintLine(pen, shaper, line, face, size);
      pen.restore();
    }
    pen.save();
    pen.fillStyle = what.colour;
    pen.translate(x, y);
    paintLine(pen, shaper, line, face, size);
    pen.restore();
  });
}

/** Draws a cue's lines into the captions' band: in the middle, standing on its lower edge. */
export function paintCue(
  pen: Pen,
  { x, y, width, height, size, leading, rim }: BurnedCaptions['band'],
  lines: readonly string[],
  shaper: Shaper,
): void {
  if (!lines.length) return;
  const widest = Math.max(...lines.map((line) => shaper.widthOf(line, captionFace) * size));
  const high = leading * lines.length + 2 * rim;
  const box = {
    x: x + (width - widest) / 2 - rim,
    y: y + height - high,
    width: widest + 2 * rim,
    height: high,
  };
  paintWords(pen, box, { ...captionLook, size, leading, rim, lines: [...lines] }, shaper);
}

/** How much of a layer is there at a delivered frame, 0 to 1. */
export function opacityAt({ spans, fadeIn, fadeOut }: PlannedLayer, frame: number): number {
  const span = spans.find((s) => frame >= s.from && frame < s.to);
  if (!span) return 0;
  // The first frame of a fade already shows something, and the last still does.
  return Math.min(1, (frame - span.from + 1) / (fadeIn + 1), (span.to - frame) / (fadeOut + 1));
}

/**
 * Where a film that is a layer stands at a delivered frame, seconds from its start: it runs on over a cut, and begins
 * with the layer. Null where it is not shown, or has ended.
 */
export function layerFilmAt({ spans, what }: PlannedLayer, frame: number, rate: Rate): number | null {
  if (what.kind !== 'film') return null;
  let before = 0;
  for (const { from, to } of spans) {
    if (frame >= from && frame < to) {
      const at = frameToSeconds(before + frame - from, rate);
      return at < what.seconds ? at : null;
    }
    before += to - from;
  }
  return null;
}

/** What is drawn over a version's picture. */
export interface LaidOver {
  layers?: readonly PlannedLayer[] | undefined;
  captions?: BurnedCaptions | undefined;
}

/** The cue that is shown at a delivered frame. */
export const cueAt = (captions: BurnedCaptions | undefined, frame: number) =>
  captions?.cues.find((c) => frame >= c.from && frame < c.to);

/**
 * Draws everything that is laid over a version at a delivered frame: layers from the farthest to the nearest, then the
 * captions. The pen's scale makes it as large as it is wanted.
 *
 * @param picture draws a picture, a film's frame, or the film's own soft picture into its box
 */
export function paintLaidOver<P extends Pen>(
  pen: P,
  { layers = [], captions }: LaidOver,
  frame: number,
  shaper: Shaper,
  picture: (pen: P, layer: PlannedLayer, frame: number) => void,
): void {
  for (const layer of [...layers].reverse()) {
    const opacity = opacityAt(layer, frame);
    if (opacity === 0) continue;
    pen.save();
    pen.globalAlpha = opacity;
    if (layer.what.kind === 'words') paintWords(pen, layer.box, layer.what, shaper);
    else if (layer.what.kind === 'patch' && !layer.what.soft) paintPatch(pen, layer.box, layer.what.colour);
    else picture(pen, layer, frame);
    pen.restore();
  }
  const cue = cueAt(captions, frame);
  if (cue && captions) paintCue(pen, bandOf(captions, cue), cue.lines, shaper);
}

/** The band that a cue stands in: the captions' own, or moved up or down for this one. */
export const bandOf = (
  { band }: BurnedCaptions,
  cue: BurnedCaptions['cues'][number],
): BurnedCaptions['band'] => (cue.y === undefined ? band : { ...band, y: cue.y });
