import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import * as z from 'zod';
import { canonicalJson } from '../canonical.ts';
import { keptInOrder, paceValue, usualCeiling } from '../edits/cut.ts';
import { filled, frameOfPanel, layoutAt, type Framing } from '../framing/framing.ts';
import { largestZoom } from '../framing/move.ts';
import { tidyFraming } from '../framing/shots-of.ts';
import { largestWindowSize } from '../picture/fit.ts';
import type { Margins } from '../picture/geometry.ts';
import { publishedMargins } from '../picture/safe.ts';
import type { PlannedVersion, RenderPlan } from '../render/plan-schema.ts';
import { placementRules } from '../specs/rules/rules.ts';
import type { Placement } from '../specs/schema.ts';
import { durationLabel } from '../time/timecode.ts';
import { fps, rateLabel } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { keepAt, keepsWithin, type Keep } from './keeps.ts';
import { trouble, type Trouble } from './trouble-kinds.ts';
import { hiddenThings, type HiddenThing, type SeenThing } from './seen.ts';
import { layerTroubles } from './layer-troubles.ts';
import { hiddenKeeps, type FrameRules, type HiddenSpan } from './visibility.ts';

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
  /** What was seen in the film and should not be hidden; nothing where nobody has looked. */
  seen?: readonly SeenThing[];
}

/** What a version's frame demands of keeps. */
export function frameRules(
  placement: Placement,
  frame: FrameRules['frameSize'],
  margin: MarginChoice,
): FrameRules {
  return {
    frameSize: frame,
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
  frame: FrameRules['frameSize'],
): { span: FrameSpan; factor: number }[] {
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
              return (part.width / largestWindowSize(master, part).width) * largestZoom(move);
            }),
          );
    return factor > 1.005 ? [{ span, factor }] : [];
  });
}

function keepTrouble({ keep, how, span }: HiddenSpan): Trouble {
  const keepId = keep.id;
  const name = keep.name[0]!.toUpperCase() + keep.name.slice(1);
  switch (how.kind) {
    case 'cut':
      return trouble('keep-cut', span, `${name} is cut by the window.`, { keepId });
    case 'blocked':
      return trouble('keep-blocked', span, `${name} is behind “${how.area}”.`, { keepId, area: how.area });
    case 'margin':
      return trouble('keep-margin', span, `${name} is outside the safe margin.`, { keepId });
  }
}

/** A face is cut when the share of it that is shown is between these two; below the first it is out of the picture. */
const [leftOut, asGoodAsWhole] = [0.08, 0.98];

/** Whether a window shows a part of a face that it could show whole, in most of the frames that it is looked at in. */
function isHalfAFace({ keep, span }: HiddenThing, plan: RenderPlan): boolean {
  const { displayed } = plan.master;
  const looks = [0.1, 0.3, 0.5, 0.7, 0.9].map((t) => Math.floor(span.from + (span.to - 1 - span.from) * t));
  const halves = looks.filter((frame) => {
    const box = keepAt(keep, frame);
    const [width, height] = [box.width * displayed.width, box.height * displayed.height];
    return layoutAt(plan.framing, frame, displayed, plan.frame).panels.every(({ source }) => {
      if (width > source.width || height > source.height) return false;
      const [x, y] = [box.x * displayed.width, box.y * displayed.height];
      const across = Math.min(x + width, source.x + source.width) - Math.max(x, source.x);
      const down = Math.min(y + height, source.y + source.height) - Math.max(y, source.y);
      const shown = (Math.max(0, across) * Math.max(0, down)) / (width * height);
      return shown > leftOut && shown < asGoodAsWhole;
    });
  });
  return halves.length * 2 > looks.length;
}

/**
 * Something that was seen is hidden: worth a look, and no fault, since nobody has said that it must be seen. A face of
 * which a part is shown is a fault: nobody delivers half a face on purpose.
 */
function seenTrouble(hidden: HiddenThing, plan: RenderPlan, framesPerSecond: number): Trouble {
  const { keep, how, span, frames } = hidden;
  const name = keep.name[0]!.toUpperCase() + keep.name.slice(1);
  const time = durationLabel(frames / framesPerSecond);
  const seen = { id: keep.id, name: keep.name, what: keep.what };
  switch (how.kind) {
    case 'cut':
      if (keep.what === 'face' && isHalfAFace(hidden, plan))
        return trouble('face-cut', span, `${name} is cut in part by the window for ${time}.`, { seen });
      return trouble('seen-cut', span, `${name} is cut by the window for ${time}.`, { seen });
    case 'blocked':
      return trouble('seen-blocked', span, `${name} is behind “${how.area}” for ${time}.`, {
        seen,
        area: how.area,
      });
    case 'margin':
      return trouble('seen-margin', span, `${name} is outside the safe margin for ${time}.`, { seen });
  }
}

