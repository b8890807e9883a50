import { median } from '../median.ts';
import type { FrameRules } from '../checks/visibility.ts';
import { keepAt, type Keep } from '../checks/keeps.ts';
import { insideMargins } from '../picture/safe.ts';
import { largestWindowSize } from '../picture/fit.ts';
import type { Size } from '../picture/geometry.ts';
import { belongs, headOf } from '../subjects/head.ts';
import { isKnown, isLiving } from '../subjects/living.ts';
import { placeAt, type ShotLook, type Track, type TrackedBox } from '../subjects/look.ts';
import type { FrameSpan } from '../time/span.ts';
import type { FramingDecision } from './framing.ts';
import { livelyLimits } from './lively.ts';
import type { FollowMove, SetPoint, SetSpan } from './moves/follow.ts';
import type { Move } from './moves/kinds.ts';
import { solvePath, type Band, type PathProblem } from './solve-path.ts';
import { controlsFor, splineAt } from './spline.ts';

const { abs, hypot, max, min, round, sqrt } = Math;

/** What a window is to be chosen for. */
export interface FollowQuestion {
  span: FrameSpan;
  /** What was seen in the shot that the span lies in. */
  look: Pick0<ShotLook, 'tracks' | 'everythingMoves'>;
  keeps: readonly Keep[];
  masterSize: Size;
  rules: FrameRules;
  framesPerSecond: number;
  /** Calm 0 to lively 1. */
  lively: number;
  zoom?: number;
  /** The subject to go by, where a person has said; null: none. */
  subject?: string | null | undefined;
  /** What was followed in the shots before, the newest last: the same subject is rather followed again. */
  before?: readonly { name: string; setup: string; x: number }[];
  setup?: string;
  /** Fixed by hand, frames from the span's start. */
  points?: readonly SetPoint[];
  spans?: readonly SetSpan[];
}
type Pick0<T, K extends keyof T> = { [P in K]: T[P] };

/** What was chosen. */
export interface FollowChoice {
  move: Move;
  pick: Omit<FramingDecision, 'seen' | 'before' | 'named'>;
  /** Limits gave way to points set by hand, by this factor. */
  relaxed: number;
}

/** A candidate for following, with what speaks for it. */
export interface Candidate {
  track: Track;
  score: number;
}

/** Seconds from knot to knot of a way. */
const knotSeconds = 0.28;
/** The subject keeps this far from the frame's edge, fraction of the frame, where there is room. */
const edge = 0.07;
/** A subject that keeps within this is not worth a move of the window: it sways, it does not go. */
const swayed = 0.04;
/** Lead room: the most that a subject stands behind the frame's middle in its direction of travel, fraction of the frame. */
const mostLead = 0.1;
/**
 * What counts for how much among subjects that are alike in all else: people and animals before vehicles, these before
 * what is known by its movement alone, and that before what only stands out by its colour.
 */
const weightOf: Readonly<Record<Track['kind'], number>> = {
  drawn: 5,
  person: 1.8,
  face: 1.7,
  animal: 1.65,
  vehicle: 1.25,
  mover: 0.95,
  thing: 0.55,
};
/** Below the first size nobody is known well enough to come before a thing; from the second on everybody is. Fractions of the picture's side. */
const [tooSmall, largeEnough] = [0.035, 0.1];

/** What a kind counts for at a size: a bird far off in the sky is no more than anything else that is as small. */
function weightAt(kind: Track['kind'], size: number): number {
  const weight = weightOf[kind];
  if (kind === 'drawn' || weight <= 1) return weight;
  const share = max(0, min(1, (size - tooSmall) / (largeEnough - tooSmall)));
  return 0.6 + (weight - 0.6) * share;
}
/** Shots so short are never moved in, seconds. */
const tooShortToMove = 0.5;

/**
 * Weighs the subjects of a span: how large, how central, how much they move, how long they are there, how surely they
 * were seen, people and faces before things, and whoever was followed before.
 */
