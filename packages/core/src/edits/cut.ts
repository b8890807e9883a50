import * as z from 'zod';
import { gcd } from '../picture/geometry.ts';
import { fail, ok, type Result } from '../problem.ts';
import { frameSpanSchema, spanLength, type FrameSpan } from '../time/span.ts';
import { compareRates, fps, type Rate } from '../time/rate.ts';
import { deliveredRate, type RateRule } from '../time/delivered-rate.ts';

/** Playback speed with the pitch kept, as a fraction: 1 as edited, 21/20 five per cent faster. */
export const paceSchema = z
  .object({ num: z.number().int().positive(), den: z.number().int().positive() })
  .refine((p) => p.num >= p.den && p.num <= 2 * p.den, 'a pace lies between 1 and 2');
export type Pace = z.infer<typeof paceSchema>;

/** As edited. */
export const asEdited: Pace = { num: 1, den: 1 };

/** Above this a pace is warned of: speech gets hard to follow (common practice, no source). */
export const usualCeiling = 1.1;

/** A pace in lowest terms. */
export function pace(num: number, den: number): Pace {
  const d = gcd(num, den);
  return { num: num / d, den: den / d };
}

/** A pace as people write it: 1.05. */
export const paceValue = (p: Pace): number => p.num / p.den;

/** Reads a pace: `1.05` or `25/24`. */
export function parsePace(text: string): Result<Pace> {
  const fraction = /^\s*(\d{1,9})\s*\/\s*(\d{1,9})\s*$/.exec(text);
  const decimal = /^\s*(\d)(?:\.(\d{1,6}))?\s*$/.exec(text);
  const read = fraction
    ? [Number(fraction[1]), Number(fraction[2])]
    : decimal
      ? [Number(`${decimal[1]}${decimal[2] ?? ''}`), 10 ** (decimal[2]?.length ?? 0)]
      : null;
  if (!read || !(read[0]! >= read[1]! && read[1]! > 0 && read[0]! <= 2 * read[1]!))
    return fail('bad-pace', `“${text}” is not a pace from 1 to 2.`, 'Write 1.05, or 25/24.');
  return ok(pace(read[0]!, read[1]!));
}

/** Sound is faded across a join for so long, milliseconds (common practice, no source): too short to hear, long enough not to click. */
export const usualJoinMs = 20;

/** How many spans a cut may have. */
const mostSpans = 4000;

/** The kept spans of a master in the order in which they play. */
export const keptSchema = z.array(frameSpanSchema).min(1, 'a cut keeps at least one frame').max(mostSpans);

/** Frames that are kept in all. */
export const keptLength = (kept: readonly FrameSpan[]): number =>
  kept.reduce((sum, s) => sum + spanLength(s), 0);

/** The master frame that the i-th kept frame is, and which span it lies in. */
export function keptFrameAt(kept: readonly FrameSpan[], i: number): { frame: number; span: number } {
  let rest = Math.max(0, i);
  for (let s = 0; s < kept.length; s++) {
    const length = spanLength(kept[s]!);
    if (rest < length) return { frame: kept[s]!.from + rest, span: s };
    rest -= length;
  }
  return { frame: kept.at(-1)!.to - 1, span: kept.length - 1 };
}

/** Where a master frame plays in a cut, counted in kept frames; null where it is dropped. */
export function playsAt(kept: readonly FrameSpan[], frame: number): number | null {
  let before = 0;
  for (const span of kept) {
    if (frame >= span.from && frame < span.to) return before + frame - span.from;
    before += spanLength(span);
  }
  return null;
}

/** Spans that play on from each other joined; nothing else changes. */
export function joinKept(kept: readonly FrameSpan[]): FrameSpan[] {
  const joined: FrameSpan[] = [];
  for (const span of kept) {
    const last = joined.at(-1);
    if (last && last.to === span.from) joined[joined.length - 1] = { from: last.from, to: span.to };
    else joined.push({ from: span.from, to: span.to });
  }
  return joined;
}

/** The frames that are kept in the order of the master, each once, as few spans as hold them. */
export function keptInOrder(kept: readonly FrameSpan[]): FrameSpan[] {
  const sorted = [...kept].sort((a, b) => a.from - b.from);
  const joined: FrameSpan[] = [];
  for (const span of sorted) {
    const last = joined.at(-1);
    if (last && span.from <= last.to)
      joined[joined.length - 1] = { from: last.from, to: Math.max(last.to, span.to) };
    else joined.push({ from: span.from, to: span.to });
  }
  return joined;
}

