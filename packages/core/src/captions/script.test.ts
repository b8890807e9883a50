import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  addCue,
  joinCues,
  replaceInCues,
  retimeCue,
  shiftCues,
  splitCue,
  stretchCues,
  type EditedCue,
} from './edit-cues.ts';
import { countSyllables, timeScript, type HeardFilm } from './script.ts';

const rate = { num: 25, den: 1 };

/** A film in which so many frames of speech, at so many decibels, follow so many of silence. */
function heardFilm(parts: readonly [speech: boolean, frames: number][]): HeardFilm {
  const levels = parts.flatMap(([on, n]) => Array.from({ length: n }, () => (on ? -20 : -70)));
  const speech: { from: number; to: number }[] = [];
  let at = 0;
  for (const [on, n] of parts) {
    if (on) speech.push({ from: at, to: at + n });
    at += n;
  }
  return { levels, speech, rate };
}

describe('a script laid along speech', () => {
  test('sentences begin where the pauses end, each as long as its syllables', () => {
    const heard = heardFilm([
      [false, 25],
      [true, 50],
      [false, 10],
      [true, 100],
      [false, 12],
      [true, 25],
      [false, 20],
    ]);
    const text =
      'Seven syllables are in this. Fourteen syllables are in this longer line that we have here. And three more.';
    const timed = timeScript(text, heard);
    if (!timed.ok) throw new Error(timed.problem.sentence);
    expect(timed.value.map((cue) => cue.from)).toEqual([1, 3.4, 7.88]);
    expect(timed.value.map((cue) => cue.lines.join(' ')).join(' ')).toBe(text);
    for (const { sure } of timed.value) expect(sure).toBeGreaterThan(0.6);
  });

  test('words keep their order and none is lost, cues never overlap and stay inside the film', () => {
    const word = fc.constantFrom(
      'kite',
      'weekend',
      'harbour,',
      'wind.',
      'sea',
      'wall!',
      'over',
      '1984',
      'Öl;',
    );
    fc.assert(
      fc.property(
        fc.array(word, { minLength: 3, maxLength: 120 }),
        fc.array(fc.tuple(fc.integer({ min: 12, max: 200 }), fc.integer({ min: 2, max: 40 })), {
          minLength: 1,
          maxLength: 12,
        }),
        (words, spans) => {
          const heard = heardFilm(
            spans.flatMap(([on, off]): [boolean, number][] => [
              [true, on],
              [false, off],
            ]),
          );
          const timed = timeScript(words.join(' '), heard);
          if (!timed.ok) return;
          expect(timed.value.flatMap((cue) => cue.lines).join(' ')).toBe(words.join(' '));
          timed.value.forEach((cue, i) => {
            expect(cue.to).toBeGreaterThan(cue.from);
            expect(cue.from).toBeGreaterThanOrEqual((timed.value[i - 1]?.to ?? 0) - 1e-6);
            expect(cue.to).toBeLessThanOrEqual(heard.levels.length / 25 + 0.25);
            expect(cue.sure).toBeGreaterThan(0);
            expect(cue.sure).toBeLessThanOrEqual(1);
          });
        },
      ),
      { numRuns: 60 },
    );
  });

  test.each([
    ['no words', ' \n… — \n', heardFilm([[true, 100]]), /holds no words/],
    ['no speech', 'Hello there.', heardFilm([[false, 200]]), /No speech is heard/],
  ])('%s: refused in a sentence', (_what, text, heard, sentence) => {
    const timed = timeScript(text, heard);
    expect(timed.ok).toBe(false);
    if (!timed.ok) expect(timed.problem.sentence).toMatch(sentence);
  });

  test('syllables are counted by their vowels, figures as words', () => {
    expect(['harbour', 'lamps', 'Überraschung', 'bateau', 'kite'].map(countSyllables)).toEqual([
      2, 1, 4, 2, 1.4,
    ]);
    expect(countSyllables('1984')).toBeGreaterThan(4);
    expect(countSyllables('привет')).toBe(2);
  });
});

describe('cues changed by hand', () => {
  const cue = (from: number, to: number, text = 'one two three four'): EditedCue => ({
    from,
    to,
    lines: [text],
  });
  const three = [cue(1, 2), cue(3, 5), cue(6, 8)];
  test('a cue begins and ends elsewhere, never over its neighbours', () => {
    expect(retimeCue(three, 1, { from: 0.5 })[1]).toMatchObject({ from: 2, to: 5 });
    expect(retimeCue(three, 1, { to: 99 })[1]).toMatchObject({ from: 3, to: 6 });
    expect(retimeCue([{ ...cue(1, 2), sure: 0.3 }], 0, { to: 3 })[0]!.sure).toBeUndefined();
  });
  test('all of them later, earlier, drawn out', () => {
    expect(shiftCues(three, 1.5).map((c) => c.from)).toEqual([2.5, 4.5, 7.5]);
    expect(shiftCues(three, -2.5).map((c) => [c.from, c.to])).toEqual([
      [0.5, 2.5],
      [3.5, 5.5],
    ]);
    expect(stretchCues(three, 15).map((c) => [c.from, c.to])).toEqual([
      [1, 3],
      [5, 9],
      [11, 15],
    ]);
  });
  test('split by the share of the words that lie before, and joined again', () => {
    const parted = splitCue(three, 1, 4);
    expect(parted.map((c) => c.lines[0])).toEqual([
      'one two three four',
      'one two',
      'three four',
      'one two three four',
    ]);
    expect(joinCues(parted, 1)).toEqual(three);
    expect(splitCue(three, 1, 5)).toEqual(three);
  });
  test('a new one where there is room', () => {
    expect(addCue(three, 5.5, 10)).toMatchObject({ index: 2, cues: { length: 4, 2: { from: 5.5, to: 6 } } });
    expect(addCue(three, 4, 10)).toBeNull();
    expect(addCue([], 9, 10)).toMatchObject({ index: 0, cues: [{ from: 9, to: 10 }] });
  });
  test('found and replaced, whatever the case, and nothing of it taken for a pattern', () => {
    const { cues, count } = replaceInCues([cue(0, 1, 'Hello. hello?'), cue(1, 2, 'bye')], 'HELLO.', '$& hi');
    expect(count).toBe(1);
    expect(cues.map((c) => c.lines[0])).toEqual(['$& hi hello?', 'bye']);
  });
});
