import type { Cue } from '../interchange/captions.ts';

/** Characters in a line at most, and lines at a time (common practice). */
export const mostCharacters = 42;
export const mostLines = 2;

/** How long a text is, in whatever unit lines are limited by. */
export type Measure = (text: string) => number;

/** Characters as they are seen: a letter with its marks is one. */
const segments = new Intl.Segmenter('und', { granularity: 'grapheme' });
export const countCharacters: Measure = (text) => [...segments.segment(text)].length;

/** Words that a line should not end with: they belong to the next one. By language, a small table (common practice). */
const clings = new Set(
  [
    'a an the of to in on at by for and or but with from my your his her its our their',
    'der die das den dem des ein eine einen einem einer eines und oder im am zu von mit',
    'le la les l’ un une des du de et ou à au aux',
    'el los las una unos unas y o del al',
    'il lo gli i uno e di',
    'o os as um uma e do da dos das no na',
    'de het een en van',
  ].flatMap((words) => words.split(' ')),
);

/** What a break after a word costs, beside uneven lines: nothing after a comma or a full stop, much after an article. */
function breakCost(word: string, limit: number): number {
  const bare = word.toLowerCase().replace(/^[“"'«(]+/, '');
  if (clings.has(bare)) return limit * 0.5;
  return /[.!?…:;,—–]$/.test(word) ? -limit * 0.2 : 0;
}

/** Where a text that runs without blanks may be broken: between any two letters that are seen. */
const lettersOf = (text: string): string[] => [...segments.segment(text)].map((s) => s.segment);

/** Words, those that are longer than a line broken up. */
function wordsOf(text: string, limit: number, measure: Measure): { word: string; glued: boolean }[] {
  return text
    .split(/[ \t\n\u3000]+/)
    .filter(Boolean)
    .flatMap((word) => {
      if (measure(word) <= limit) return [{ word, glued: false }];
      const parts: string[] = [];
      for (const letter of lettersOf(word)) {
        const last = parts.at(-1);
        if (last !== undefined && measure(last + letter) <= limit) parts[parts.length - 1] = last + letter;
        else parts.push(letter);
      }
      return parts.map((part, i) => ({ word: part, glued: i > 0 }));
    });
}

type Words = ReturnType<typeof wordsOf>;
const join = (words: Words) =>
  words.reduce((line, { word, glued }, i) => (i && !glued ? `${line} ${word}` : line + word), '');

/** The fewest lines that words go into, and how they are broken so that the lines are as even as can be. */
function evenLines(words: Words, limit: number, measure: Measure): string[] {
  let needed = 1;
  let line: Words = [];
  for (const word of words) {
    if (line.length && measure(join([...line, word])) > limit) {
      needed++;
      line = [word];
    } else line.push(word);
  }
  if (needed === 1) return [join(words)];
  const ideal = measure(join(words)) / needed;
  // Best ways to break the first words into so many lines.
  type Best = { cost: number; lines: string[] };
  let best: (Best | null)[] = words.map((_, i) => {
    const text = join(words.slice(0, i + 1));
    return measure(text) <= limit ? { cost: (measure(text) - ideal) ** 2, lines: [text] } : null;
  });
  for (let n = 1; n < needed; n++) {
    best = words.map((_, end) => {
      let found: Best | null = null;
      for (let start = end; start >= 1; start--) {
        const text = join(words.slice(start, end + 1));
        if (measure(text) > limit) break;
        const before = best[start - 1];
        if (!before) continue;
        const bend = breakCost(words[start - 1]!.word, limit);
        const cost = before.cost + (measure(text) - ideal) ** 2 + Math.sign(bend) * bend ** 2;
        if (!found || cost < found.cost) found = { cost, lines: [...before.lines, text] };
      }
      return found;
    });
  }
  return best.at(-1)?.lines ?? [join(words)];
}

/** A text in as few lines of at most a width as hold it, as even as can be. */
export const balancedLines = (text: string, limit: number, measure: Measure): string[] =>
  evenLines(wordsOf(text, limit, measure), limit, measure);

/** Lines of two people who speak, each begun by a dash, are left apart. */
const isDialogue = (lines: readonly string[]) =>
  lines.length > 1 && lines.every((line) => /^[-–—]/.test(line));

/**
 * Breaks a cue's words into lines no longer than a limit: as it was broken where that fits, else as evenly as can be,
 * and rather not behind an article.
 */
export function wrapLines(
  lines: readonly string[],
  limit: number,
  measure: Measure = countCharacters,
): string[] {
  if (lines.length <= mostLines && lines.every((line) => measure(line) <= limit)) return [...lines];
  if (isDialogue(lines)) return lines.flatMap((line) => balancedLines(line, limit, measure));
  return balancedLines(lines.join(' '), limit, measure);
}

/**
 * Wraps cues, at most {@link mostLines} lines at a time: one that has more words is shown in parts, one after the other,
 * each for its share of the time.
 */
export function wrapCues(
  cues: readonly Cue[],
  limit = mostCharacters,
  measure: Measure = countCharacters,
): Cue[] {
  return cues.flatMap((cue) => {
    const lines = wrapLines(cue.lines, limit, measure);
    if (lines.length <= mostLines) return [{ ...cue, lines }];
    const parts = Array.from({ length: Math.ceil(lines.length / mostLines) }, (_, i) =>
      lines.slice(i * mostLines, (i + 1) * mostLines),
    );
    const lengths = parts.map((part) => countCharacters(part.join(' ')));
    const all = lengths.reduce((a, b) => a + b, 0);
    let at = cue.from;
    return parts.map((part, i) => {
      const to = i === parts.length - 1 ? cue.to : at + ((cue.to - cue.from) * lengths[i]!) / all;
      const shown = { from: at, to, lines: part };
      at = to;
      return shown;
    });
  });
}