/** What the film itself brings along, whatever the place says. */
function filmTroubles({ plan, textlessMissing }: PlannedVersion, source: FrameSpan): Trouble[] {
  const found: Trouble[] = [];
  if (textlessMissing)
    found.push(
      trouble(
        'textless-missing',
        source,
        'It is to be drawn from the textless master, and the film has none that was matched with it.',
      ),
    );
  if (paceValue(plan.pace) > usualCeiling + 1e-9)
    found.push(
      trouble(
        'pace-high',
        source,
        `It plays at ${Number(paceValue(plan.pace).toFixed(3))} times its speed: above ${usualCeiling.toFixed(2)} speech gets hard to follow.`,
      ),
    );
  if (plan.master.rateVaries)
    found.push(
      trouble(
        'conformed',
        source,
        `The master’s uneven frame rate is conformed to ${rateLabel(plan.master.rate)}.`,
      ),
    );
  return found;
}

/** Where the picture is enlarged: how far at most, and where it gets soft. Shots that follow each other are one trouble. */
function enlargedTroubles(plan: RenderPlan, kept: readonly FrameSpan[]): Trouble[] {
  const enlarged = kept.flatMap((span) =>
    enlargements(plan.framing, span, plan.master.displayed, plan.frame),
  );
  const most = enlarged.reduce<(typeof enlarged)[number] | null>(
    (far, e) => (far && far.factor >= e.factor ? far : e),
    null,
  );
  const soft = enlarged
    .filter((e) => e.factor > softBeyond)
    .reduce<typeof enlarged>((runs, e) => {
      const last = runs.at(-1);
      if (last?.span.to !== e.span.from) return [...runs, e];
      const span = { from: last.span.from, to: e.span.to };
      return [...runs.slice(0, -1), { span, factor: Math.max(last.factor, e.factor) }];
    }, []);
  return [
    ...(most
      ? [trouble('enlarged', most.span, `The picture is enlarged ${most.factor.toFixed(2)} times.`)]
      : []),
    ...soft.map(({ span, factor }) =>
      trouble('enlarged-far', span, `The picture is enlarged ${factor.toFixed(2)} times and will look soft.`),
    ),
  ];
}

/** Where bars show: only a frame of another shape has any. */
function barTroubles(plan: RenderPlan, kept: readonly FrameSpan[]): Trouble[] {
  const { displayed } = plan.master;
  const shapesDiffer =
    Math.abs(displayed.width * plan.frame.height - displayed.height * plan.frame.width) >
    0.002 * displayed.width * plan.frame.height;
  if (!shapesDiffer) return [];
  return plan.framing.stretches.flatMap((stretch, i) => {
    if (stretch.fill?.kind !== 'bars') return [];
    const until = plan.framing.stretches[i + 1]?.from ?? Infinity;
    return kept.flatMap((piece) => {
      const span = { from: Math.max(stretch.from, piece.from), to: Math.min(until, piece.to) };
      return span.to > span.from ? [trouble('bars', span, 'Bars show beside the picture.')] : [];
    });
  });
}

/** Whether a patch hides a keep through a span of the master: then it is nobody's loss that it is cut. */
const isPatched = ({ laid = [] }: PlannedVersion, keepId: string, span: FrameSpan): boolean =>
  laid.some(
    ({ layer: { what }, source }) =>
      what.kind === 'patch' && what.keepId === keepId && source.from <= span.from && source.to >= span.to,
  );

/** Everything wrong with a planned version before it is exported, worst first. */
export function troublesOf(
  planned: PlannedVersion,
  placement: Placement,
  watched: Watched = { keeps: [], margin: { kind: 'place' } },
): Trouble[] {
  const { plan } = planned;
  // The kept frames in the master's order, and from the first to the last of them.
  const kept = keptInOrder(plan.kept);
  const source: FrameSpan = { from: kept[0]!.from, to: kept.at(-1)!.to };
  const keeps = keepsWithin(watched.keeps, plan.master.frames);
  const rules = frameRules(placement, plan.frame, watched.margin);
  const hidden = kept
    .flatMap((span) => hiddenKeeps(plan.framing, keeps, span, plan.master.displayed, rules))
    .filter(({ keep, span }) => !isPatched(planned, keep.id, span));
  const framesPerSecond = fps(plan.master.rate);
  const overlooked = hiddenThings(
    plan.framing,
    watched.seen ?? [],
    kept,
    plan.master.displayed,
    rules,
    framesPerSecond,
  );
  const found = [
    ...placementRules.flatMap((rule) => rule.troubles?.(planned, placement, source) ?? []),
    ...filmTroubles(planned, source),
    ...enlargedTroubles(plan, kept),
    ...barTroubles(plan, kept),
    ...hidden.map(keepTrouble),
    ...overlooked.map((h) => seenTrouble(h, plan, framesPerSecond)),
    ...layerTroubles(planned, rules, [...keeps, ...(watched.seen ?? []).filter((s) => s.what === 'face')]),
  ];
  const order = { fault: 0, look: 1, note: 2 };
  return found.sort((a, b) => order[a.severity] - order[b.severity] || a.span.from - b.span.from);
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
          seen: trouble.seen,
          frame: plan.frame,
          under,
          keep,
          layer: trouble.layerId && [trouble.layerId, trouble.sentence],
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