export function candidatesIn({
  look,
  span,
  before = [],
  setup,
  framesPerSecond,
}: Pick0<FollowQuestion, 'look' | 'span' | 'framesPerSecond'> & Partial<FollowQuestion>): Candidate[] {
  const step = max(1, round((span.to - span.from) / 40));
  const scored = look.tracks.map((track): Candidate => {
    let [n, size, off, sure, way] = [0, 0, 0, 0, 0];
    let last: { x: number; y: number } | null = null;
    for (let f = span.from; f < span.to; f += step) {
      const p = placeAt(track, f);
      if (!p) continue;
      n++;
      size += sqrt(p.w * p.h);
      sure += p.sure;
      const middle = { x: p.x + p.w / 2, y: p.y + p.h / 2 };
      off += hypot((middle.x - 0.5) * 1.1, (middle.y - 0.5) * 0.8);
      if (last) way += hypot(middle.x - last.x, middle.y - last.y);
      last = middle;
    }
    if (!n) return { track, score: 0 };
    const there = n / Math.ceil((span.to - span.from) / step);
    const speed = way / max(0.4, (span.to - span.from) / framesPerSecond);
    // Something still that merely stands out in colour gives way to what moves; who is known need not move.
    const moves = min(1, speed / 0.12);
    const still = isKnown(track) ? 0.85 : 0.55;
    // A child in a meadow is small and counts; a bird far off in the sky is smaller still, and does not.
    const large = min(0.34, size / n);
    const base =
      (large * 2.2 + 0.12 * min(1, large / 0.06)) *
      (1.25 - min(0.8, off / n)) *
      (0.35 + 0.65 * there) *
      (0.5 + 0.5 * (sure / n)) *
      (still + (1 - still) * moves);
    const same = before.some((b) => b.name === track.name && (b.setup === setup || b === before.at(-1)));
    return { track, score: base * weightAt(track.kind, large) * (same ? 1.25 : 1) };
  });
  return scored.filter((c) => c.score > 0.02).sort((a, b) => b.score - a.score);
}

/** The largest part of a master that a question's window shows, shares of the master's sides. */
function windowSides(q: FollowQuestion): { x: number; y: number } {
  const window = largestWindowSize(q.masterSize, q.rules.frameSize);
  const zoom = q.zoom ?? 1;
  return { x: window.width / zoom / q.masterSize.width, y: window.height / zoom / q.masterSize.height };
}

/** The face of a person, or the person of a face; undefined where only one of them is seen. */
function partnerOf(one: Track, tracks: readonly Track[]): Track | undefined {
  if (one.kind === 'face') return tracks.find((t) => t.kind === 'person' && belongs(one, t));
  if (one.kind !== 'person') return undefined;
  const size = (t: Track) => median(t.places.map((p) => p.w * p.h))!;
  // Of several faces in one box the largest is the one in front.
  return tracks.filter((t) => t.kind === 'face' && belongs(t, one)).sort((p, q) => size(q) - size(p))[0];
}

/**
 * A face and the person whose it is are one subject. The whole of it counts, head to foot, as long as the window can
 * show it; of somebody who is larger than the window, the face.
 */
function wholePerson(chosen: Track, q: FollowQuestion): Track {
  const { tracks } = q.look;
  const partner = partnerOf(chosen, tracks);
  if (!partner) return chosen;
  const sides = windowSides(q);
  const [face, person] = chosen.kind === 'face' ? [chosen, partner] : [partner, chosen];
  const size = median(person.places.map((p) => max(p.w / sides.x, p.h / sides.y)))!;
  return size <= 1 ? person : face;
}

/** A face at least so high is what a shot is about, whatever else moves or stands out in it; share of the picture. */
const closeUp = 0.14;

/** The largest face of a close-up, where one is seen for most of a span and nobody weighs more. */
function faceOfCloseUp(candidates: readonly Candidate[], span: FrameSpan): Track | undefined {
  return candidates.find(({ track }) => {
    if (track.kind !== 'face') return false;
    const { places } = track;
    const there = min(span.to, places.at(-1)!.at + 1) - max(span.from, places[0]!.at);
    return there > 0.5 * (span.to - span.from) && median(places.map((p) => p.h))! >= closeUp;
  })?.track;
}

/** A place in [0,1], to a millionth: far less than a pixel. */
const tidy = (v: number) => round(min(1, max(0, v)) * 1e6) / 1e6;

/** One axis of the question: places in frame widths (or heights) of the window, knot by knot. */
interface Axis {
  /** Window's side as a fraction of the master's. */
  side: number;
  high: number;
  keeps: Band;
  /** Keeps clear of what the outlet draws as well, where there is room. */
  keepsClear: Band;
  outer: Band;
  comfort: Band;
  wanted: Float64Array;
  pull: Float64Array;
  /** At some knot what should be seen is wider than the window. */
  tooWide: boolean;
}

const none = (n: number) => new Float64Array(n).fill(NaN);

