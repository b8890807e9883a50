import type { ZxcvbnFactory } from '@zxcvbn-ts/core';

/**
 * Powers of ten of guesses below which a password is refused: the estimator's own line between “somewhat guessable” and
 * “safely unguessable” (after D. L. Wheeler, USENIX Security 2016; the value is from memory).
 */
const leastDecades = 8;

/** How hard a password is to guess. */
export interface Guesses {
  /** Powers of ten of guesses: 6 is a million. */
  decades: number;
  /** It may be chosen. */
  enough: boolean;
  /** What makes it easy, where something does. */
  because: string | null;
}

let estimator: Promise<ZxcvbnFactory> | undefined;

/** Loads the word lists when they are first needed: they are larger than a screen. */
async function loadEstimator(): Promise<ZxcvbnFactory> {
  const [{ ZxcvbnFactory: Factory }, common, english] = await Promise.all([
    import('@zxcvbn-ts/core'),
    import('@zxcvbn-ts/language-common'),
    import('@zxcvbn-ts/language-en'),
  ]);
  return new Factory({
    dictionary: { ...common.dictionary, ...english.dictionary },
    graphs: common.adjacencyGraphs,
  });
}

/** What makes passwords easy to guess, by the estimator's names. */
const reasons: Record<string, string> = {
  straightRow: 'a row of keys is among the first that are tried',
  keyPattern: 'a pattern on the keyboard is among the first that are tried',
  simpleRepeat: 'one letter over and over is among the first that are tried',
  extendedRepeat: 'something said over and over is hardly harder than said once',
  sequences: 'letters or digits in their order are among the first that are tried',
  recentYears: 'years are among the first that are tried',
  dates: 'days are among the first that are tried',
  topTen: 'it is one of the ten that most people choose',
  topHundred: 'it is one of the hundred that most people choose',
  common: 'it is in lists of passwords that were stolen',
  similarToCommon: 'it is much like one in lists of passwords that were stolen',
  wordByItself: 'it is one word alone',
  namesByThemselves: 'it is a name alone',
  commonNames: 'it is a name alone',
  userInputs: 'it holds your own name, or this workspace’s',
};

/**
 * Estimates how many guesses a password stands, knowing lists of stolen passwords, words, names, keyboards and dates.
 *
 * @param name The person's own, which somebody who guesses tries first, whole and in parts; empty where it is not known.
 */
export async function guessesOf(password: string, name: string): Promise<Guesses> {
  const words = ['mivvy', name, ...name.split(/\s+/)].filter(Boolean);
  // Lists that could not be fetched are asked for again the next time.
  estimator ??= loadEstimator().catch((error: unknown) => {
    estimator = undefined;
    throw error;
  });
  const found = (await estimator).check(password.normalize('NFKC'), words);
  const enough = found.guessesLog10 >= leastDecades;
  const because = reasons[found.feedback.warning ?? ''] ?? null;
  return { decades: found.guessesLog10, enough, because };
}

/** Why a password is refused, in a sentence. */
export const tooEasy = ({ because }: Guesses): string =>
  because === null
    ? 'That password is guessed too easily.'
    : `That password is guessed too easily: ${because}.`;
