import * as z from 'zod';
import type { Cue } from '../interchange/captions.ts';
import { clearArea, type FrameRect } from '../layers/clear-area.ts';
import { captionFace } from '../letters/face.ts';
import type { Shaper } from '../letters/shaper.ts';
import { overlaps, type FrameFraction, type Margins, type Size } from '../picture/geometry.ts';
import type { FrameSpan } from '../time/span.ts';
import type { Rate } from '../time/rate.ts';
import { captionBand, type CaptionBand } from './place.ts';
import { cuesInFrames } from './retime.ts';
import { countCharacters, mostCharacters, wrapCues, type Measure } from './wrap.ts';

const pixels = z.number().int().nonnegative();

/** Captions as they are drawn into a version's picture: where, how large, and what is shown from which frame to which. */
export const burnedCaptionsSchema = z.object({
  band: z.object({
    x: pixels,
    y: pixels,
    width: pixels,
    height: pixels,
    size: pixels,
    leading: pixels,
    rim: pixels,
  }),
  /** Delivered frames; the end is not included. */
  cues: z.array(
    z.object({
      from: pixels,
      to: pixels,
      lines: z.array(z.string()),
      /** Where the band's upper edge is for this one, where it moves out of the way of something. */
      y: pixels.optional(),
    }),
  ),
});
export type BurnedCaptions = z.infer<typeof burnedCaptionsSchema>;

/** What captions are fitted into. */
export interface CaptionFrame {
  frame: Size;
  rate: Rate;
  /** Length of the version, delivered frames. */
  frames: number;
  safeMargin?: Margins | undefined;
  blocked?: readonly FrameFraction[] | undefined;
  /** What they should not lie over during a span of delivered frames, pixels of the frame. */
  avoid?: ((span: FrameSpan) => readonly FrameRect[]) | undefined;
}

/**
 * Where a cue's band goes so that it lies over nothing that should be seen: the nearest place above or below, inside the
 * clear area; undefined where its own place is free, or none is.
 */
function outOfTheWay(
  band: CaptionBand,
  inTheWay: readonly FrameRect[],
  { frame, safeMargin, blocked = [] }: CaptionFrame,
): number | undefined {
  if (!inTheWay.some((r) => overlaps(r, band))) return undefined;
  const clear = clearArea(frame, safeMargin, []);
  const areas = blocked.map((b) => ({
    x: b.x * frame.width,
    y: b.y * frame.height,
    width: b.width * frame.width,
    height: b.height * frame.height,
  }));
  // Beside a blocked area there is room as well, where what is in the way leaves none nearer.
  const places = [...inTheWay, ...areas]
    .flatMap((r) => [Math.floor((r.y - band.height) / 2) * 2, Math.ceil((r.y + r.height) / 2) * 2])
    .filter((y) => y >= clear.y && y + band.height <= clear.y + clear.height)
    .filter((y) => ![...inTheWay, ...areas].some((r) => overlaps(r, { ...band, y })));
  places.sort((a, b) => Math.abs(a - band.y) - Math.abs(b - band.y));
  return places[0];
}

/** Cues broken into lines as they are drawn in a frame; null where it has no room for them. */
export function wrapForFrame(
  cues: readonly Cue[],
  { frame, safeMargin, blocked }: Pick<CaptionFrame, 'frame' | 'safeMargin' | 'blocked'>,
  shaper: Pick<Shaper, 'widthOf'>,
): { band: CaptionBand; cues: Cue[] } | null {
  const band = captionBand(frame, safeMargin, blocked);
  if (!band) return null;
  const room = band.width - 2 * band.rim;
  // A line is full when its letters or its width are.
  const fullness: Measure = (text) =>
    Math.max((shaper.widthOf(text, captionFace) * band.size) / room, countCharacters(text) / mostCharacters);
  return { band, cues: wrapCues(cues, 1, fullness) };
}

/**
 * Lays captions out in a frame: clear of margin and blocked areas, at most two lines, none longer than the area and than
 * is usual. Null where the frame has no room for them.
 *
 * @param cues as they play in the version, seconds
 */
export function layOutCaptions(
  cues: readonly Cue[],
  into: CaptionFrame,
  shaper: Pick<Shaper, 'widthOf'>,
): BurnedCaptions | null {
  const { rate, frames, avoid } = into;
  const wrapped = wrapForFrame(cues, into, shaper);
  if (!wrapped) return null;
  const { band } = wrapped;
  const placed = cuesInFrames(wrapped.cues, rate, frames).map((cue) => {
    const y = avoid && outOfTheWay(band, avoid(cue), into);
    return y === undefined ? cue : { ...cue, y };
  });
  return { band, cues: placed };
}