/** The part of an axis that is free of what the outlet draws, at a band of the other axis: the widest run, fractions of the frame. */
function clearRun(rules: FrameRules, axis: 'x' | 'y', from: number, to: number): [number, number] {
  const inner = rules.margins ? insideMargins(rules.margins) : { x: 0, y: 0, width: 1, height: 1 };
  const [start, end] = axis === 'x' ? [inner.x, inner.x + inner.width] : [inner.y, inner.y + inner.height];
  let free: [number, number][] = [[start, end]];
  for (const b of rules.blocked) {
    const [cross0, cross1] = axis === 'x' ? [b.y, b.y + b.height] : [b.x, b.x + b.width];
    if (cross1 <= from || cross0 >= to) continue;
    const [b0, b1] = axis === 'x' ? [b.x, b.x + b.width] : [b.y, b.y + b.height];
    free = free.flatMap(([s, e]) =>
      b1 <= s || b0 >= e
        ? [[s, e] as [number, number]]
        : [[s, b0] as [number, number], [b1, e] as [number, number]].filter(([p, q]) => q - p > 0.02),
    );
  }
  return free.sort((p, q) => q[1] - q[0] - (p[1] - p[0]))[0] ?? [start, end];
}

/** True for a keep that some place of the window shows whole. */
function fitsWindow(keep: Keep, q: FollowQuestion): boolean {
  const window = largestWindowSize(q.masterSize, q.rules.frameSize);
  const zoom = q.zoom ?? 1;
  return keep.keys.every(
    (k) =>
      k.width * q.masterSize.width <= window.width / zoom + 0.5 &&
      k.height * q.masterSize.height <= window.height / zoom + 0.5,
  );
}

/** Sets the question up along one axis. */
function axisOf(
  q: FollowQuestion,
  axis: 'x' | 'y',
  subjects: readonly Track[],
  knots: number,
  step: number,
): Axis {
  const window = largestWindowSize(q.masterSize, q.rules.frameSize);
  const zoom = q.zoom ?? 1;
  const sides = {
    x: window.width / zoom / q.masterSize.width,
    y: window.height / zoom / q.masterSize.height,
  };
  const side = sides[axis];
  const high = max(0, 1 / side - 1);
  const result: Axis = {
    side,
    high: high < 1e-9 ? 0 : high,
    keeps: { low: none(knots), high: none(knots), weight: 1000 },
    keepsClear: { low: none(knots), high: none(knots), weight: 40 },
    outer: { low: none(knots), high: none(knots), weight: 200 },
    comfort: { low: none(knots), high: none(knots), weight: 6 },
    wanted: new Float64Array(knots),
    pull: new Float64Array(knots),
    tooWide: false,
  };
  if (result.high === 0) return result;
  const band = (b: Band, k: number, low: number, high: number, strict: boolean) => {
    // Too wide to fit: its middle is held on to.
    if (low > high) low = high = (low + high) / 2;
    const [l, h] = [max(0, min(result.high, low)), max(0, min(result.high, high))];
    if (b.low[k] !== b.low[k] || !strict) [b.low[k], b.high[k]] = [l, h];
    else {
      // Two things that must both be seen: where both can be, else between them.
      const [ll, hh] = [max(b.low[k]!, l), min(b.high[k]!, h)];
      [b.low[k], b.high[k]] = ll <= hh ? [ll, hh] : [(ll + hh) / 2, (ll + hh) / 2];
    }
  };
  const long = axis === 'x' ? 'w' : 'h';
  const other = axis === 'x' ? 'y' : 'x';
  const otherLong = axis === 'x' ? 'h' : 'w';
  const middleOfOther = (1 - sides[other]) / 2;
  for (let k = 0; k < knots; k++) {
    const frame = min(q.span.to - 1, round(q.span.from + k * step));
    for (const keep of q.keeps) {
      if (!fitsWindow(keep, q)) continue;
      if (frame < keep.span.from || frame >= keep.span.to) continue;
      const box = keepAt(keep, frame);
      const [at, size] = axis === 'x' ? [box.x, box.width] : [box.y, box.height];
      band(result.keeps, k, (at + size) / side - 1, at / side, true);
      const [across, long] = axis === 'x' ? [box.y, box.height] : [box.x, box.width];
      const [clear0, clear1] = clearRun(
        q.rules,
        axis,
        (across - middleOfOther) / sides[other],
        (across + long - middleOfOther) / sides[other],
      );
      if (clear1 - clear0 > size / side)
        band(result.keepsClear, k, (at + size) / side - clear1, at / side - clear0, true);
    }
    let [sure, start, end, crossStart, crossEnd] = [0, 1, 0, 1, 0];
    for (const track of subjects) {
      const seen = placeNear(track, frame, q.span);
      if (!seen) continue;
      const place = track.kind === 'face' ? headIn(seen, sides) : seen;
      sure = max(sure, place.sure);
      start = min(start, place[axis]);
      end = max(end, place[axis] + place[long]);
      crossStart = min(crossStart, place[other]);
      crossEnd = max(crossEnd, place[other] + place[otherLong]);
    }
    if (end <= start) continue;
    const size = (end - start) / side;
    if (size > 1) result.tooWide = true;
    const slack = min(edge, max(0, (1 - size) / 2) * 0.8);
    band(result.outer, k, end / side - 1 + slack, start / side - slack, false);
    // Where the outlet draws nothing, at the height at which the subject is seen.
    const [clear0, clear1] = clearRun(
      q.rules,
      axis,
      (crossStart - middleOfOther) / sides[other],
      (crossEnd - middleOfOther) / sides[other],
    );
    const room = clear1 - clear0 - size;
    const middle = (start + end) / 2 / side;
    if (room > 0)
      band(
        result.comfort,
        k,
        end / side - clear1 + min(0.02, room / 4),
        start / side - clear0 - min(0.02, room / 4),
        false,
      );
    const before =
      subjects.length === 1 ? middleOf(subjects[0]!, frame - q.framesPerSecond * 0.4, axis, q.span) : null;
    const after =
      subjects.length === 1 ? middleOf(subjects[0]!, frame + q.framesPerSecond * 0.4, axis, q.span) : null;
    const speed = before !== null && after !== null ? (after - before) / side / 0.8 : 0;
    const lead = max(-mostLead, min(mostLead, speed * 0.2)) * (axis === 'x' ? 1 : 0.4);
    const free = clear1 - clear0;
    const target =
      size > 0.9
        ? 0.5
        : (clear0 + clear1) / 2 + (subjects.length === 1 ? standsFrom(subjects[0]!, axis, free - size) : 0);
    result.wanted[k] = max(0, min(result.high, middle - target + lead));
    result.pull[k] = 0.06 * (0.3 + 0.7 * sure);
  }
  return result;
}

