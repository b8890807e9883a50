import * as z from 'zod';
import { checkLine } from '../../checks/check-line.ts';
import { trouble } from '../../checks/trouble-kinds.ts';
import { compareRates, parseRate, rateLabel } from '../../time/rate.ts';
import { closed } from '../closed.ts';
import type { PlacementRule } from './rule.ts';

const rateString = z
  .string()
  .refine((text) => parseRate(text).ok, 'a rate is written as "25" or "30000/1001"');

const frameRate = closed({
  max: rateString.optional(),
  allowed: z.array(rateString).min(1).optional(),
});

const read = (texts: readonly string[]) =>
  texts
    .map((text) => {
      const rate = parseRate(text);
      return rate.ok ? rateLabel(rate.value) : text;
    })
    .join(', ');

/** The frame rates that are taken. */
export const frameRateRule = {
  fields: { frameRate: frameRate.optional() },
  words({ frameRate: rates }) {
    const most = rates?.max ? `at most ${read([rates.max])}` : null;
    if (rates?.allowed) return [`Taken at ${read(rates.allowed)}${most ? `, ${most}` : ''} frames a second.`];
    return [most ? `${most[0]!.toUpperCase()}${most.slice(1)} frames a second.` : 'Any frame rate is taken.'];
  },
  troubles({ plan, delivered }, _placement, source) {
    // A pace alone leaves frames out as well; that is no fault of the rate.
    if (delivered.step.kind !== 'nearest' || compareRates(plan.rate, plan.master.rate) === 0) return [];
    const sentence = `${rateLabel(plan.master.rate)} frames a second is not taken here: ${delivered.words}.`;
    const slower = compareRates(delivered.rate, plan.master.rate) < 0;
    return [
      trouble(
        'rate-uneven',
        source,
        sentence,
        slower ? { mend: 'Movement will stutter; an edit at the place’s own rate avoids it.' } : {},
      ),
    ];
  },
  lines: ({ plan }, { video }) => [
    checkLine(
      'frame-rate',
      `${rateLabel(plan.rate)}, steady`,
      `${rateLabel(video.rate)}, ${video.evenlySpaced ? 'steady' : 'uneven'}`,
      compareRates(video.rate, plan.rate) === 0 && video.evenlySpaced,
      video.unevenAt ? [{ from: video.unevenAt, to: video.unevenAt + 1 }] : [],
    ),
  ],
} satisfies PlacementRule<{
  frameRate?: { max?: string | undefined; allowed?: string[] | undefined } | undefined;
}>;
