import { z } from 'zod';
import { enlargement } from '../picture/fit.ts';
import { sizeLabel } from '../masters/facts.ts';
import { compareRates, fps, framesWithin, rateLabel, withinSeconds } from '../time/rate.ts';
import { durationLabel } from '../time/timecode.ts';
import { frameSpanSchema } from '../time/span.ts';
import type { Placement } from '../specs/schema.ts';
import { planSeconds, planSource, type PlannedVersion } from '../render/plan.ts';

/**
 * Something wrong, or worth knowing, at a span of frames of a version.
 * - `fault`: breaks a rule of the placement; nothing is exported until it is mended.
 * - `look`: needs a person's eye.
 * - `note`: worth knowing, nothing to do.
 */
export const troubleSchema = z.object({
  code: z.enum(['too-long', 'too-short', 'no-sound', 'rate-uneven', 'size-floor', 'rate-lowered', 'enlarged', 'conformed', 'no-level']),
  severity: z.enum(['fault', 'look', 'note']),
  /** Master frames that it covers. */
  span: frameSpanSchema,
  sentence: z.string(),
  /** What would mend it; empty where nothing needs mending. */
  mend: z.string(),
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

/** A number of frames as seconds and frames: `9.2 s`, `3 frames`. */
function framesLabel(frames: number, rate: { num: number; den: number }): string {
  return frames < fps(rate) ? `${frames} frame${frames === 1 ? '' : 's'}` : durationLabel(frames / fps(rate));
}

/** Everything wrong with a planned version before it is exported, worst first. */
export function troublesOf(planned: PlannedVersion, placement: Placement): Trouble[] {
  const { plan, delivered, budget } = planned;
  const source = planSource(plan);
  const troubles: Trouble[] = [];
  const add = (code: Trouble['code'], severity: Trouble['severity'], sentence: string, mend = '', span = source) =>
    troubles.push({ code, severity, span, sentence, mend });

  const { minSeconds, maxSeconds } = placement.duration ?? {};
  if (maxSeconds !== undefined && !withinSeconds(plan.frames, plan.rate, maxSeconds)) {
    const over = plan.frames - framesWithin(maxSeconds, plan.rate);
    const overSource = Math.min(source.to - source.from, Math.round((over * plan.master.rate.num * plan.rate.den) / (plan.master.rate.den * plan.rate.num)));
    add('too-long', 'fault', `Runs ${durationLabel(planSeconds(plan))}; at most ${durationLabel(maxSeconds)} is allowed, so ${framesLabel(over, plan.rate)} must go.`,
      'Deliver a shorter stretch of the film, or choose a place that allows more.', { from: Math.max(source.from, source.to - overSource), to: source.to });
  }
  if (minSeconds !== undefined && plan.frames * plan.rate.den < minSeconds * plan.rate.num - 1e-6) {
    add('too-short', 'fault', `Runs ${durationLabel(planSeconds(plan))}; at least ${durationLabel(minSeconds)} is asked for.`, 'Use a longer film here.');
  }
  if (!budget.feasible) {
    const left = budget.rate.mode === 'two-pass' ? budget.rate.targetKbps : 0;
    add('size-floor', 'fault', `${bytesLabel(placement.maxBytes ?? 0)} leaves only ${bitrateLabel(left)} for ${durationLabel(planSeconds(plan))}: below ${bitrateLabel(budget.floorKbps)} the picture falls apart.`,
      'Deliver a shorter stretch of the film.');
  } else if (budget.lowered && budget.rate.mode === 'two-pass') {
    add('rate-lowered', 'note', `The bitrate is lowered to ${bitrateLabel(budget.rate.targetKbps)} so that the file stays under ${bytesLabel(placement.maxBytes ?? 0)}.`);
  }
  if (planned.soundMissing) add('no-sound', 'look', 'The master has no sound, so this file has none.', 'Bring in a master with sound if the place needs it.');
  if (delivered.step.kind === 'nearest') {
    add('rate-uneven', 'look', `${rateLabel(plan.master.rate)} frames a second is not taken here: ${delivered.words}.`,
      compareRates(delivered.rate, plan.master.rate) < 0 ? 'Movement will stutter; an edit at the place’s own rate avoids it.' : 'An edit at the place’s own rate avoids it.');
  }
  if (plan.master.rateVaries) add('conformed', 'note', `The master’s changing frame rate is conformed to ${rateLabel(plan.master.rate)}.`);
  if (plan.video.codec === 'h264' && plan.video.level === null) {
    add('no-level', 'fault', `${sizeLabel(plan.frame)} at ${rateLabel(plan.rate)} is beyond every H.264 level.`, 'Choose a smaller frame or a lower rate in the spec book.');
  }
  for (const stretch of plan.stretches) {
    const factor = enlargement(stretch.window, plan.frame);
    if (factor > 1.005) {
      add('enlarged', 'note', `The picture is enlarged ${factor.toFixed(2)} times.`, 'A master with more pixels would avoid it.', stretch.source);
    }
  }
  const order = { fault: 0, look: 1, note: 2 };
  return troubles.sort((a, b) => order[a.severity] - order[b.severity]);
}

/** True when something stops a version from being exported. */
export function isRefused(troubles: readonly Trouble[]): boolean {
  return troubles.some((t) => t.severity === 'fault');
}
