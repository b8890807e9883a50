import { spanLength, type FrameSpan } from '../time/span.ts';
import { dropFrames } from './cut.ts';

/** Why something could go. */
export type AdviceReason = 'silence' | 'still' | 'repeated' | 'tail';

/** Something that could go from a cut, with what it saves. */
export interface Advice {
  span: FrameSpan;
  reason: AdviceReason;
  /** Master frames that it saves from the cut. */
  saves: number;
  /** How little it would be missed, 0 to 1: the higher the sooner it goes. */
  ease: number;
}

/** What was measured of a film, for advice. */
export interface AdviceFacts {
  /** Spans without sound, and spans in which somebody speaks; master frames. */
  silences: readonly FrameSpan[];
  speech: readonly FrameSpan[];
  shots: readonly (FrameSpan & {
    /** How much moves and catches the eye, 0 to 1. */
    interest: number;
    /** Index of an earlier shot that shows the same, if there is one. */
    repeats?: number;
  })[];
  framesPerSecond: number;
}

/** A silence shorter than this is a breath, seconds. */
const breath = 0.6;
/** Of a silence so much stays at either end, seconds: cuts must breathe. */
const air = 0.16;
/** A shot below this interest is still. */
const stillBelow = 0.12;
/** The tail of a shot longer than this can go, seconds, down to it. */
const longShot = 3;

const overlapsAny = (span: FrameSpan, others: readonly FrameSpan[]) => others.some((o) => o.from < span.to && o.to > span.from);

/**
 * What could go from a cut, each with what it saves; never any of the speech, and nothing of what is protected (a hook,
 * an end card). They do not overlap each other, so what they save adds up.
 */
export function adviceFor(kept: readonly FrameSpan[], facts: AdviceFacts, protect: readonly FrameSpan[]): Advice[] {
  const { framesPerSecond } = facts;
  const frames = (seconds: number) => Math.round(seconds * framesPerSecond);
  const found: Advice[] = [];
  const offer = (span: FrameSpan, reason: AdviceReason, ease: number) => {
    if (span.to <= span.from || overlapsAny(span, facts.speech) || overlapsAny(span, protect)) return;
    if (found.some((f) => f.span.from < span.to && f.span.to > span.from)) return;
    const saves = kept.reduce((sum, s) => sum + Math.max(0, Math.min(s.to, span.to) - Math.max(s.from, span.from)), 0);
    if (saves > 0) found.push({ span, reason, saves, ease });
  };
  // Whole shots first: a cut is cleaner than a trim.
  for (const shot of facts.shots) {
    if (shot.repeats !== undefined) offer({ from: shot.from, to: shot.to }, 'repeated', 0.8);
    else if (shot.interest < stillBelow) offer({ from: shot.from, to: shot.to }, 'still', 0.6);
  }
  for (const silence of facts.silences) {
    if (spanLength(silence) < frames(breath)) continue;
    offer({ from: silence.from + frames(air), to: silence.to - frames(air) }, 'silence', 0.9);
  }
  for (const shot of facts.shots) {
    const long = spanLength(shot) - frames(longShot);
    if (long > frames(0.4)) offer({ from: shot.to - long, to: shot.to }, 'tail', 0.5 * (1 - shot.interest));
  }
  return found.sort((a, b) => a.span.from - b.span.from);
}

/**
 * The smallest set of advice that saves at least so many master frames: fewest frames too many first, then what is
 * missed least. Null where all of it together is not enough. Exact for what a film offers; frames are counted one by one.
 */
export function leastAdvice(all: readonly Advice[], need: number): Advice[] | null {
  if (need <= 0) return [];
  const total = all.reduce((sum, a) => sum + a.saves, 0);
  if (total < need) return null;
  // The best way to save exactly n frames, by how much it is missed: a knapsack over frames.
  const missed = new Float64Array(total + 1).fill(Infinity);
  const last = new Int32Array(total + 1).fill(-1);
  const before: Int32Array[] = [];
  missed[0] = 0;
  all.forEach((a, i) => {
    const chosen = Int32Array.from(last);
    for (let n = total; n >= a.saves; n--) {
      const cost = missed[n - a.saves]! + (1 - a.ease) + 0.05;
      if (cost < missed[n]! - 1e-12) {
        missed[n] = cost;
        chosen[n] = i;
      }
    }
    before.push(Int32Array.from(last));
    last.set(chosen);
  });
  let best = need;
  while (best <= total && missed[best] === Infinity) best++;
  const set: Advice[] = [];
  let table: Int32Array = last;
  for (let n = best; n > 0; ) {
    const i = table[n]!;
    set.push(all[i]!);
    n -= all[i]!.saves;
    // What was there before this one was looked at.
    table = before[i]!;
  }
  return set.reverse();
}

/** A cut with some advice taken. */
export const takeAdvice = (kept: readonly FrameSpan[], advice: readonly Advice[]): FrameSpan[] => advice.reduce<FrameSpan[]>((cut, a) => dropFrames(cut, a.span), kept.map((s) => ({ ...s })));