/** Says in a sentence why spans are no cut of a film of so many frames. */
export function checkKept(kept: readonly FrameSpan[], frames: number): Result<readonly FrameSpan[]> {
  if (kept.length === 0)
    return fail('empty-cut', 'Nothing is kept: the cut would be empty.', 'Keep at least one shot.');
  const outside = kept.find((s) => s.from < 0 || s.to > frames || s.to <= s.from);
  if (outside)
    return fail(
      'cut-outside',
      `A kept span runs from frame ${outside.from} to ${outside.to}; the film has frames 0 to ${frames - 1}.`,
      'Keep it inside the film.',
    );
  const sorted = [...kept].sort((a, b) => a.from - b.from);
  const twice = sorted.find((s, i) => i > 0 && s.from < sorted[i - 1]!.to);
  if (twice)
    return fail(
      'cut-twice',
      `The frames from ${twice.from} on are kept twice.`,
      'Trim one of the two spans.',
    );
  return ok(kept);
}

/** The cut without the frames of a span. Spans that are cut in two stay in their places. */
export function dropFrames(kept: readonly FrameSpan[], drop: FrameSpan): FrameSpan[] {
  return kept.flatMap((s) => {
    if (drop.to <= s.from || drop.from >= s.to) return [{ ...s }];
    return [
      { from: s.from, to: Math.min(s.to, drop.from) },
      { from: Math.max(s.from, drop.to), to: s.to },
    ].filter((p) => p.to > p.from);
  });
}

/** The cut with the frames of a span kept as well, put where they belong in the master's order among their neighbours. */
export function keepFrames(kept: readonly FrameSpan[], keep: FrameSpan): FrameSpan[] {
  // Only what is not kept already is added.
  const missing = keptInOrder(kept).reduce<FrameSpan[]>((left, s) => dropFrames(left, s), [{ ...keep }]);
  return joinKept(
    missing.reduce<FrameSpan[]>(
      (cut, piece) => {
        // Behind the piece that ends where it starts, or in front of the one that starts where it ends; else in order.
        const after = cut.findIndex((s) => s.to === piece.from);
        if (after >= 0) return [...cut.slice(0, after + 1), piece, ...cut.slice(after + 1)];
        const before = cut.findIndex((s) => s.from === piece.to);
        if (before >= 0) return [...cut.slice(0, before), piece, ...cut.slice(before)];
        const place = cut.findIndex((s) => s.from > piece.from);
        return place < 0 ? [...cut, piece] : [...cut.slice(0, place), piece, ...cut.slice(place)];
      },
      kept.map((s) => ({ ...s })),
    ),
  );
}

/** The cut with only what of it lies inside a span. */
export const keepWithin = (kept: readonly FrameSpan[], span: FrameSpan): FrameSpan[] =>
  kept
    .map((s) => ({ from: Math.max(s.from, span.from), to: Math.min(s.to, span.to) }))
    .filter((s) => s.to > s.from);

/** Whether any frame of a span is kept. */
export const keepsAny = (kept: readonly FrameSpan[], span: FrameSpan): boolean =>
  kept.some((s) => s.from < span.to && s.to > span.from);

/** Drops a span of which anything is kept; keeps one that is dropped. */
export const keepOrDrop = (kept: readonly FrameSpan[], span: FrameSpan): FrameSpan[] =>
  keepsAny(kept, span) ? dropFrames(kept, span) : keepFrames(kept, span);

/** Splits the span that a master frame lies in, so that what follows can be moved or dropped by itself. */
export function splitKept(kept: readonly FrameSpan[], frame: number): FrameSpan[] {
  return kept.flatMap((s) =>
    frame > s.from && frame < s.to
      ? [
          { from: s.from, to: frame },
          { from: frame, to: s.to },
        ]
      : [{ ...s }],
  );
}

/** Moves a span to another place in the order. */
export function moveKept(kept: readonly FrameSpan[], from: number, to: number): FrameSpan[] {
  const rest = kept.filter((_, i) => i !== from);
  const span = kept[from];
  return span ? [...rest.slice(0, to), { ...span }, ...rest.slice(to)] : kept.map((s) => ({ ...s }));
}

/** Trims the start or the end of a span to a master frame; it keeps at least one frame and runs into no other span. */
export function trimKept(
  kept: readonly FrameSpan[],
  index: number,
  edge: 'from' | 'to',
  frame: number,
  frames: number,
): FrameSpan[] {
  const span = kept[index];
  if (!span) return kept.map((s) => ({ ...s }));
  const others = kept.filter((_, i) => i !== index);
  const low = Math.max(0, ...others.filter((s) => s.to <= span.from).map((s) => s.to));
  const high = Math.min(frames, ...others.filter((s) => s.from >= span.to).map((s) => s.from));
  const next =
    edge === 'from'
      ? { from: Math.max(low, Math.min(span.to - 1, frame)), to: span.to }
      : { from: span.from, to: Math.min(high, Math.max(span.from + 1, frame)) };
  return kept.map((s, i) => (i === index ? next : { ...s }));
}

