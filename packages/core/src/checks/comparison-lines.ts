import type { Comparison } from '../compare/comparison.ts';
import { partSide } from '../compare/parts-apart.ts';
import { leastLikeness } from '../compare/likeness.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { spanLength, type FrameSpan } from '../time/span.ts';
import { countWords } from '../words.ts';
import { checkLine, type CheckLine } from './check-line.ts';

/** How far sound may lie from its picture, seconds: a frame at 25 a second; more is seen (EBU R 37 allows 40 ms early; from memory). */
const syncTolerance = 0.04;
/** How far the mean colour of a picture's parts may lie from the plan's, levels of 8 bits (common practice). */
const colourTolerance = 7;
/** How far contrast, and the strength and hue of colours, may lie from the plan's, as shares: four times what coding does (from our own trials). */
const contrastTolerance = 0.08;
const tintTolerance = 0.15;

const percent = (share: number) => `${Math.round(share * 100)} %`;

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

/** Frames that show something else are spans of the picture's line too, in the film's order. */
const inOrder = (spans: readonly FrameSpan[]) => [...spans].sort((a, b) => a.from - b.from);

function pictureLine({ likeness, colour, grade, unlike, samples, odd }: Comparison): CheckLine {
  const told =
    likeness === null ? 'nothing to compare' : `${likeness.value.toFixed(2)} at frame ${likeness.at}`;
  const tint = colour === null ? '' : `, colour within ${Math.round(colour.value)}`;
  const graded = [
    grade?.contrast != null && { name: 'contrast', share: Math.abs(grade.contrast), most: contrastTolerance },
    grade?.tint != null && { name: 'colours', share: grade.tint, most: tintTolerance },
  ].filter((line) => line !== false);
  const wanted = graded.map(({ name, most }) => `, ${name} within ${percent(most)}`).join('');
  const found = graded.map(({ name, share }) => `, ${name} within ${percent(share)}`).join('');
  const isOff =
    (colour !== null && colour.value > colourTolerance) || graded.some(({ share, most }) => share > most);
  return checkLine(
    'picture',
    `as planned: likeness ≥ ${leastLikeness} (SSIM), colour within ${colourTolerance} levels${wanted}, in ${countWords(samples, 'frame')}${odd ? '; nothing else in any, seen small' : ''}`,
    `${told}${tint}${found}${odd?.length ? `; something else in ${countWords(framesOf(odd), 'frame')}` : ''}`,
    likeness !== null && unlike.length === 0 && !isOff && !odd?.length,
    unlike.length || odd?.length || !isOff || colour === null
      ? inOrder([...unlike, ...(odd ?? [])])
      : [{ from: colour.at, to: colour.at + 1 }],
  );
}

/** Where in the frame something lies, by the third that its middle is in. */
function placeWords({
  x,
  y,
  width,
  height,
}: {
  x: number;
  y: number;
  width: number;
  height: number;
}): string {
  const third = (at: number, words: readonly [string, string, string]) =>
    words[at < 1 / 3 ? 0 : at <= 2 / 3 ? 1 : 2];
  const across = third(x + width / 2, ['left', '', 'right']);
  const down = third(y + height / 2, ['top', '', 'bottom']);
  return [down, across].filter(Boolean).join(' ') || 'in the middle';
}

function overlayLine({ foreign, samples }: Comparison, { frame }: RenderPlan): CheckLine[] {
  if (!foreign) return [];
  const things = foreign.map(
    ({ box }) =>
      `${placeWords(box)}, about ${Math.round(box.width * frame.width)} × ${Math.round(box.height * frame.height)} px`,
  );
  return [
    checkLine(
      'overlay',
      `nothing that the plan has not, from about ${Math.ceil(3 * partSide(frame))} px on, in ${countWords(samples, 'frame')}`,
      things.length ? [...new Set(things)].slice(0, 3).join('; ') : 'nothing',
      foreign.length === 0,
      inOrder(foreign.map(({ span }) => span)),
    ),
  ];
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

type OtherSound = NonNullable<Comparison['otherSound']>[number];

/** What is said of each kind of thing that is not the master's. */
const otherSoundWords: Record<OtherSound['kind'], (fault: OtherSound) => string> = {
  gap: (fault) => `silent for ${fault.seconds.toFixed(1)} s${inChannel(fault)}`,
  other: (fault) => `something else for ${fault.seconds.toFixed(1)} s${inChannel(fault)}`,
  turned: ({ channel }) => `the ${channelName(channel)} channel is upside down`,
  exchanged: () => 'left and right are exchanged',
  narrowed: () => 'both channels are the same, where the master’s are not',
  unlike: () => 'made over: its waves are not the master’s',
};
const channelName = (channel: number | undefined) => (channel === 1 ? 'right' : 'left');
const inChannel = ({ channel }: OtherSound) =>
  channel === undefined ? '' : ` on the ${channelName(channel)}`;

/** No more of them are said in words; all are spans of the line. */
const mostSaid = 3;

function otherSoundLine({ otherSound }: Comparison): CheckLine[] {
  if (!otherSound) return [];
  const more = otherSound.length - mostSaid;
  const said = otherSound.slice(0, mostSaid).map((fault) => otherSoundWords[fault.kind](fault));
  return [
    checkLine(
      'sound-alike',
      'no gap and nothing else heard, from 0.1 s and 20 dB on; channels in their places',
      said.length ? [...said, ...(more > 0 ? [`${more} more`] : [])].join('; ') : 'as in the master',
      otherSound.length === 0,
      otherSound.map(({ span }) => span),
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
    ...otherSoundLine(compared),
    noneOf('black', compared.black, 'none that the master has not'),
    ...(compared.frozen ? [noneOf('frozen', compared.frozen, 'none where the master moves')] : []),
    ...(compared.repeated ? [noneOf('repeated', compared.repeated, 'none that the plan has not')] : []),
    ...missingLine(compared, plan.frames),
    barsLine(compared),
    pictureLine(compared),
    ...overlayLine(compared, plan),
    ...cropLine(compared),
    ...drawnCaptionsLine(compared),
  ];
}