/** What of a face is to be seen: the head, or where the window is too small for that, the face alone. */
function headIn(face: TrackedBox, sides: { x: number; y: number }): TrackedBox {
  const head = headOf(face);
  const across = head.w <= sides.x ? head : face;
  const down = head.h <= sides.y ? head : face;
  return { ...face, x: across.x, w: across.w, y: down.y, h: down.h };
}

/**
 * How far from the middle of the clear area a face stands, frame widths or heights: a third more room on the side to which
 * it looks, and less above it than below (common practice).
 *
 * @param room what is left of the clear area beside the face
 */
function standsFrom(track: Track, axis: 'x' | 'y', room: number): number {
  if (track.kind !== 'face' || room <= 0) return 0;
  return axis === 'x' ? (-(track.turned ?? 0) * room) / 14 : -room / 10;
}

/** A subject's place, held for a moment beyond where it was last seen: the last looks of a shot lie a little before its end. */
function placeNear(track: Track, frame: number, span: FrameSpan) {
  const [first, last] = [track.places[0]!.at, track.places.at(-1)!.at];
  return placeAt(
    track,
    frame < first && first - span.from <= 4 ? first : frame > last && span.to - last <= 6 ? last : frame,
  );
}

function middleOf(track: Track, frame: number, axis: 'x' | 'y', span: FrameSpan): number | null {
  const p = placeNear(track, max(track.places[0]!.at, min(track.places.at(-1)!.at, frame)), span);
  return p ? p[axis] + p[axis === 'x' ? 'w' : 'h'] / 2 : null;
}

/** How far outside its bands a place lies, summed over knots and weighed; what a window standing there would cost. */
function standingCost(
  a: Axis,
  v: number,
  from = 0,
  to = a.pull.length,
): { cost: number; worst: number; out: number } {
  let [cost, worst, out] = [0, 0, 0];
  for (let k = from; k < to; k++) {
    for (const b of [a.keeps, a.outer]) {
      if (b.low[k] !== b.low[k]) continue;
      const off = v < b.low[k]! ? b.low[k]! - v : v > b.high[k]! ? v - b.high[k]! : 0;
      cost += b.weight * off;
      worst = max(worst, off);
      if (off > 1e-9) out++;
    }
    for (const b of [a.keepsClear, a.comfort])
      if (b.low[k] === b.low[k]) cost += b.weight * max(0, b.low[k]! - v, v - b.high[k]!);
    if (a.pull[k]! > 0) cost += (a.pull[k]! * (v - a.wanted[k]!) ** 2) / 2;
  }
  return { cost, worst, out };
}

