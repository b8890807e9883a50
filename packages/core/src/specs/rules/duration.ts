import * as z from 'zod';
import { checkLine } from '../../checks/check-line.ts';
import { trouble, type Trouble } from '../../checks/trouble-kinds.ts';
import { keptFrameAt } from '../../edits/cut.ts';
import type { RenderPlan } from '../../render/plan-schema.ts';
import { keptIndexAt, planSeconds } from '../../render/read-plan.ts';
import { framesWithin, frameToSeconds, withinSeconds } from '../../time/rate.ts';
import type { FrameSpan } from '../../time/span.ts';
import { durationLabel, framesLabel } from '../../time/timecode.ts';
import { closed } from '../closed.ts';
import type { PlacementRule } from './rule.ts';

const duration = closed({
  minSeconds: z.number().positive().optional(),
  maxSeconds: z.number().positive().optional(),
}).refine((d) => d.minSeconds === undefined || d.maxSeconds === undefined || d.minSeconds <= d.maxSeconds, {
  message: 'the shortest length is longer than the longest',
});

/** What plays after the limit, in the span that the cut ends with. */
function overSpan(plan: RenderPlan, over: number): FrameSpan {
  const last = plan.kept.at(-1)!;
  const first = keptFrameAt(plan.kept, keptIndexAt(plan, plan.frames - over));
  return { from: first.span === plan.kept.length - 1 ? first.frame : last.from, to: last.to };
}

/** How long a film may be, and how long it must be. */
export const durationRule = {
  fields: { duration: duration.optional() },
  words({ duration: limits }) {
    const { minSeconds, maxSeconds } = limits ?? {};
    if (minSeconds !== undefined && maxSeconds !== undefined)
      return [`From ${durationLabel(minSeconds)} to ${durationLabel(maxSeconds)}.`];
    if (maxSeconds !== undefined) return [`At most ${durationLabel(maxSeconds)}.`];
    if (minSeconds !== undefined) return [`At least ${durationLabel(minSeconds)}.`];
    return ['Of any length.'];
  },
  troubles({ plan }, { duration: limits }, source) {
    const { minSeconds, maxSeconds } = limits ?? {};
    const found: Trouble[] = [];
    const runs = durationLabel(planSeconds(plan));
    if (maxSeconds !== undefined && !withinSeconds(plan.frames, plan.rate, maxSeconds)) {
      const over = plan.frames - framesWithin(maxSeconds, plan.rate);
      const sentence = `Runs ${runs}; at most ${durationLabel(maxSeconds)} is allowed, so ${framesLabel(over, plan.rate)} must go.`;
      found.push(trouble('too-long', overSpan(plan, over), sentence));
    }
    if (minSeconds !== undefined && plan.frames * plan.rate.den < minSeconds * plan.rate.num - 1e-6)
      found.push(
        trouble('too-short', source, `Runs ${runs}; at least ${durationLabel(minSeconds)} is asked for.`),
      );
    return found;
  },
  lines({ plan, alone }, { video }, placement) {
    const { minSeconds, maxSeconds } = placement?.duration ?? {};
    const limits = [
      ...(minSeconds === undefined ? [] : [`at least ${durationLabel(minSeconds)}`]),
      ...(maxSeconds === undefined ? [] : [`at most ${durationLabel(maxSeconds)}`]),
    ];
    if (alone && limits.length === 0) return [];
    const most = maxSeconds === undefined ? Infinity : framesWithin(maxSeconds, video.rate);
    const isWithin =
      video.frames <= most &&
      (minSeconds === undefined || video.frames * video.rate.den >= minSeconds * video.rate.num - 1e-6);
    const runs = durationLabel(frameToSeconds(video.frames, video.rate));
    return [
      checkLine(
        'length',
        [...(alone ? [] : [`${plan.frames} frames`]), ...limits].join(', '),
        limits.length ? `${video.frames} frames, ${runs}` : `${video.frames} frames`,
        (alone || video.frames === plan.frames) && isWithin,
        video.frames > most ? [{ from: most, to: video.frames }] : [],
      ),
    ];
  },
} satisfies PlacementRule<{
  duration?: { minSeconds?: number | undefined; maxSeconds?: number | undefined } | undefined;
}>;