/**
 * Moves the join behind a span: what one loses the next gains, so that the cut stays as long as it is. It goes as far
 * as both keep a frame and run into no other span.
 */
export function rollJoin(kept: readonly FrameSpan[], index: number, by: number, frames: number): FrameSpan[] {
  const roll = (n: number) => {
    const first = trimKept(kept, index, 'to', kept[index]!.to + n, frames);
    return trimKept(first, index + 1, 'from', kept[index + 1]!.from + n, frames);
  };
  if (!kept[index] || !kept[index + 1]) return kept.map((s) => ({ ...s }));
  const length = keptLength(kept);
  for (let n = by; n !== 0; n -= Math.sign(by)) {
    const rolled = roll(n);
    if (keptLength(rolled) === length && rolled[index]!.to === kept[index]!.to + n) return rolled;
  }
  return kept.map((s) => ({ ...s }));
}

/** The rate at which master frames go by under a pace: 25 at 25/24 for a film of 24. */
export function pacedRate(master: Rate, p: Pace): Rate {
  const [num, den] = [master.num * p.num, master.den * p.den];
  const d = gcd(num, den);
  return { num: num / d, den: den / d };
}

/** A cut: what plays of a master, in which order, how fast, and how its sound is joined. */
export interface Played {
  kept: readonly FrameSpan[];
  pace: Pace;
  /** Length of the fade across each join of the sound, milliseconds. */
  joinMs: number;
}
export const playedSchema: z.ZodType<Played> = z.object({
  kept: keptSchema,
  pace: paceSchema,
  joinMs: z.number(),
});

/** What of a cut lies inside a film, because another may have taken its film's place; the whole film where nothing of it does. */
export function playedWithin(cut: Played | undefined | null, frames: number): Partial<Played> {
  if (!cut) return {};
  return { kept: keepWithin(cut.kept, { from: 0, to: frames }), pace: cut.pace, joinMs: cut.joinMs };
}

/**
 * The pace that brings a film to a rate which a place takes where it does not take the film's own: 25/24 for a film of
 * 24 frames a second at a place that takes 25. Null where its own rate or every n-th frame of it is taken, and where no
 * rate within the ceiling is.
 */
export function paceForRate(
  master: Rate,
  rule: RateRule | undefined,
  ceiling = usualCeiling,
): { pace: Pace; rate: Rate } | null {
  if (deliveredRate(master, rule).step.kind === 'every') return null;
  const faster = (rule?.allowed ?? []).filter(
    (r) =>
      compareRates(r, master) > 0 &&
      fps(r) <= fps(master) * ceiling &&
      (!rule?.max || compareRates(r, rule.max) <= 0),
  );
  const [least] = [...faster].sort(compareRates);
  return least ? { pace: pace(least.num * master.den, least.den * master.num), rate: least } : null;
}

/** What makes a cut just fit a limit. */
export type JustFits =
  /** It fits as it is. */
  | { kind: 'fits' }
  /** At this pace it has exactly as many frames as the limit allows. */
  | { kind: 'pace'; pace: Pace }
  /** Even at the ceiling so many master frames too many are kept. */
  | { kind: 'too-long'; frames: number };

/**
 * The least pace at which some kept frames last no longer than a limit in delivered frames. Below it they would be
 * over; at it they fill the limit exactly.
 *
 * @param length kept master frames; @param limit delivered frames allowed; @param ceiling the most that the pace may be
 */
export function justFits(
  length: number,
  master: Rate,
  delivered: Rate,
  limit: number,
  ceiling = usualCeiling,
): JustFits {
  // Kept time ÷ pace ≤ limit time: length · den / num ÷ pace ≤ limit · den′ / num′.
  const needed = { num: length * master.den * delivered.num, den: limit * delivered.den * master.num };
  if (needed.num <= needed.den) return { kind: 'fits' };
  if (limit > 0 && needed.num <= needed.den * ceiling + 1e-9 * needed.den)
    return { kind: 'pace', pace: pace(needed.num, needed.den) };
  const most = Math.floor(
    (limit * delivered.den * master.num * ceiling) / (delivered.num * master.den) + 1e-9,
  );
  return { kind: 'too-long', frames: length - most };
}