/** The best place to stand: the cost is convex, so the least is found by thirds. */
function bestStanding(
  a: Axis,
  from = 0,
  to = a.pull.length,
): { v: number; cost: number; worst: number; out: number } {
  let [low, high] = [0, a.high];
  for (let i = 0; i < 34 && high - low > 2e-6; i++) {
    const [p, q] = [low + (high - low) / 3, high - (high - low) / 3];
    if (standingCost(a, p, from, to).cost <= standingCost(a, q, from, to).cost) high = q;
    else low = p;
  }
  const v = (low + high) / 2;
  return { v, ...standingCost(a, v, from, to) };
}

const soften = (t: number) => t * t * (3 - 2 * t);

/** A single soft move that does as well as following would: from where it starts well to where it ends well. */
function glideFor(
  a: Axis,
  seconds: number,
  maxSpeed: number,
): { from: number; to: number; start: number; end: number } | null {
  const n = a.pull.length;
  const part = max(2, round(n * 0.18));
  const [from, to] = [bestStanding(a, 0, part).v, bestStanding(a, n - part, n).v];
  const way = abs(to - from);
  if (way < 0.05) return null;
  for (const [s, e] of [
    [0, 1],
    [0.1, 0.9],
    [0, 0.85],
    [0.15, 1],
    [0.2, 0.8],
  ] as const) {
    const [start, end] = [s * (n - 1), e * (n - 1)];
    // A soft move is half as fast again in its middle as on average; a glide is slow.
    if ((way / ((end - start) * seconds)) * 1.5 > min(maxSpeed, 0.5)) continue;
    let fits = true;
    for (let k = 0; k < n && fits; k++) {
      const v = from + (to - from) * soften(max(0, min(1, (k - start) / (end - start))));
      for (const b of [a.keeps, a.outer])
        if (b.low[k] === b.low[k] && (v < b.low[k]! - 0.004 || v > b.high[k]! + 0.004)) fits = false;
    }
    if (fits) return { from, to, start, end };
  }
  return null;
}

