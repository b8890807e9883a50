import * as z from 'zod';
import { trouble, type Trouble } from '../../checks/trouble-kinds.ts';
import { countCharacters } from '../../captions/wrap.ts';
import type { Cue } from '../../interchange/captions.ts';
import type { ReadingLimits } from '../../layers/layer.ts';
import type { FrameSpan } from '../../time/span.ts';
import { countWords } from '../../words.ts';
import type { PlacementRule } from './rule.ts';

/** Characters a second that are read in time at most, and how long a cue stands at least, seconds (common practice). */
export const usualReading: ReadingLimits = { speed: 20, shortest: 5 / 6 };
/** Rounding to thousandths of a second is no fault. */
const rounding = 0.002;

/** What cannot be read in its time. */
function readingTroubles(
  cues: readonly Cue[],
  { speed: most, shortest }: ReadingLimits,
  source: FrameSpan,
): Trouble[] {
  const speed = ({ from, to, lines }: Cue) => countCharacters(lines.join(' ')) / (to - from);
  const fast = cues.filter((cue) => speed(cue) > most + 0.05);
  const short = cues.filter(({ from, to }) => to - from < shortest - rounding);
  const found: Trouble[] = [];
  if (fast.length) {
    const quickest = Math.max(...fast.map(speed));
    const sentence = `${countWords(fast.length, 'cue')} of ${cues.length} cannot be read in time: up to ${Math.round(quickest)} characters a second, where ${most} ${most === usualReading.speed ? 'are usual' : 'are the most here'}.`;
    found.push(trouble('captions-fast', source, sentence));
  }
  if (short.length)
    found.push(
      trouble(
        'captions-short',
        source,
        `${countWords(short.length, 'cue')} of ${cues.length} stand${short.length === 1 ? 's' : ''} for less than ${shortest.toFixed(2)} s.`,
      ),
    );
  return found;
}

/** Whether captions go with the film, and how: beside it in a file of their own, or drawn into the picture. */
export const captionsRule = {
  fields: {
    captions: z.enum(['none', 'sidecar', 'burned']).optional(),
    /** Of a file beside the film; SubRip where missing. */
    captionFormat: z.enum(['srt', 'vtt']).optional(),
    /** As BCP 47 writes it: `en`, `pt-BR`. */
    captionLanguage: z
      .string()
      .regex(/^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$/, 'a language is written en or pt-BR')
      .optional(),
  },
  words({ captions, captionFormat, captionLanguage }) {
    const language = captionLanguage ? ` (${captionLanguage})` : '';
    if (captions === 'burned') return [`Captions${language} are drawn into the picture.`];
    if (captions !== 'sidecar') return [];
    return [`Captions${language} beside the film, as ${captionFormat === 'vtt' ? 'WebVTT' : 'SubRip'}.`];
  },
  troubles({ plan, captions: cues, reading }, { captions: wanted, captionLanguage }, source) {
    if (wanted === undefined || wanted === 'none') return [];
    if (!cues)
      return [
        trouble(
          'no-captions',
          source,
          captionLanguage
            ? `This place asks for captions in ${captionLanguage}, and there are none in that language.`
            : 'This place asks for captions, and there are none.',
        ),
      ];

    if (!cues.length)
      return [
        trouble('no-captions', source, 'None of the captions falls into what is delivered.', { mend: '' }),
      ];
    const room =
      wanted === 'burned' && !plan.captions
        ? [trouble('captions-no-room', source, 'The frame’s clear area holds no two lines of captions.')]
        : [];
    return [...room, ...readingTroubles(cues, reading ?? usualReading, source)];
  },
} satisfies PlacementRule<{
  captions?: 'none' | 'sidecar' | 'burned' | undefined;
  captionFormat?: 'srt' | 'vtt' | undefined;
  captionLanguage?: string | undefined;
}>;
