import type { Comparison } from '../compare/comparison.ts';
import { leastLikeness } from '../compare/places.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { spanLength, type FrameSpan } from '../time/span.ts';
import { countWords } from '../words.ts';
import { checkLine, type CheckLine } from './check-line.ts';

/** How far sound may lie from its picture, seconds: a frame at 25 a second; more is seen (EBU R 37 allows 40 ms early; from memory). */
const syncTolerance = 0.04;
/** How far the mean colour of a picture's parts may lie from the plan's, levels of 8 bits (common practice). */
const colourTolerance = 7;

const framesOf = (spans: readonly FrameSpan[]) => spans.reduce((sum, s) => sum + spanLength(s), 0);

/** A line that wants none of something. */
function noneOf(id: 'black' | 'frozen' | 'repeated', spans: readonly FrameSpan[], words: string): CheckLine {
  return checkLine(
    id,
    words,
    spans.length ? countWords(framesOf(spans), 'frame') : 'none',
    spans.length === 0,
    spans,
  );
}

function missingLine({ missing }: Comparison, frames: number): CheckLine[] {
  if (!missing) return [];
  const count = missing.reduce((sum, m) => sum + m.count, 0);
  const spans = missing.map(({ at }) => {
    const from = Math.max(0, Math.min(frames - 1, at - 1));
    return { from, to: from + 2 };
  });
  return [checkLine('missing', 'none', count ? countWords(count, 'frame') : 'none', count === 0, spans)];
}

function pictureLine({ likeness, colour, unlike, samples }: Comparison): CheckLine {
  const told =
    likeness === null ? 'nothing to compare' : `${likeness.value.toFixed(2)} at frame ${likeness.at}`;
  const tint = colour === null ? '' : `, colour within ${Math.round(colour.value)}`;
  const isOff = colour !== null && colour.value > colourTolerance;
  return checkLine(
    'picture',
    `as planned: likeness ≥ ${leastLikeness} (SSIM), colour within ${colourTolerance} levels, in ${countWords(samples, 'frame')}`,
    `${told}${tint}`,
    likeness !== null && unlike.length === 0 && !isOff,
    unlike.length || !isOff ? unlike : [{ from: colour.at, to: colour.at + 1 }],
  );
}

function cropLine({ window, shifted }: Comparison): CheckLine[] {
  if (!window) return [];
  const tolerance = Number(window.tolerance.toFixed(1));
  return [
    checkLine(
      'crop',
      `within ${countWords(tolerance, 'master pixel')} of the plan`,
      `${window.value.toFixed(1)} at frame ${window.at}`,
      shifted.length === 0,
      shifted,
    ),
  ];
}

function barsLine({ bars, barred }: Comparison): CheckLine {
  const deep = bars
    ? Object.entries(bars)
        .filter(([, depth]) => depth > 0)
        .map(([side, depth]) => `${side} ${depth} px`)
        .join(', ')
    : 'none';
  return checkLine('bars', 'none that were not asked for', deep, bars === null, barred);
}

function syncLine({ sound }: Comparison): CheckLine[] {
  if (!sound) return [];
  const ms = Math.round(Math.abs(sound.seconds) * 1000);
  const said = !sound.found
    ? 'not the master’s sound'
    : ms === 0
      ? 'in step'
      : `${ms} ms ${sound.seconds > 0 ? 'late' : 'early'}`;
  return [
    checkLine(
      'sync',
      `within ${syncTolerance * 1000} ms of the master’s`,
      said,
      sound.found && Math.abs(sound.seconds) <= syncTolerance + 1e-6,
      [{ from: sound.at, to: sound.at + 1 }],
    ),
  ];
}

function drawnCaptionsLine({ captions }: Comparison): CheckLine[] {
  if (!captions) return [];
  const { looked, wrong } = captions;
  return [
    checkLine(
      'captions',
      `drawn in from their first frame to their last, in ${countWords(looked, 'cue')} looked at`,
      wrong.length ? `${wrong.length} otherwise` : 'as planned',
      wrong.length === 0,
      wrong,
    ),
  ];
}

/** The lines of a report that a file's comparison with its master gives. */
export function comparisonLines(plan: RenderPlan, compared: Comparison): CheckLine[] {
  return [
    ...syncLine(compared),
    noneOf('black', compared.black, 'none that the master has not'),
    ...(compared.frozen ? [noneOf('frozen', compared.frozen, 'none where the master moves')] : []),
    ...(compared.repeated ? [noneOf('repeated', compared.repeated, 'none that the plan has not')] : []),
    ...missingLine(compared, plan.frames),
    barsLine(compared),
    pictureLine(compared),
    ...cropLine(compared),
    ...drawnCaptionsLine(compared),
  ];
}