/** Chooses a shot's window: hold, glide or follow, and says why. */
export function chooseWindow(q: FollowQuestion): FollowChoice {
  const candidates = candidatesIn(q);
  const forced =
    q.subject === undefined
      ? undefined
      : q.subject === null
        ? null
        : q.look.tracks.find((t) => t.id === q.subject);
  const points = q.points ?? [];
  const inSpan = q.keeps.filter((k) => k.span.from < q.span.to && k.span.to > q.span.from);
  // What is larger than the window cannot be kept by any of its places; that is a trouble, and no reason to go anywhere.
  const keepsHere = inSpan.filter((k) => fitsWindow(k, q));
  const tooLarge = inSpan.filter((k) => !keepsHere.includes(k)).map((k) => k.name);
  const large = tooLarge.length
    ? `; ${listed(tooLarge)} ${tooLarge.length > 1 ? 'are' : 'is'} larger than the frame shows`
    : '';
  const step = max(1, knotSeconds * q.framesPerSecond);
  const frames = q.span.to - q.span.from;
  const count = controlsFor(frames, step);
  const knots = count - 2;
  const zoom = q.zoom ?? 1;
  const axes = (tracks: readonly Track[]) => ({
    x: axisOf(q, 'x', tracks, knots, step),
    y: axisOf(q, 'y', tracks, knots, step),
  });
  const pose = (a: { x: Axis; y: Axis }, x: number, y: number) => ({
    x: tidy((x + 0.5) * a.x.side),
    y: tidy((y + 0.5) * a.y.side),
    zoom,
  });
  const choice = (move: Move, subject: Track | null, sentence: string, relaxed = 1): FollowChoice => ({
    move,
    relaxed,
    pick: { subject: subject ? { id: subject.id, name: subject.name } : null, sentence, lively: q.lively },
  });
  const hold = (a: { x: Axis; y: Axis }, subject: Track | null, sentence: string) =>
    choice({ kind: 'hold', pose: pose(a, bestStanding(a.x).v, bestStanding(a.y).v) }, subject, sentence);
  const fits = (a: { x: Axis; y: Axis }) =>
    [a.x, a.y].every((one) => one.high === 0 || (!one.tooWide && bestStanding(one).worst < 1e-6));

  const heaviest = candidates[0]?.track;
  const chosen =
    heaviest && (isLiving(heaviest) ? heaviest : (faceOfCloseUp(candidates, q.span) ?? heaviest));
  const best = forced === undefined ? chosen && wholePerson(chosen, q) : (forced ?? undefined);
  const isBest = (track: Track) => track === best || (best && partnerOf(best, q.look.tracks) === track);
  const others = best
    ? [
        ...new Set(
          candidates
            .filter(
              ({ track, score }) =>
                score > (candidates[0]?.score ?? 0) * 0.45 &&
                matters(track, best) &&
                !isBest(track) &&
                !isBest(wholePerson(track, q)),
            )
            .map(({ track }) => wholePerson(track, q)),
        ),
      ]
    : [];
  const handMade = points.length > 0 || (q.spans?.length ?? 0) > 0;
  if (
    !best ||
    (forced === undefined &&
      q.look.everythingMoves &&
      candidates[0]!.track.kind === 'mover' &&
      !goesItsWay(best, q.span) &&
      !handMade)
  ) {
    const a = axes([]);
    middleWanted(a);
    const why = keepsHere.length
      ? `Holds where ${listed(keepsHere.map((k) => k.name))} ${keepsHere.length > 1 ? 'are' : 'is'} seen`
      : q.look.everythingMoves
        ? 'Holds the middle: so much moves here that no one subject stands out'
        : 'Holds the middle: nothing stands out';
    if (!handMade) return hold(a, null, `${why}${large}.`);
    return follow(q, a, pose, count, step, (move, relaxed) =>
      choice(move, null, 'Goes through the points that were set by hand.', relaxed),
    );
  }

  // Everything that matters, where it all fits; a subject named by a person comes alone.
  if (forced === undefined && others.length && !handMade) {
    const all = axes([best, ...others]);
    if (fits(all))
      return hold(
        all,
        best,
        `Holds still: ${listed([best.name, ...others.map((o) => o.name)])} all fit.`.replace(
          'all fit',
          others.length === 1 ? 'both fit' : 'all fit',
        ),
      );
  }
  // Two people who do not fit side by side are seen by their faces, where these do.
  if (forced === undefined && others.length && !handMade) {
    const faces = [best, ...others].map((t) =>
      t.kind === 'person' ? (partnerOf(t, q.look.tracks) ?? t) : t,
    );
    const all = axes(faces);
    if (faces.every(({ kind }) => kind === 'face') && fits(all))
      return hold(all, best, `Holds still: ${listed(faces.map(({ name }) => name))} all fit.`);
  }
  const a = axes([best]);
  // Keeps come first: where the subject cannot be seen beside one that is there nearly all the time, the keep is held.
  if (!handMade && forced === undefined && keepsHere.length && apartShare(a) > 0.6) {
    const kept = axes([]);
    middleWanted(kept);
    return hold(
      kept,
      null,
      `Holds where ${listed(keepsHere.map((k) => k.name))} ${keepsHere.length > 1 ? 'are' : 'is'} seen; the ${best.name} would leave the frame${large}.`,
    );
  }
  const left = others.length ? whoLeaves(others, best, q.span) : '';
  const [hx, hy] = [bestStanding(a.x), bestStanding(a.y)];
  const sways = (one: Axis, h: { worst: number; out: number }) =>
    one.high === 0 || h.worst < 1e-6 || (h.worst < swayed && travelOf(one) < 0.16);
  const obeyed = keepsHere.length ? `, with ${listed(keepsHere.map((k) => k.name))} kept in view` : '';
  if (!handMade && (frames / q.framesPerSecond < tooShortToMove || (sways(a.x, hx) && sways(a.y, hy)))) {
    const short = frames / q.framesPerSecond < tooShortToMove ? ': the shot is too short to move in' : '';
    return hold(a, best, `Holds on the ${best.name}${short}${obeyed}${left}${large}.`);
  }
  const seconds = step / q.framesPerSecond;
  const { maxSpeed } = livelyLimits(q.lively);
  if (!handMade) {
    const moving = sways(a.x, hx) ? (['y'] as const) : sways(a.y, hy) ? (['x'] as const) : null;
    const glide = moving ? glideFor(a[moving[0]], seconds, maxSpeed) : null;
    if (moving && glide) {
      const at = (v: number) => (moving[0] === 'x' ? pose(a, v, hy.v) : pose(a, hx.v, v));
      const [start, end] = [
        round(glide.start * step),
        max(round(glide.start * step) + 1, min(frames - 1, round(glide.end * step))),
      ];
      const way =
        moving[0] === 'x'
          ? glide.to > glide.from
            ? 'to the right'
            : 'to the left'
          : glide.to > glide.from
            ? 'down'
            : 'up';
      return choice(
        { kind: 'glide', a: at(glide.from), b: at(glide.to), start, end, ease: 'soft' },
        best,
        `Glides once ${way} with the ${best.name}${obeyed}${left}${large}.`,
      );
    }
  }
  return follow(q, a, pose, count, step, (move, relaxed) =>
    choice(move, best, `Follows the ${best.name}${obeyed}${left}${large}${tooQuick(a, move)}.`, relaxed),
  );
}

