import type { FrameRules } from '../checks/visibility.ts';
import { insideMargins } from '../picture/safe.ts';
import type { Size } from '../picture/geometry.ts';
import { placeAt, type Track } from '../subjects/look.ts';
import type { FrameSpan } from '../time/span.ts';
import type { Doubt } from './doubt.ts';
import { filled, stretchAt, type Framing } from './framing.ts';
import { moveWriter } from './move.ts';
import { largestWindowSize } from '../picture/fit.ts';

const { abs, max, min, sign, sqrt } = Math;

/**
 * The edges of what was seen are known to this share of its width and height: on photographs with known subjects, nine
 * boxes of ten were short of them by no more where they stood still, and by up to twice as much where they went.
 */
const edgeKnown = 0.06;
/** From this share of the time on, a window that leaves less room than that is said to. */
const oftenTight = 0.25;
/** The most that a subject is scored whose edges may be cut unseen. */
const mostWhenTight = 88;

/** How well a shot is followed. Shares are of the frames in which the subject is in the picture. */
export interface Judgement {
  /** The whole subject is inside the frame. */
  inside: number;
  /** Its middle is inside. */
  centre: number;
  /** The whole of it is where the outlet draws nothing, inside the margin. */
  clear: number;
  /** Share of the span in which the subject is in the picture at all. */
  present: number;
  /** How surely it was seen, 0 to 1. */
  sure: number;
  /** The window's greatest and its root-mean-square acceleration, frame widths a second squared. */
  peak: number;
  rms: number;
  /** How often a second the window turns back. */
  turns: number;
  /** All of it in one figure, 0 to 100. */
  figure: number;
  /** What a person should know, worst first; empty where nothing is. */
  words: string[];
}

/**
 * Judges how a framing treats a subject through a span, and how likely it is the right one.
 *
 * @param doubts what speaks against the choice of the subject, where no person has made it
 */
export function judgeFollowing(
  framing: Framing,
  span: FrameSpan,
  track: Track,
  masterSize: Size,
  rules: FrameRules,
  framesPerSecond: number,
  doubts: readonly Doubt[] = [],
): Judgement {
  const stretch = stretchAt(framing, span.from);
  const write = moveWriter(stretch.move, masterSize, rules.frameSize);
  const largest = largestWindowSize(masterSize, rules.frameSize);
  const whole = (stretch.fill ?? filled).kind !== 'filled';
  const inner = rules.margins ? insideMargins(rules.margins) : { x: 0, y: 0, width: 1, height: 1 };
  const pose = new Float64Array(3);
  let [n, inside, centre, clear, tight, sure, squares, peak, turns] = [0, 0, 0, 0, 0, 0, 0, 0, 0];
  let [x1, v1, way] = [NaN, NaN, 0];
  const limitMargin = 0.004;
  for (let f = span.from; f < span.to; f++) {
    write(f - stretch.from, pose);
    const [w, h] = [
      largest.width / pose[2]! / masterSize.width,
      largest.height / pose[2]! / masterSize.height,
    ];
    const [left, top] = [max(0, min(1 - w, pose[0]! - w / 2)), max(0, min(1 - h, pose[1]! - h / 2))];
    const x = left / w;
    const v = (x - x1) * framesPerSecond;
    const a = (v - v1) * framesPerSecond;
    if (a === a) {
      squares += a * a;
      peak = max(peak, abs(a));
    }
    if (v === v && abs(v) > 0.02) {
      if (way !== 0 && sign(v) !== way) turns++;
      way = sign(v);
    }
    [v1, x1] = [v, x];
    const p = placeAt(track, f);
    if (!p) continue;
    n++;
    sure += p.sure;
    const [fx, fy, fw, fh] = [(p.x - left) / w, (p.y - top) / h, p.w / w, p.h / h];
    if (whole) {
      inside++;
      centre++;
      clear++;
      continue;
    }
    // What the picture's own edge cuts, no window can help.
    const cutLeft = p.x <= limitMargin && left <= limitMargin * 0.1;
    const cutRight = p.x + p.w >= 1 - limitMargin && left + w >= 1 - limitMargin * 0.1;
    if (
      (fx >= -limitMargin || cutLeft) &&
      fy >= -limitMargin &&
      (fx + fw <= 1 + limitMargin || cutRight) &&
      fy + fh <= 1 + limitMargin
    )
      inside++;
    // Beyond the picture's own edge nothing is left to be cut.
    if (
      (left > limitMargin && fx < edgeKnown * fw) ||
      (left + w < 1 - limitMargin && fx + fw > 1 - edgeKnown * fw) ||
      (top > limitMargin && fy < edgeKnown * fh) ||
      (top + h < 1 - limitMargin && fy + fh > 1 - edgeKnown * fh)
    )
      tight++;
    if (fx + fw / 2 >= 0 && fx + fw / 2 <= 1 && fy + fh / 2 >= 0 && fy + fh / 2 <= 1) centre++;
    const blocked = rules.blocked.some(
      (b) =>
        fx + fw * 0.25 < b.x + b.width &&
        b.x < fx + fw * 0.75 &&
        fy + fh * 0.25 < b.y + b.height &&
        b.y < fy + fh * 0.75,
    );
    if (!blocked && fx >= inner.x - 0.01 && fx + fw <= inner.x + inner.width + 0.01) clear++;
  }
  const length = max(1, span.to - span.from);
  const share = (k: number) => (n ? k / n : 0);
  const result = {
    inside: share(inside),
    centre: share(centre),
    clear: share(clear),
    present: n / length,
    sure: share(sure),
    peak,
    rms: sqrt(squares / max(1, length - 2)),
    turns: turns / (length / framesPerSecond),
  };
  const words: [number, string][] = [];
  const seconds = (k: number) => `${max(0.1, k / framesPerSecond).toFixed(1)} s`;
  const say = (bad: number, sentence: string) => bad > 0 && words.push([bad, sentence]);
  say(
    centre < n ? 40 + 60 * (1 - result.centre) : 0,
    `the ${track.name} is out of the frame for ${seconds(n - centre)}`,
  );
  say(
    inside < n * 0.97 && centre === n ? 12 + 40 * (1 - result.inside) : 0,
    `the ${track.name} is cut at the edge for ${seconds(n - inside)}`,
  );
  say(
    result.present < 0.75 ? 22 * (1 - result.present) : 0,
    `the ${track.name} was seen for ${seconds(n)} of ${seconds(length)}`,
  );
  say(result.sure < 0.55 ? 60 * (0.55 - result.sure) + 8 : 0, 'it was not seen very surely');
  say(
    result.clear < 0.6 && inside > 0 ? 14 * (1 - result.clear) : 0,
    `the ${track.name} is where the outlet draws for ${seconds(n - clear)}`,
  );
  say(result.turns > 0.5 ? 10 * result.turns : 0, 'the window turns back often');
  // What a person has drawn is known to its edges.
  const isTight = track.kind !== 'drawn' && tight > n * oftenTight;
  say(
    isTight && inside >= n * 0.97 ? 3 : 0,
    `the ${track.name} fills the frame so nearly that its edges may be cut`,
  );
  for (const doubt of doubts) say(doubt.points, doubt.words);
  words.sort((a, b) => b[0] - a[0]);
  return {
    ...result,
    figure: Math.round(
      max(0, min(isTight ? mostWhenTight : 100, 100 - words.reduce((sum, [bad]) => sum + bad, 0))),
    ),
    words: words.map(([, w]) => w),
  };
}

/** Below this figure a shot is worth a look. */
export const worthALook = 85;
