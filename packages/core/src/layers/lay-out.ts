import { retimeCues, cuesInFrames } from '../captions/retime.ts';
import { balancedLines } from '../captions/wrap.ts';
import type { Played } from '../edits/cut.ts';
import type { Shaper } from '../letters/shaper.ts';
import { clamp, type Size } from '../picture/geometry.ts';
import { fps, frameToSeconds, type Rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import type { FrameRect } from './clear-area.ts';
import type { PatchContent, Layer, LayerContent, LayerPlace, WordStyle } from './layer.ts';
import type { PlannedLayer, PlannedWords } from './planned-layer.ts';

/** From one line to the next, and the rim around words on a plate, by the letters' size. */
const lineShare = 1.22;
const rimShare = 0.4;
/** A patch reaches so far beyond what it hides, by the frame's shorter side. */
const patchRim = 0.012;

/** What layers are laid out in. */
export interface LayerFrame {
  frame: Size;
  clear: FrameRect;
  /** The master's, and the delivered one. */
  masterRate: Rate;
  rate: Rate;
  /** Delivered. */
  frames: number;
  played: Pick<Played, 'kept' | 'pace'>;
  /** All of the frame that shows what a patch hides, at some time of some delivered spans; null where nothing does. */
  shows: (patch: PatchContent, spans: readonly FrameSpan[]) => FrameRect | null;
}

/** A layer laid out in a version. */
export interface LaidLayer {
  layer: Layer;
  planned: PlannedLayer;
  /** Master frames of it that play. */
  source: FrameSpan;
  /** Letters of it that no typeface has. */
  missing: readonly string[];
}

/** Words wrapped to a width, with their sizes in pixels. */
export function setWords(
  text: string,
  style: WordStyle,
  frame: Size,
  width: number,
  shaper: Shaper,
): { what: PlannedWords; width: number; height: number } {
  const size = Math.max(8, Math.round(style.size * Math.min(frame.width, frame.height)));
  const leading = Math.round(size * lineShare);
  const rim = style.plate ? Math.round(size * rimShare) : 0;
  const measure = (line: string) => shaper.widthOf(line, style.face) * size;
  const room = Math.max(size, width - 2 * rim);
  const lines = text
    .replace(/\r\n?/g, '\n')
    .split('\n')
    .flatMap((paragraph) => (paragraph.trim() ? balancedLines(paragraph, room, measure) : ['']));
  const widest = Math.max(0, ...lines.map(measure));
  return {
    what: {
      kind: 'words',
      face: style.face,
      size,
      leading,
      rim,
      colour: style.colour,
      plate: style.plate,
      shadow: style.shadow,
      align: style.align,
      lines,
    },
    width: Math.ceil(widest) + 2 * rim,
    height: leading * lines.length + 2 * rim,
  };
}

/** Where a box of a size stands; wholly inside the frame where it has the room. */
export function placeBox(
  place: LayerPlace,
  box: { width: number; height: number },
  frame: Size,
  clear: FrameRect,
): PlannedLayer['box'] {
  const unit = Math.min(frame.width, frame.height);
  const along = (
    side: 'start' | 'middle' | 'end',
    from: number,
    room: number,
    length: number,
    by: number,
  ) => {
    if (side === 'start') return from + by;
    if (side === 'end') return from + room - length - by;
    return from + (room - length) / 2 + by;
  };
  const { anchor } = place;
  const sideX = anchor.endsWith('left') ? 'start' : anchor.endsWith('right') ? 'end' : 'middle';
  const sideY = anchor.startsWith('top') ? 'start' : anchor.startsWith('bottom') ? 'end' : 'middle';
  const x = along(sideX, clear.x, clear.width, box.width, place.across * unit);
  const y = along(sideY, clear.y, clear.height, box.height, place.down * unit);
  return {
    x: Math.round(clamp(x, 0, Math.max(0, frame.width - box.width))),
    y: Math.round(clamp(y, 0, Math.max(0, frame.height - box.height))),
    width: box.width,
    height: box.height,
  };
}

/** A place that a box has by the anchor nearest to it: what is moved by hand goes on from where it lies in any frame. */
export function anchored(
  box: PlannedLayer['box'],
  frame: Size,
  clear: FrameRect,
): Pick<LayerPlace, 'anchor' | 'across' | 'down'> {
  const unit = Math.min(frame.width, frame.height);
  const third = (middle: number, from: number, length: number) =>
    middle < from + length / 3 ? 'start' : middle > from + (length * 2) / 3 ? 'end' : 'middle';
  const sideX = third(box.x + box.width / 2, clear.x, clear.width);
  const sideY = third(box.y + box.height / 2, clear.y, clear.height);
  const by = (side: string, at: number, length: number, from: number, room: number) => {
    if (side === 'start') return at - from;
    if (side === 'end') return from + room - at - length;
    return at + length / 2 - from - room / 2;
  };
  const share = (pixels: number) => clamp(Math.round((pixels / unit) * 10_000) / 10_000, -1, 1);
  const words = [
    { start: 'top', middle: '', end: 'bottom' }[sideY],
    { start: 'left', middle: '', end: 'right' }[sideX],
  ];
  return {
    anchor: (words.filter(Boolean).join(' ') || 'middle') as LayerPlace['anchor'],
    across: share(by(sideX, box.x, box.width, clear.x, clear.width)),
    down: share(by(sideY, box.y, box.height, clear.y, clear.height)),
  };
}

/** The size of a picture that fills a width, and no more than the clear area's height. */
function pictureBox(picture: Size, width: number, clear: FrameRect): { width: number; height: number } {
  const k = Math.min(width / picture.width, clear.height / picture.height);
  return {
    width: Math.max(2, Math.round(picture.width * k)),
    height: Math.max(2, Math.round(picture.height * k)),
  };
}

/** The delivered frames of a span of the master. */
function deliveredSpans(span: FrameSpan, { played, masterRate, rate, frames }: LayerFrame): FrameSpan[] {
  const cue = {
    from: frameToSeconds(span.from, masterRate),
    to: frameToSeconds(span.to, masterRate),
    lines: [],
  };
  return cuesInFrames(retimeCues([cue], played, masterRate), rate, frames).map(({ from, to }) => ({
    from,
    to,
  }));
}

/** A patch; null where its version does not show what it hides. */
function patchOf(
  patch: PatchContent,
  spans: readonly FrameSpan[],
  { shows, frame }: LayerFrame,
): Pick<PlannedLayer, 'what' | 'box'> | null {
  const shown = shows(patch, spans);
  if (!shown) return null;
  // Letters have soft edges and shadows, and who drew the keep drew it close.
  const rim = Math.ceil(patchRim * Math.min(frame.width, frame.height));
  const x = clamp(Math.floor(shown.x) - rim, 0, frame.width);
  const y = clamp(Math.floor(shown.y) - rim, 0, frame.height);
  const width = clamp(Math.ceil(shown.x + shown.width) + rim, 0, frame.width) - x;
  const height = clamp(Math.ceil(shown.y + shown.height) + rim, 0, frame.height) - y;
  const { colour, soft } = patch;
  return { what: { kind: 'patch', colour, ...(soft ? { soft } : {}) }, box: { x, y, width, height } };
}

function contentOf(
  what: Exclude<LayerContent, PatchContent>,
  place: LayerPlace,
  { frame, clear }: LayerFrame,
  shaper: Shaper,
): { what: PlannedLayer['what']; width: number; height: number } {
  const width = place.width * clear.width;
  if (what.kind === 'words') return setWords(what.text, what.style, frame, width, shaper);
  if (what.kind === 'picture')
    return {
      what: { kind: 'picture', sha256: what.picture.sha256 },
      ...pictureBox(what.picture, width, clear),
    };
  const { sha256, rate, frames, alpha } = what.film;
  return {
    what: { kind: 'film', sha256, blend: what.blend, alpha, seconds: frameToSeconds(frames, rate) },
    ...pictureBox(what.film, width, clear),
  };
}

/** What of a layer is drawn, and where; null where its version shows nothing of it. */
function drawnIn(
  { what, place }: Layer,
  spans: readonly FrameSpan[],
  into: LayerFrame,
  shaper: Shaper,
): Pick<PlannedLayer, 'what' | 'box'> | null {
  if (what.kind === 'patch') return patchOf(what, spans, into);
  const { width, height, what: drawn } = contentOf(what, place, into, shaper);
  return { what: drawn, box: placeBox(place, { width, height }, into.frame, into.clear) };
}

/**
 * Lays layers out in a version, the nearest first, as they are listed; those that are cut away are left out.
 *
 * @param layers as this version shows them
 */
export function layOutLayers(layers: readonly Layer[], into: LayerFrame, shaper: Shaper): LaidLayer[] {
  return layers.flatMap((layer) => {
    if (layer.what.kind === 'words' && !layer.what.text.trim()) return [];
    const spans = deliveredSpans(layer.span, into);
    if (!spans.length) return [];
    const drawn = drawnIn(layer, spans, into, shaper);
    if (!drawn) return [];
    const frames = (seconds: number) => Math.round(seconds * fps(into.rate));
    const planned: PlannedLayer = {
      spans,
      fadeIn: frames(layer.fadeIn),
      fadeOut: frames(layer.fadeOut),
      ...drawn,
    };
    const missing =
      layer.what.kind === 'words'
        ? shaper.missing(layer.what.text.replace(/\n/g, ' '), layer.what.style.face)
        : [];
    return [{ layer, planned, source: layer.span, missing }];
  });
}
