import { countWords, listWords } from '../words.ts';
import { seenAtLeast, seenSlack } from './seen.ts';

/** What was looked at in one film. */
export interface LookedAtFilm {
  name: string;
  keeps: number;
  shots: number;
  /** Shots in which nothing was looked for. */
  unlooked: number;
  looking: 'not-looked' | 'waiting' | 'looking' | 'done' | 'failed';
  /** Its shots could not be found: it stands as one. */
  shotsAssumed: boolean;
  /** Subjects were known by what they are, not by movement and colour alone. */
  detector: boolean;
  /** Things of which somebody said that they do not matter. */
  setAside: number;
}

/** How sure the checks are, in words: never shown without the checks themselves. */
export const seenTolerance = `to about ${Math.round(seenSlack * 100)} % of its box, and from ${seenAtLeast} s on`;

/** Films whose names are said; of more than so many, the number. */
const mostNamed = 2;

function namesOf(films: readonly LookedAtFilm[], all: number): string {
  if (films.length === all) return all === 1 ? 'the film' : 'any film';
  return films.length > mostNamed
    ? countWords(films.length, 'film')
    : listWords(films.map((f) => `“${f.name}”`));
}

/**
 * What was checked of some versions and what was not, in sentences: what stands where nothing is wrong, so that it never
 * claims more than is known.
 *
 * @param troubles how many things that were seen or kept are hidden somewhere
 */
export function assuranceWords(films: readonly LookedAtFilm[], troubles: number): string[] {
  const looked = films.filter((f) => f.unlooked < f.shots);
  const blind = films.filter((f) => f.unlooked === f.shots);
  const words: string[] = [];
  if (looked.length && troubles === 0)
    words.push(`Nothing that was found is cut or covered, ${seenTolerance}.`);
  const keeps = films.reduce((sum, f) => sum + f.keeps, 0);
  if (keeps === 0) words.push('No keeps are drawn.');
  else if (troubles === 0)
    words.push(`${countWords(keeps, 'keep')} ${keeps === 1 ? 'is' : 'are'} shown whole.`);
  const failed = blind.filter((f) => f.looking === 'failed');
  if (failed.length) words.push(`Looking failed in ${namesOf(failed, films.length)}.`);
  const waiting = blind.filter((f) => f.looking !== 'failed');
  if (waiting.length) words.push(`Nothing has been looked for in ${namesOf(waiting, films.length)} yet.`);
  const uncut = films.filter((f) => f.shotsAssumed);
  if (uncut.length)
    words.push(
      `No shots could be found in ${namesOf(uncut, films.length)}: ${uncut.length === 1 ? 'it' : 'each'} stands as one.`,
    );
  const missed = looked.reduce((sum, f) => sum + f.unlooked, 0);
  if (missed) words.push(`Nothing was looked for in ${countWords(missed, 'shot')}.`);
  if (looked.some((f) => !f.detector))
    words.push('What is seen was told by movement and colour alone: people who stand still may be missed.');
  const aside = films.reduce((sum, f) => sum + f.setAside, 0);
  if (aside) words.push(`${countWords(aside, 'thing')} ${aside === 1 ? 'was' : 'were'} said not to matter.`);
  return words;
}