/** Share of the span in which a keep and the subject cannot both be in the window. */
function apartShare(a: { x: Axis; y: Axis }): number {
  let apart = 0;
  for (let k = 0; k < a.x.pull.length; k++) {
    if (
      [a.x, a.y].some(
        (one) =>
          one.keeps.low[k] === one.keeps.low[k] &&
          one.outer.low[k] === one.outer.low[k] &&
          (one.keeps.low[k]! > one.outer.high[k]! + 0.02 || one.outer.low[k]! > one.keeps.high[k]! + 0.02),
      )
    )
      apart++;
  }
  return apart / a.x.pull.length;
}

/** Says so where the subject outruns the window. */
function tooQuick(a: { x: Axis; y: Axis }, move: FollowMove): string {
  let [out, n] = [0, 0];
  for (let k = 0; k < a.x.pull.length; k++) {
    const here = followPlace(move, k * move.step);
    const off = (
      [
        ['x', here.x],
        ['y', here.y],
      ] as const
    ).map(([axis, v]) => {
      const one = a[axis];
      const at = v / one.side - 0.5;
      return one.high === 0 || one.outer.low[k] !== one.outer.low[k]
        ? 0
        : max(one.outer.low[k]! - at, at - one.outer.high[k]!);
    });
    // Where a keep holds the window back, speed is not to blame.
    if (
      (!(a.x.pull[k]! > 0) && !(a.y.pull[k]! > 0)) ||
      a.x.keeps.low[k] === a.x.keeps.low[k] ||
      a.y.keeps.low[k] === a.y.keeps.low[k]
    )
      continue;
    n++;
    if (max(...off) > 0.12) out++;
  }
  return out > n * 0.04 ? ', which at times is too quick for a window this calm' : '';
}

/** A hand that moves beside a face is a part of what is seen, and no second subject: creatures count, and what is about as large. */
function matters(track: Track, best: Track): boolean {
  if (track.kind !== 'mover' && track.kind !== 'thing') return true;
  const size = (t: Track) => t.places.reduce((sum, p) => sum + p.w * p.h, 0) / t.places.length;
  return size(track) > size(best) * (track.name.endsWith('thing') ? 0.5 : 0.25);
}

/** In a crowd, or confetti, only something large that goes one way all the time is a subject. */
function goesItsWay(track: Track, span: FrameSpan): boolean {
  const step = max(1, round((span.to - span.from) / 24));
  let [way, size, n] = [0, 0, 0];
  const middles: { x: number; y: number }[] = [];
  for (let f = span.from; f < span.to; f += step) {
    const p = placeAt(track, f);
    if (!p) continue;
    const middle = { x: p.x + p.w / 2, y: p.y + p.h / 2 };
    if (middles.length) way += hypot(middle.x - middles.at(-1)!.x, middle.y - middles.at(-1)!.y);
    middles.push(middle);
    size += sqrt(p.w * p.h);
    n++;
  }
  if (n < 4) return false;
  const [a, b] = [middles[0]!, middles.at(-1)!];
  return (
    size / n > 0.1 &&
    n * step > (span.to - span.from) * 0.8 &&
    hypot(a.x - b.x, a.y - b.y) > way * 0.7 &&
    way > 0.15
  );
}

/** How far the subject makes the wanted place travel, frame widths. */
function travelOf(a: Axis): number {
  let [low, high] = [Infinity, -Infinity];
  for (let k = 0; k < a.pull.length; k++) {
    if (!(a.pull[k]! > 0)) continue;
    low = min(low, a.wanted[k]!);
    high = max(high, a.wanted[k]!);
  }
  return high > low ? high - low : 0;
}

