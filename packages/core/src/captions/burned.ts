import * as z from 'zod';
import type { Cue } from '../interchange/captions.ts';
import type { Margins, FrameFraction, Size } from '../picture/geometry.ts';
import type { Rate } from '../time/rate.ts';
import { captionBand } from './place.ts';
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
  cues: z.array(z.object({ from: pixels, to: pixels, lines: z.array(z.string()) })),
});
export type BurnedCaptions = z.infer<typeof burnedCaptionsSchema>;

/** What captions are fitted into. */
interface CaptionFrame {
  frame: Size;
  rate: Rate;
  /** Length of the version, delivered frames. */
  frames: number;
  safeMargin?: Margins | undefined;
  blocked?: readonly FrameFraction[] | undefined;
}

/**
 * Lays captions out in a frame: clear of margin and blocked areas, at most two lines, none longer than the area and than
 * is usual. Null where the frame has no room for them.
 *
 * @param cues as they play in the version, seconds
 * @param widthOf width of a text in pixels at a size of letters
 */
export function layOutCaptions(
  cues: readonly Cue[],
  { frame, rate, frames, safeMargin, blocked }: CaptionFrame,
  widthOf: (text: string, size: number) => number,
): BurnedCaptions | null {
  const band = captionBand(frame, safeMargin, blocked);
  if (!band) return null;
  const room = band.width - 2 * band.rim;
  // A line is full when its letters or its width are.
  const fullness: Measure = (text) =>
    Math.max(widthOf(text, band.size) / room, countCharacters(text) / mostCharacters);
  return { band, cues: cuesInFrames(wrapCues(cues, 1, fullness), rate, frames) };
}
