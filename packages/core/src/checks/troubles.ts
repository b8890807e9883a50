import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import { canonicalJson } from '../canonical.ts';
import { largestWindowSize } from '../picture/fit.ts';
import type { Margins } from '../picture/geometry.ts';
import { publishedMargins } from '../picture/safe.ts';
import { filled, frameOfPanel, type Framing } from '../framing/framing.ts';
import type { Move } from '../framing/move.ts';
import { tidyFraming } from '../framing/shots-of.ts';
import { keepSchema, keepsWithin, type Keep } from './keeps.ts';
import { hiddenKeeps, type FrameRules, type HiddenSpan } from './visibility.ts';
import { sizeLabel } from '../masters/facts.ts';
import { lowestH264Level } from '../render/levels.ts';
import { compareRates, framesWithin, rateLabel, withinSeconds } from '../time/rate.ts';
import { durationLabel, framesLabel } from '../time/timecode.ts';
import { frameSpanSchema, type FrameSpan } from '../time/span.ts';
import type { Placement } from '../specs/schema.ts';
import { keptFrameAt, keptInOrder, paceValue, usualCeiling } from '../edits/cut.ts';
import { keptIndexAt, planSeconds, type PlannedVersion, type RenderPlan } from '../render/plan.ts';

/**
 * Something wrong, or worth knowing, at a span of frames of a version.
 * - `fault`: breaks a rule of the placement, or cuts something that must be seen.
 * - `look`: needs a person's eye.
 * - `note`: worth knowing, nothing to do.
 */
export const troubleSchema = z.object({
  code: z.enum([
    'too-long',
    'too-short',
    'no-sound',
    'rate-uneven',
    'size-floor',
    'rate-lowered',
    'enlarged',
    'enlarged-far',
    'bars',
    'keep-cut',
    'keep-blocked',
    'keep-margin',
    'conformed',
    'no-level',
    'pace-high',
  ]),
  severity: z.enum(['fault', 'look', 'note']),
  /** Master frames that it covers. */
  span: frameSpanSchema,
  sentence: z.string(),
  /** What would mend it; empty where nothing needs mending. */
  mend: z.string(),
  /** The keep that it is about. */
  keepId: keepSchema.shape.id.optional(),
  /** The blocked area that covers it. */
  area: z.string().optional(),
});
export type Trouble = z.infer<typeof troubleSchema>;

