import * as z from 'zod';
import { checkLine } from '../../checks/check-line.ts';
import { bitrateLabel, bytesLabel } from '../../checks/labels.ts';
import { trouble } from '../../checks/trouble-kinds.ts';
import { planSeconds } from '../../render/read-plan.ts';
import { durationLabel } from '../../time/timecode.ts';
import type { PlacementRule } from './rule.ts';

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
} satisfies PlacementRule<{ maxBytes?: number | undefined }>;
