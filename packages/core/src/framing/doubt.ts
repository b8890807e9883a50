import type { Size } from '../picture/geometry.ts';
import { placeAt, type ShotLook, type Track } from '../subjects/look.ts';
import { isLiving } from '../subjects/living.ts';
import { fps, type Rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import type { FrameRules } from '../checks/visibility.ts';
import { candidatesIn } from './follow.ts';

const { log, max, min, sqrt } = Math;

/** How likely it is that a window goes by the wrong subject, or by less than the whole of it: points off its figure, with words. */
export interface Doubt {
  points: number;
  words: string;
}

/** A rival so close that the choice might as well have fallen on it. */
const closeRival = 0.72;
/** A subject whose box changes by more than this from one second to the next is seen in pieces; natural logarithm of its size. */
const unsteady = 0.55;

/** How much a subject's size jumps about, seconds apart: the root mean square of the logarithm of its area. */
function sizeJumps(track: Track, framesPerSecond: number): number {
  const { places } = track;
  let [sum, n, at] = [0, 0, 0];
  for (let i = 1; i < places.length; i++) {
    const [p, q] = [places[at]!, places[i]!];
    if (q.at - p.at < framesPerSecond * 0.5 && i + 1 < places.length) continue;
    sum += log((q.w * q.h) / (p.w * p.h)) ** 2;
    n++;
    at = i;
  }
  return n ? sqrt(sum / n) : 0;
}

/**
 * What speaks against the choice of a subject that nobody has made by hand: that it is known only by its colour or by
 * its movement, that another weighs about as much, that the detector saw nothing it knows, that its box changes its
 * size. How well the chosen box is kept says nothing of that. Calibrated on the labelled set, see `followed.ts`.
 */
export function doubtsOf(
  look: Pick<ShotLook, 'tracks' | 'everythingMoves'>,
  span: FrameSpan,
  track: Track,
  film: { masterSize: Size; rules: FrameRules; rate: Rate },
): Doubt[] {
  if (track.kind === 'drawn') return [];
  const framesPerSecond = fps(film.rate);
  const doubts: Doubt[] = [];
  const say = (points: number, words: string) => points >= 1 && doubts.push({ points, words });
  const weighed = candidatesIn({ look, span, framesPerSecond, ...film });
  const own = weighed.find((c) => c.track.id === track.id)?.score ?? 0;
  const rival = weighed.find((c) => c.track.id !== track.id && !isPartOf(c.track, track));
  const close = own > 0 ? (rival?.score ?? 0) / own : 0;
  if (close > closeRival)
    say(min(30, 12 + 40 * (close - closeRival)), `the ${rival!.track.name} might as well be the subject`);
  // A kite or a ball is known by the detector; what it does not know is called a thing.
  if (track.kind === 'thing' && /\bthing\b/.test(track.name))
    say(24, `nobody knows what the ${track.name} is: it only stands out by its colour`);
  else if (track.kind === 'mover')
    say(look.tracks.some(isLiving) ? 16 : 12, `the ${track.name} is known by its movement alone`);
  else if (track.kind === 'face' && !look.tracks.some((t) => t.kind === 'person' && isPartOf(track, t)))
    say(12, 'only a face is known of who is seen, not the whole of them');
  const jumps = sizeJumps(track, framesPerSecond);
  if (jumps > unsteady) say(min(24, 14 * jumps), `the ${track.name} is seen now larger, now smaller`);
  return doubts.sort((a, b) => b.points - a.points);
}

/** A face in a person, a coat on a walker: not another subject, but a part of the same wherever both are seen. */
function isPartOf(one: Track, other: Track): boolean {
  const { places } = one;
  const looked = [places[0]!, places[places.length >> 1]!, places.at(-1)!];
  return looked.every((p) => {
    const q = placeAt(other, p.at);
    if (!q) return true;
    const width = min(p.x + p.w, q.x + q.w) - max(p.x, q.x);
    const height = min(p.y + p.h, q.y + q.h) - max(p.y, q.y);
    return width > 0 && height > 0 && width * height > 0.6 * min(p.w * p.h, q.w * q.h);
  });
}