/** Bytes for a person, in powers of ten as places state their limits: `18.2 MB`. */
export function bytesLabel(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`;
  if (bytes < 1_000_000) return `${Math.round(bytes / 1000)} kB`;
  if (bytes < 1_000_000_000) return `${(bytes / 1_000_000).toFixed(bytes < 100_000_000 ? 1 : 0)} MB`;
  return `${(bytes / 1_000_000_000).toFixed(2)} GB`;
}

/** A bitrate for a person: `3.5 Mbit/s`, `800 kbit/s`. */
export function bitrateLabel(kbps: number): string {
  return kbps >= 1000 ? `${Number((kbps / 1000).toFixed(2))} Mbit/s` : `${Math.round(kbps)} kbit/s`;
}

/** Which safe margin is held to: the placement's own, a published one, or an inner share of width and height in per cent. */
export const marginChoiceSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('place') }),
  z.object({
    kind: z.literal('published'),
    id: z.enum(['ebu-r95-action', 'ebu-r95-graphics', 'smpte-2046-action', 'smpte-2046-title']),
  }),
  z.object({ kind: z.literal('percent'), inner: z.number().min(50).max(100) }),
]);
export type MarginChoice = z.infer<typeof marginChoiceSchema>;

/** The margins that a choice comes to for a placement; null where only the frame's edge counts. */
export function marginsFor(choice: MarginChoice, placement: Placement): Margins | null {
  switch (choice.kind) {
    case 'place': {
      if (!placement.safeMargin) return null;
      const { top, right, bottom, left } = placement.safeMargin;
      return { top, right, bottom, left };
    }
    case 'published':
      return publishedMargins.find((m) => m.id === choice.id)?.margins ?? null;
    case 'percent': {
      const edge = (100 - choice.inner) / 200;
      return edge > 0 ? { top: edge, right: edge, bottom: edge, left: edge } : null;
    }
  }
}

/** What must stay visible, and how far from the edge. */
export interface Watched {
  keeps: readonly Keep[];
  margin: MarginChoice;
}

/** What a version's frame demands of keeps. */
export function frameRules(
  placement: Placement,
  frame: FrameRules['frame'],
  margin: MarginChoice,
): FrameRules {
  return {
    frame,
    blocked: (placement.blocked ?? []).map(({ name, x, y, width, height }) => ({
      name,
      x,
      y,
      width,
      height,
    })),
    margins: marginsFor(margin, placement),
  };
}

/** Above this many delivered pixels for a master pixel a picture looks soft whatever it shows (common practice, no source). */
const softBeyond = 2;

/** The largest enlargement inside each stretch of a framing, where it is above 1. */
function enlargements(
  framing: Framing,
  source: FrameSpan,
  master: { width: number; height: number },
  frame: FrameRules['frame'],
): { span: FrameSpan; factor: number }[] {
  const zoomOf = (move: Move) =>
    move.kind === 'hold'
      ? move.pose.zoom
      : move.kind === 'glide'
        ? Math.max(move.a.zoom, move.b.zoom)
        : move.kind === 'path'
          ? Math.max(...move.keys.map((k) => k.pose.zoom))
          : move.zoom;
  return framing.stretches.flatMap((stretch, i) => {
    const span = {
      from: Math.max(stretch.from, source.from),
      to: Math.min(framing.stretches[i + 1]?.from ?? Infinity, source.to),
    };
    if (span.to <= span.from) return [];
    const fill = stretch.fill ?? filled;
    const factor =
      fill.kind === 'bars' || fill.kind === 'soft'
        ? Math.min(frame.width / master.width, frame.height / master.height)
        : Math.max(
            ...(fill.kind === 'stacked'
              ? [['upper', stretch.move] as const, ['lower', fill.lower] as const]
              : [['upper', stretch.move] as const]
            ).map(([panel, move]) => {
              const part = frameOfPanel(fill, panel, frame);
              return (part.width / largestWindowSize(master, part).width) * zoomOf(move);
            }),
          );
    return factor > 1.005 ? [{ span, factor }] : [];
  });
}

function keepTrouble({ keep, how, span }: HiddenSpan): Trouble {
  const about = { span, keepId: keep.id };
  const name = keep.name[0]!.toUpperCase() + keep.name.slice(1);
  switch (how.kind) {
    case 'cut':
      return {
        code: 'keep-cut',
        severity: 'fault',
        ...about,
        sentence: `${name} is cut by the window.`,
        mend: 'Move the window, or make it larger.',
      };
    case 'blocked':
      return {
        code: 'keep-blocked',
        severity: 'look',
        ...about,
        area: how.area,
        sentence: `${name} is behind “${how.area}”.`,
        mend: 'Move the window so that it stands clear.',
      };
    case 'margin':
      return {
        code: 'keep-margin',
        severity: 'look',
        ...about,
        sentence: `${name} is outside the safe margin.`,
        mend: 'Move the window a little.',
      };
  }
}

/** Everything wrong with a planned version before it is exported, worst first. */
export function troublesOf(
  planned: PlannedVersion,
  placement: Placement,
  watched: Watched = { keeps: [], margin: { kind: 'place' } },
): Trouble[] {
  const { plan, delivered, budget } = planned;
  // The kept frames in the master's order, and from the first to the last of them.
  const kept = keptInOrder(plan.kept);
  const source: FrameSpan = { from: kept[0]!.from, to: kept.at(-1)!.to };
  const troubles: Trouble[] = [];
  const add = (
    code: Trouble['code'],
    severity: Trouble['severity'],
    sentence: string,
    mend = '',
    span = source,
  ) => troubles.push({ code, severity, span, sentence, mend });

  const { minSeconds, maxSeconds } = placement.duration ?? {};
  if (maxSeconds !== undefined && !withinSeconds(plan.frames, plan.rate, maxSeconds)) {
    const over = plan.frames - framesWithin(maxSeconds, plan.rate);
    // What plays after the limit, in the span that the cut ends with.
    const last = plan.kept.at(-1)!;
    const firstOver = keptFrameAt(plan.kept, keptIndexAt(plan, plan.frames - over));
    const overSpan: FrameSpan = {
      from: firstOver.span === plan.kept.length - 1 ? firstOver.frame : last.from,
      to: last.to,
    };
    add(
      'too-long',
      'fault',
      `Runs ${durationLabel(planSeconds(plan))}; at most ${durationLabel(maxSeconds)} is allowed, so ${framesLabel(over, plan.rate)} must go.`,
      'Make a shorter cut in Timing, or choose a place that allows more.',
      overSpan,
    );
  }
  if (minSeconds !== undefined && plan.frames * plan.rate.den < minSeconds * plan.rate.num - 1e-6) {
    add(
      'too-short',
      'fault',
      `Runs ${durationLabel(planSeconds(plan))}; at least ${durationLabel(minSeconds)} is asked for.`,
      'Keep more of the film, or bring in a longer one.',
    );
  }
  if (!budget.feasible) {
    const left = budget.rate.mode === 'two-pass' ? budget.rate.targetKbps : 0;
    add(
      'size-floor',
      'fault',
      `${bytesLabel(placement.maxBytes ?? 0)} leaves only ${bitrateLabel(left)} for ${durationLabel(planSeconds(plan))}: below ${bitrateLabel(budget.floorKbps)} the picture falls apart.`,
      'Deliver a shorter stretch of the film.',
    );
  } else if (budget.lowered && budget.rate.mode === 'two-pass') {
    add(
      'rate-lowered',
      'note',
      `The bitrate is lowered to ${bitrateLabel(budget.rate.targetKbps)} so that the file stays under ${bytesLabel(placement.maxBytes ?? 0)}.`,
    );
  }
  if (paceValue(plan.pace) > usualCeiling + 1e-9) {
    add(
      'pace-high',
      'look',
      `It plays at ${Number(paceValue(plan.pace).toFixed(3))} times its speed: above ${usualCeiling.toFixed(2)} speech gets hard to follow.`,
      'Cut more instead.',
    );
  }
  if (planned.soundMissing)
    add(
      'no-sound',
      'look',
      'The master has no sound, so this file has none.',
      'Bring in a master with sound if the place needs it.',
    );
  if (delivered.step.kind === 'nearest') {
    add(
      'rate-uneven',
      'look',
      `${rateLabel(plan.master.rate)} frames a second is not taken here: ${delivered.words}.`,
      compareRates(delivered.rate, plan.master.rate) < 0
        ? 'Movement will stutter; an edit at the place’s own rate avoids it.'
        : 'An edit at the place’s own rate avoids it.',
    );
  }
  if (plan.master.rateVaries)
    add(
      'conformed',
      'note',
      `The master’s uneven frame rate is conformed to ${rateLabel(plan.master.rate)}.`,
    );
  if (
    plan.video.codec === 'h264' &&
    lowestH264Level(plan.frame, plan.rate, plan.video.rate.maxKbps ?? 0) === undefined
  ) {
    add(
      'no-level',
      'fault',
      `${sizeLabel(plan.frame)} at ${rateLabel(plan.rate)} is beyond every H.264 level.`,
      'Choose a smaller frame or a lower rate in the spec book.',
    );
  }
  const { displayed } = plan.master;
  const enlarged = kept.flatMap((span) => enlargements(plan.framing, span, displayed, plan.frame));
  const most = Math.max(0, ...enlarged.map((e) => e.factor));
  if (most > 1.005)
    add(
      'enlarged',
      'note',
      `The picture is enlarged ${most.toFixed(2)} times.`,
      'A master with more pixels would avoid it.',
      enlarged.find((e) => e.factor === most)!.span,
    );
  const soft = enlarged
    .filter((e) => e.factor > softBeyond)
    .reduce<typeof enlarged>((runs, e) => {
      const last = runs.at(-1);
      // Shots that follow each other are one trouble, as large as its largest.
      if (last?.span.to === e.span.from)
        return [
          ...runs.slice(0, -1),
          { span: { from: last.span.from, to: e.span.to }, factor: Math.max(last.factor, e.factor) },
        ];
      return [...runs, e];
    }, []);
  for (const { span, factor } of soft) {
    add(
      'enlarged-far',
      'look',
      `The picture is enlarged ${factor.toFixed(2)} times and will look soft.`,
      'Zoom out, or bring in a master with more pixels.',
      span,
    );
  }
  plan.framing.stretches.forEach((stretch, i) => {
    const until = plan.framing.stretches[i + 1]?.from ?? Infinity;
    const shapesDiffer =
      Math.abs(displayed.width * plan.frame.height - displayed.height * plan.frame.width) >
      0.002 * displayed.width * plan.frame.height;
    if (stretch.fill?.kind !== 'bars' || !shapesDiffer) return;
    for (const piece of kept) {
      const span = { from: Math.max(stretch.from, piece.from), to: Math.min(until, piece.to) };
      if (span.to > span.from) add('bars', 'note', 'Bars show beside the picture.', '', span);
    }
  });
  for (const span of kept)
    for (const hidden of hiddenKeeps(
      plan.framing,
      keepsWithin(watched.keeps, plan.master.frames),
      span,
      displayed,
      frameRules(placement, plan.frame, watched.margin),
    ))
      troubles.push(keepTrouble(hidden));
  const order = { fault: 0, look: 1, note: 2 };
  return troubles.sort((a, b) => order[a.severity] - order[b.severity] || a.span.from - b.span.from);
}

/** Troubles that break the place's own rules: nothing is exported until they are mended. */
const refusing: ReadonlySet<Trouble['code']> = new Set(['too-long', 'too-short', 'size-floor', 'no-level']);

/** The trouble that stops a version from being exported, if there is one. */
export function refusal(troubles: readonly Trouble[]): Trouble | undefined {
  return troubles.find((t) => refusing.has(t.code));
}

/** A trouble that somebody has looked at and found in order, with the reason. */
export const acceptanceSchema = z.object({
  /** What was accepted: see {@link troubleMark}. */
  mark: z.string().regex(/^[0-9a-f]{64}$/),
  reason: z.string().trim().min(1).max(400),
  acceptedAt: z.iso.datetime(),
});
export type Acceptance = z.infer<typeof acceptanceSchema>;

/**
 * A mark of a trouble as it was seen: the trouble, the keep, and the framing under it. When any of them changes the
 * mark is another one, so an acceptance ends by itself.
 */
export function troubleMark(trouble: Trouble, plan: RenderPlan, keeps: readonly Keep[]): string {
  const under = tidyFraming(plan.framing, [trouble.span], plan.master.displayed, plan.frame).stretches;
  const keep = keeps.find((k) => k.id === trouble.keepId);
  return bytesToHex(
    sha256(
      utf8ToBytes(
        canonicalJson({
          code: trouble.code,
          span: trouble.span,
          area: trouble.area,
          frame: plan.frame,
          under,
          keep,
        }),
      ),
    ),
  );
}

/** Troubles parted into those that still ask for a person and those that one has accepted. */
export function partAccepted(
  troubles: readonly Trouble[],
  accepted: readonly Acceptance[],
  plan: RenderPlan,
  keeps: readonly Keep[],
): { open: Trouble[]; accepted: { trouble: Trouble; acceptance: Acceptance }[] } {
  if (accepted.length === 0) return { open: [...troubles], accepted: [] };
  const open: Trouble[] = [];
  const done: { trouble: Trouble; acceptance: Acceptance }[] = [];
  for (const trouble of troubles) {
    const acceptance =
      trouble.severity === 'note'
        ? undefined
        : accepted.find((a) => a.mark === troubleMark(trouble, plan, keeps));
    if (acceptance) done.push({ trouble, acceptance });
    else open.push(trouble);
  }
  return { open, accepted: done };
}
