import * as z from 'zod';
import { trouble, type Trouble } from '../../checks/trouble-kinds.ts';
import { countCharacters } from '../../captions/wrap.ts';
import type { Cue } from '../../interchange/captions.ts';
import type { FrameSpan } from '../../time/span.ts';
import { countWords } from '../../words.ts';
import type { PlacementRule } from './rule.ts';

/** Characters a second that are read in time at most, and how long a cue stands at least, seconds (common practice). */
const readingSpeed = 20;
const shortest = 5 / 6;
/** Rounding to thousandths of a second is no fault. */
const rounding = 0.002;

/** What cannot be read in its time. */
function readingTroubles(cues: readonly Cue[], source: FrameSpan): Trouble[] {
  const speed = ({ from, to, lines }: Cue) => countCharacters(lines.join(' ')) / (to - from);
  const fast = cues.filter((cue) => speed(cue) > readingSpeed + 0.05);
  const short = cues.filter(({ from, to }) => to - from < shortest - rounding);
  const found: Trouble[] = [];
  if (fast.length) {
    const most = Math.max(...fast.map(speed));
    const sentence = `${countWords(fast.length, 'cue')} of ${cues.length} cannot be read in time: up to ${Math.round(most)} characters a second, where ${readingSpeed} are usual.`;
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
  troubles({ plan, captions: cues }, { captions: wanted }, source) {
    if (wanted === undefined || wanted === 'none') return [];
    if (!cues)
      return [trouble('no-captions', source, 'This place asks for captions, and none are made yet.')];
    if (!cues.length)
      return [
        trouble('no-captions', source, 'None of the captions falls into what is delivered.', { mend: '' }),
      ];
    const room =
      wanted === 'burned' && !plan.captions
        ? [trouble('captions-no-room', source, 'The frame’s clear area holds no two lines of captions.')]
        : [];
    return [...room, ...readingTroubles(cues, source)];
  },
} satisfies PlacementRule<{
  captions?: 'none' | 'sidecar' | 'burned' | undefined;
  captionFormat?: 'srt' | 'vtt' | undefined;
  captionLanguage?: string | undefined;
}>;