/** With nothing to go by the middle is wanted. */
function middleWanted(a: { x: Axis; y: Axis }): void {
  for (const one of [a.x, a.y]) {
    one.wanted.fill(one.high / 2);
    one.pull.fill(0.05);
  }
}

/** Works a following window out, around what was fixed by hand. */
function follow(
  q: FollowQuestion,
  a: { x: Axis; y: Axis },
  pose: (a: { x: Axis; y: Axis }, x: number, y: number) => { x: number; y: number },
  count: number,
  step: number,
  done: (move: FollowMove, relaxed: number) => FollowChoice,
): FollowChoice {
  const { maxSpeed, maxAcceleration } = livelyLimits(q.lively);
  const points = [...(q.points ?? [])];
  const spans = [...(q.spans ?? [])];
  const seconds = step / q.framesPerSecond;
  const solve = (one: Axis, axis: 'x' | 'y') => {
    if (one.high === 0) return { controls: Float64Array.of(0), relaxed: 1 };
    const bands = [one.keeps, one.keepsClear, one.outer, one.comfort]
      .filter((b) => b.low.some((v) => v === v))
      .map((b) => ({ ...b, low: Float64Array.from(b.low), high: Float64Array.from(b.high) }));
    const pull = Float64Array.from(one.pull);
    // Around a point that a person has set, what was worked out has no say.
    for (const p of points) {
      const [from, to] = [(p.at - q.framesPerSecond * 0.7) / step, (p.at + q.framesPerSecond * 0.7) / step];
      for (let k = max(0, Math.ceil(from)); k <= min(pull.length - 1, to); k++) {
        pull[k] = 0;
        for (const b of bands) b.low[k] = b.high[k] = NaN;
      }
    }
    const even = spans.filter((s) => s.how === 'even');
    for (const s of even)
      for (let k = max(0, Math.ceil(s.from / step)); k <= min(pull.length - 1, s.to / step); k++) {
        pull[k] = 0;
        for (const b of bands) if (b.weight < 10) b.low[k] = b.high[k] = NaN;
      }
    const problem: PathProblem = {
      count,
      seconds,
      low: 0,
      high: one.high,
      wanted: one.wanted,
      pull,
      bands,
      maxSpeed,
      maxAcceleration,
      weights: { first: 0.5, second: 2.2, third: 6 },
      fixed: points.map((p) => ({ u: p.at / step, value: p[axis] / one.side - 0.5 })),
      still: spans.filter((s) => s.how === 'still').map((s) => ({ from: s.from / step, to: s.to / step })),
    };
    return solvePath(problem);
  };
  const [x, y] = [solve(a.x, 'x'), solve(a.y, 'y')];
  const rounded = (one: Axis, controls: Float64Array) => {
    const all = Array.from(controls, (v) => round(min(1, max(0, (v + 0.5) * one.side)) * 1e7) / 1e7);
    return all.every((v) => v === all[0]) ? [all[0]!] : all;
  };
  const still = pose(a, a.x.high === 0 ? 0 : x.controls[0]!, a.y.high === 0 ? 0 : y.controls[0]!);
  return done(
    {
      kind: 'follow',
      start: 0,
      step,
      zoom: q.zoom ?? 1,
      x: a.x.high === 0 ? [still.x] : rounded(a.x, x.controls),
      y: a.y.high === 0 ? [still.y] : rounded(a.y, y.controls),
      points,
      spans,
    },
    max(x.relaxed, y.relaxed),
  );
}

/** “a, b and c”. */
function listed(names: readonly string[]): string {
  return names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;
}

/** What is given up by not following the others, in words. */
function whoLeaves(others: readonly Track[], best: Track, span: FrameSpan): string {
  const middle = (t: Track) => {
    const p = placeAt(
      t,
      round((max(span.from, t.places[0]!.at) + min(span.to - 1, t.places.at(-1)!.at)) / 2),
    );
    return p ? p.x + p.w / 2 : 0.5;
  };
  const [other] = others;
  if (!other) return '';
  const side = / at (left|right)$|in the middle$|from left$|^leftmost|^rightmost/.test(other.name)
    ? ''
    : middle(other) < middle(best) - 0.05
      ? ' at left'
      : middle(other) > middle(best) + 0.05
        ? ' at right'
        : '';
  return `; the ${other.name}${side} would leave the frame`;
}

/** Where a following window's middle stands at a frame of its stretch, [0,1] of the master. */
export function followPlace(move: FollowMove, at: number): { x: number; y: number } {
  const u = (at - move.start) / move.step;
  return { x: splineAt(move.x, u), y: splineAt(move.y, u) };
}
