import { spanLength, type FrameSpan } from '../time/span.ts';
import { dropFrames, keepsAny, keepWithin, keptLength } from './cut.ts';

/** Why something could go. */
export type AdviceReason = 'silence' | 'still' | 'repeated' | 'tail';

/** Something that could go from a cut, with what it saves. */
export interface Advice {
  span: FrameSpan;
  reason: AdviceReason;
  /** Master frames that it saves from the cut. */
  saves: number;
  /** How little it would be missed, 0 to 1: the higher the sooner it goes. */
  dispensability: number;
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
    repeats?: number | undefined;
  })[];
  framesPerSecond: number;
}

/** A silence shorter than this is a breath, seconds. */
const breath = 0.6;
/** Of a silence so much stays at either end, seconds: cuts must breathe. */
const air = 0.16;
/** A picture shorter than this is a flash, seconds: none is left over beside what goes. */
const flash = 0.6;
/** What is left of a silence is worth a cut from so long, seconds. */
const leastGap = 0.28;
/** With so much of a film silent, its silences are not what is dull about it. */
const mostlySilent = 0.9;
/** A shot below this interest is still. */
const stillBelow = 0.12;
/** The tail of a shot longer than this can go, seconds, down to it; a shorter tail than the second figure is none. */
const longShot = 3;
const leastTail = 0.4;
/** Each thing that goes is missed so much for being one more cut. */
const perCut = 0.05;

/**
 * What could go from a cut, each with what it saves; never any of the speech, and nothing of what is protected (a hook,
 * an end card). They do not overlap each other, so what they save adds up.
 */
export function adviceFor(
  kept: readonly FrameSpan[],
  facts: AdviceFacts,
  protect: readonly FrameSpan[],
): Advice[] {
  const { framesPerSecond } = facts;
  const frames = (seconds: number) => Math.round(seconds * framesPerSecond);
  const found: Advice[] = [];
  const offer = (span: FrameSpan, reason: AdviceReason, dispensability: number) => {
    if (span.to <= span.from || keepsAny(facts.speech, span) || keepsAny(protect, span)) return;
    if (
      keepsAny(
        found.map((f) => f.span),
        span,
      )
    )
      return;
    const saves = keptLength(keepWithin(kept, span));
    if (saves > 0) found.push({ span, reason, saves, dispensability });
  };
  // Whole shots first: a cut is cleaner than a trim.
  for (const shot of facts.shots) {
    if (shot.repeats !== undefined) offer({ from: shot.from, to: shot.to }, 'repeated', 0.8);
    else if (shot.interest < stillBelow) offer({ from: shot.from, to: shot.to }, 'still', 0.6);
  }
  // Where next to nothing is heard at all, silence says nothing.
  const unheard =
    facts.silences.reduce((sum, s) => sum + spanLength(s), 0) >
    mostlySilent * facts.shots.reduce((sum, s) => sum + spanLength(s), 0);
  // Two silences with a short sound between them that nobody speaks are one: a flash of picture is left by no cut.
  const silences = facts.silences.reduce<FrameSpan[]>((joined, s) => {
    const last = joined.at(-1);
    if (last && s.from - last.to < frames(flash) && !keepsAny(facts.speech, { from: last.to, to: s.from }))
      last.to = s.to;
    else joined.push({ ...s });
    return joined;
  }, []);
  const silentUpTo = (from: number, to: number) =>
    to - from < frames(flash) && !keepsAny(facts.speech, { from, to }) && !keepsAny(protect, { from, to });
  for (const silence of unheard ? [] : silences) {
    if (spanLength(silence) < frames(breath)) continue;
    // Cuts breathe where somebody stops and starts, not where the picture changes anyway; and each stays in its shot.
    for (const shot of facts.shots) {
      const [start, end] = [
        Math.max(shot.from, silence.from + frames(air)),
        Math.min(shot.to, silence.to - frames(air)),
      ];
      const from = silentUpTo(shot.from, start) ? shot.from : start;
      const to = silentUpTo(end, shot.to) ? shot.to : end;
      if (to - from >= frames(leastGap)) offer({ from, to }, 'silence', 0.9 * (1 - shot.interest));
    }
  }
  for (const shot of facts.shots) {
    // What is said in it is heard out first.
    const said = facts.speech
      .filter((s) => s.from < shot.to && s.to > shot.from)
      .map((s) => s.to + frames(air));
    const from = Math.max(shot.from + frames(longShot), ...said);
    if (shot.to - from > frames(leastTail)) offer({ from, to: shot.to }, 'tail', 0.5 * (1 - shot.interest));
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
  // A set of which nothing can be left out saves less than what is needed and its largest part together.
  const most = Math.min(total, need + all.reduce((most, a) => Math.max(most, a.saves), 0));
  // The best way to save exactly n frames, by how much it is missed: a knapsack over frames, with who was taken as bits.
  const missed = new Float64Array(most + 1).fill(Infinity);
  missed[0] = 0;
  const took = all.map((a) => {
    const bits = new Uint8Array((most >> 3) + 1);
    for (let n = most; n >= a.saves; n--) {
      const cost = missed[n - a.saves]! + (1 - a.dispensability) + perCut;
      if (cost < missed[n]! - 1e-12) {
        missed[n] = cost;
        bits[n >> 3]! |= 1 << (n & 7);
      }
    }
    return bits;
  });
  let n = need;
  while (missed[n] === Infinity) n++;
  const set: Advice[] = [];
  for (let i = all.length - 1; i >= 0; i--) {
    if (!(took[i]![n >> 3]! & (1 << (n & 7)))) continue;
    set.push(all[i]!);
    n -= all[i]!.saves;
  }
  return set.reverse();
}

/** A cut with some advice taken. */
export const takeAdvice = (kept: readonly FrameSpan[], advice: readonly Advice[]): FrameSpan[] =>
  advice.reduce<FrameSpan[]>(
    (cut, a) => dropFrames(cut, a.span),
    kept.map((s) => ({ ...s })),
  );
