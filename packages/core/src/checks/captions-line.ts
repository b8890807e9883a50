import type { Cue } from '../interchange/captions.ts';
import { countWords } from '../words.ts';
import { checkLine, type CheckLine } from './check-line.ts';

/** Caption files count in thousandths of a second: half of one is rounding, and one more is another's. Seconds. */
const timeTolerance = 0.0016;

const words = ({ lines }: Cue) => lines.join(' ').replace(/\s+/g, ' ');

/** Whether captions beside a film are those that were wanted: words, order and times. */
export function captionsLine(wanted: readonly Cue[], found: readonly Cue[]): CheckLine {
  const wrong = wanted.filter((cue, i) => {
    const other = found[i];
    return (
      !other ||
      words(cue) !== words(other) ||
      Math.abs(cue.from - other.from) > timeTolerance ||
      Math.abs(cue.to - other.to) > timeTolerance
    );
  }).length;
  const measured =
    wrong === 0 ? countWords(found.length, 'cue') : `${countWords(found.length, 'cue')}, ${wrong} otherwise`;
  return checkLine(
    'captions',
    `${countWords(wanted.length, 'cue')} beside the film, times within 1 ms`,
    measured,
    wrong === 0 && found.length === wanted.length,
  );
}
