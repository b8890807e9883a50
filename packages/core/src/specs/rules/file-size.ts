import * as z from 'zod';
import { checkLine } from '../../checks/check-line.ts';
import { bitrateLabel, bytesLabel } from '../../checks/labels.ts';
import { trouble } from '../../checks/trouble-kinds.ts';
import { planSeconds } from '../../render/read-plan.ts';
import { durationLabel } from '../../time/timecode.ts';
import { budgetRate } from '../../render/budget.ts';
import type { Size } from '../../picture/geometry.ts';
import type { Rate } from '../../time/rate.ts';
import type { VideoCodec } from '../video-rate.ts';
import type { PlacementRule } from './rule.ts';

/** The slowest rate of ordinary films (common practice): a limit that cannot hold those holds none. */
const usualRate: Rate = { num: 24, den: 1 };
/** More than any limit leaves. */
const mostKbps = 1_000_000;

interface SizedPlacement {
  maxBytes?: number | undefined;
  duration?: { maxSeconds?: number | undefined } | undefined;
  frame: Size;
  video: { codec: VideoCodec };
  audio: { kbps: number } | null;
}

/** How large a file may be. */
export const fileSizeRule = {
  fields: { maxBytes: z.number().int().positive().optional() },
  words: ({ maxBytes }) => (maxBytes ? [`The file is at most ${bytesLabel(maxBytes)}.`] : []),
  troubles({ plan, budget }, { maxBytes = 0 }, source) {
    if (!budget.feasible) {
      const left = budget.rate.mode === 'two-pass' ? budget.rate.targetKbps : 0;
      const sentence = `${bytesLabel(maxBytes)} leaves only ${bitrateLabel(left)} for ${durationLabel(planSeconds(plan))}: below ${bitrateLabel(budget.floorKbps)} the picture falls apart.`;
      return [trouble('size-floor', source, sentence)];
    }
    if (!budget.lowered || budget.rate.mode !== 'two-pass') return [];
    const sentence = `The bitrate is lowered to ${bitrateLabel(budget.rate.targetKbps)} so that the file stays under ${bytesLabel(maxBytes)}.`;
    return [trouble('rate-lowered', source, sentence)];
  },
  lines: ({ plan: { maxBytes } }, { bytes }) =>
    maxBytes === null
      ? []
      : [checkLine('file-size', `≤ ${bytesLabel(maxBytes)}`, bytesLabel(bytes), bytes <= maxBytes)],
  unmeetable({ maxBytes, duration, frame, video, audio }) {
    const seconds = duration?.maxSeconds;
    if (maxBytes === undefined || seconds === undefined) return [];
    const { feasible, floorKbps } = budgetRate(
      { mode: 'two-pass', targetKbps: mostKbps, maxKbps: mostKbps },
      video.codec,
      frame,
      usualRate,
      seconds,
      audio?.kbps ?? 0,
      maxBytes,
    );
    if (feasible) return [];
    const message = `${bytesLabel(maxBytes)} cannot hold ${durationLabel(seconds)}, which are allowed: that needs at least ${bitrateLabel(floorKbps)} of picture`;
    return [{ path: ['maxBytes'], message }];
  },
} satisfies PlacementRule<SizedPlacement>;
