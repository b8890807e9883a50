import { fail, ok, type Result } from '../problem.ts';
import { fps, frameToSeconds, type Rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { countCharacters, mostCharacters, mostLines } from './wrap.ts';

/** What is heard along a film, in its frames. */
export interface HeardFilm {
  /** Loudness of each frame, dB below full scale. */
  levels: readonly number[];
  speech: readonly FrameSpan[];
  rate: Rate;
}

/** A cue whose words come from a script and whose times from where speech was heard; it was not recognised. */
export interface ScriptCue {
  from: number;
  to: number;
  lines: string[];
  /** How sure its times are, 0 to 1. */
  sure: number;
}

const { abs, max, min, round, sqrt } = Math;

/** What is this far under the loud parts of speech counts as a pause, dB (common practice). */
const pauseUnder = 20;
/** So much of what is loud lies outside of what was told as speech at most, where nothing else than speech is heard. */
const mostBeside = 0.35;
/** Shorter pauses belong to a word: its stops. Seconds. */
const leastPause = 0.07;
/** A boundary inside speech, where no pause was heard, may lie at every so many seconds. */
const insideEvery = 0.12;
/** What a piece's length costs that is off by a standard deviation; that deviation, by its own length and in syllables. */
const spread = 0.16;
const spreadSyllables = 1.2;
/** What it costs to end a piece inside speech: a sentence, and a part of one. */
const insideSentence = 14;
const insidePart = 4;
/** A pause as long as this is one that a sentence ends with, seconds; a shorter one costs up to so much. */
const sentencePause = 0.3;
const shortPause = 5;
/** Silence that a sentence goes on over costs so much a second. */
const overPause = 9;
/** A cue stands on for so long after its last word where nothing follows, seconds (common practice). */
const linger = 0.2;
/** A cue holds so many characters. */
const cueCharacters = mostCharacters * mostLines;

/** Syllables of a word, about: runs of vowels; each of a number's figures is a word of its own. */
export function countSyllables(word: string): number {
  const figures = (word.match(/\p{Nd}/gu) ?? []).length;
  const letters = word.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase();
  const runs = (letters.match(/[aeiouyæøœаеёиоуыэюяєіїαεηιουω]+/g) ?? []).length;
  const silentE = /[^aeiouyl]e$/.test(letters) && runs > 1 && /^[a-z]+$/.test(letters) ? 0.6 : 0;
  // Scripts without vowels of their own: a letter or two to a syllable.
  const others = (letters.match(/[\p{Script=Hebrew}\p{Script=Arabic}\p{Script=Devanagari}]/gu) ?? []).length;
  const pictures = (letters.match(/[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}]/gu) ?? []).length;
  return max(0.5, runs - silentE + figures * 1.6 + others * 0.45 + pictures);
}

/** A part of a script that is spoken in one breath: it ends with a mark. */
interface Piece {
  words: string[];
  syllables: number;
  endsSentence: boolean;
}

/** Parts a script into what is spoken in one breath; blank lines and marks end sentences. */
function piecesOf(text: string): Piece[] {
  const pieces: Piece[] = [];
  for (const paragraph of text.replace(/\r\n?/g, '\n').split(/\n\s*\n|\n/)) {
    let words: string[] = [];
    const close = (endsSentence: boolean) => {
      const spoken = words.filter((word) => /[\p{L}\p{N}]/u.test(word));
      if (spoken.length)
        pieces.push({
          words,
          syllables: spoken.reduce((sum, w) => sum + countSyllables(w), 0),
          endsSentence,
        });
      else if (pieces.length && words.length) pieces.at(-1)!.words.push(...words);
      words = [];
    };
    for (const word of paragraph.split(/\s+/).filter(Boolean)) {
      words.push(word);
      if (/[.!?…。！？]["'”’»)]*$/.test(word) && !/^(?:\p{L}\.)+$/u.test(word)) close(true);
      else if (/[,;:–—،]["'”’»)]*$/.test(word)) close(false);
    }
    close(true);
  }
  return pieces;
}

/** A place at which one piece may end and the next begin. */
interface Boundary {
  /** Frames: the end of what is spoken before it, and the start of what comes after. */
  before: number;
  after: number;
  /** Frames spoken before it. */
  spoken: number;
  pause: boolean;
}

/** Frames in which somebody speaks, and the places between and inside them where a piece may end. */
function boundariesOf({ levels, speech, rate }: HeardFilm): { all: Boundary[]; spokenUpTo: Float64Array } {
  const perSecond = fps(rate);
  const frames = levels.length;
  const inSpeech = new Uint8Array(frames);
  for (const { from, to } of speech) inSpeech.fill(1, max(0, from), min(frames, to));
  const loud = levels.filter((_, i) => inSpeech[i]).sort((a, b) => b - a);
  const threshold = (loud[round(loud.length * 0.1)] ?? 0) - pauseUnder;
  const isLoud = (i: number) => levels[i]! > threshold;
  const beside = levels.reduce((sum, _, i) => sum + (!inSpeech[i] && isLoud(i) ? 1 : 0), 0);
  // Where little else is heard, short words that were not told as speech, and its first sounds, are speech as well.
  const onlySpeech = beside < mostBeside * loud.length;
  const voiced = Uint8Array.from({ length: frames }, (_, i) =>
    isLoud(i) && (inSpeech[i] || onlySpeech) ? 1 : 0,
  );
  // Stops of a word are part of it.
  const least = max(1, round(leastPause * perSecond));
  for (let i = 0; i < frames;) {
    let end = i;
    while (end < frames && voiced[end] === voiced[i]) end++;
    if (!voiced[i] && i > 0 && end < frames && end - i < least) voiced.fill(1, i, end);
    i = end;
  }
  const spokenUpTo = new Float64Array(frames + 1);
  for (let i = 0; i < frames; i++) spokenUpTo[i + 1] = spokenUpTo[i]! + voiced[i]!;
  const all: Boundary[] = [];
  const step = max(1, round(insideEvery * perSecond));
  let inside = 0;
  for (let i = 0; i < frames;) {
    if (voiced[i]) {
      if (++inside % step === 0) all.push({ before: i, after: i, spoken: spokenUpTo[i]!, pause: false });
      i++;
      continue;
    }
    let end = i;
    while (end < frames && !voiced[end]) end++;
    all.push({ before: i, after: end, spoken: spokenUpTo[i]!, pause: true });
    inside = 0;
    i = end;
  }
  if (!all.length || all[0]!.spoken > 0) all.unshift({ before: 0, after: 0, spoken: 0, pause: true });
  if (all.at(-1)!.before < frames || !all.at(-1)!.pause)
    all.push({ before: frames, after: frames, spoken: spokenUpTo[frames]!, pause: true });
  return { all, spokenUpTo };
}

/** What it costs to end a piece at a boundary, seconds of pause counted. */
function endCost({ pause, before, after }: Boundary, endsSentence: boolean, perSecond: number): number {
  if (!pause) return endsSentence ? insideSentence : insidePart;
  const seconds = (after - before) / perSecond;
  return endsSentence ? shortPause * max(0, 1 - seconds / sentencePause) : 0;
}

/** Where each piece ends, as places in the boundaries, with the cost of each piece's length. */
function align(
  pieces: readonly Piece[],
  boundaries: readonly Boundary[],
  perSecond: number,
): { at: number[]; off: number[] } {
  const n = boundaries.length;
  const spoken = boundaries.at(-1)!.spoken - boundaries[0]!.spoken;
  const syllables = pieces.reduce((sum, p) => sum + p.syllables, 0);
  const each = spoken / syllables;
  /** Seconds of pauses that lie before each boundary. */
  const paused = new Float64Array(n);
  for (let j = 1; j < n; j++) {
    const { pause, before, after } = boundaries[j - 1]!;
    paused[j] = paused[j - 1]! + (pause ? (after - before) / perSecond : 0);
  }
  let cost = new Float64Array(n).fill(Infinity);
  cost[0] = 0;
  const cameFrom: Int32Array[] = [];
  const deviation = (piece: Piece) => sqrt((spread * piece.syllables) ** 2 + spreadSyllables ** 2) * each;
  let expected = 0;
  pieces.forEach((piece) => {
    const next = new Float64Array(n).fill(Infinity);
    const from = new Int32Array(n).fill(-1);
    const wanted = piece.syllables * each;
    const sigma = deviation(piece);
    expected += wanted;
    for (let j = 1; j < n; j++) {
      // Speech drifts, and may hold more than the script: far from where it should be is not looked at.
      if (abs(boundaries[j]!.spoken - boundaries[0]!.spoken - expected) > max(0.25 * spoken, 8 * sigma))
        continue;
      const end = endCost(boundaries[j]!, piece.endsSentence, perSecond);
      for (let i = j - 1; i >= 0; i--) {
        const length = boundaries[j]!.spoken - boundaries[i]!.spoken;
        if (length > wanted + 6 * sigma) break;
        if (cost[i] === Infinity || length <= 0) continue;
        // Pauses that lie inside a piece.
        const over = max(0, paused[j]! - paused[i + 1]!);
        const total = cost[i]! + ((length - wanted) / sigma) ** 2 + end + over * overPause;
        if (total < next[j]!) {
          next[j] = total;
          from[j] = i;
        }
      }
    }
    cost = next;
    cameFrom.push(from);
  });
  // The last piece ends with the speech, or as near to it as can be.
  let last = n - 1;
  for (let j = n - 1; j >= 0; j--) {
    const left = (boundaries[n - 1]!.spoken - boundaries[j]!.spoken) / (deviation(pieces.at(-1)!) || 1);
    const best = (boundaries[n - 1]!.spoken - boundaries[last]!.spoken) / (deviation(pieces.at(-1)!) || 1);
    if (cost[j]! + left ** 2 < cost[last]! + best ** 2 || cost[last] === Infinity) last = j;
  }
  if (cost[last] === Infinity) return { at: [], off: [] };
  const at: number[] = [];
  for (let p = pieces.length - 1, j = last; p >= 0; p--) {
    at.unshift(j);
    j = cameFrom[p]![j]!;
  }
  const off = pieces.map((piece, p) => {
    const start = boundaries[p ? at[p - 1]! : 0]!;
    return abs(boundaries[at[p]!]!.spoken - start.spoken - piece.syllables * each) / deviation(piece);
  });
  return { at, off };
}

/** Pieces of one sentence joined to cues that are neither too long to read nor needlessly short. */
function cuesOf(pieces: readonly Piece[]): { first: number; last: number }[] {
  const cues: { first: number; last: number }[] = [];
  pieces.forEach((_piece, p) => {
    const cue = cues.at(-1);
    const goesOn = cue && !pieces[p - 1]!.endsSentence;
    const length = (from: number) =>
      countCharacters(
        pieces
          .slice(from, p + 1)
          .flatMap((each) => each.words)
          .join(' '),
      );
    if (goesOn && length(cue.first) <= cueCharacters) cue.last = p;
    else cues.push({ first: p, last: p });
  });
  return cues;
}

/**
 * Lays the words of a script along the speech that was heard: where sentences end by its pauses, everything between by
 * its syllables. Nothing is recognised: words that are not spoken, or other ones, are not noticed but for how sure it is.
 */
export function timeScript(text: string, heard: HeardFilm): Result<ScriptCue[]> {
  const pieces = piecesOf(text);
  if (!pieces.length) return fail('no-words', 'The script holds no words.', 'Paste what is spoken.');
  const { all: boundaries, spokenUpTo } = boundariesOf(heard);
  if (boundaries.at(-1)!.spoken - boundaries[0]!.spoken < 1)
    return fail(
      'no-speech',
      'No speech is heard in the film.',
      'Write the captions by hand, or bring in a caption file.',
    );
  const perSecond = fps(heard.rate);
  const { at, off } = align(pieces, boundaries, perSecond);
  if (!at.length)
    return fail(
      'script-apart',
      'The script does not fit the speech that is heard: it is far too long or too short for it.',
      'Paste what is spoken in this film, all of it and no more.',
    );
  const seconds = (frame: number) => frameToSeconds(frame, heard.rate);
  /** The frame at which so much has been spoken. */
  const frameAt = (spoken: number) => {
    let [low, high] = [0, spokenUpTo.length - 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (spokenUpTo[middle]! < spoken) low = middle + 1;
      else high = middle;
    }
    return low;
  };
  const startOf = (p: number) => boundaries[p ? at[p - 1]! : 0]!;
  const timed: ScriptCue[] = [];
  for (const { first, last } of cuesOf(pieces)) {
    const [start, end] = [startOf(first), boundaries[at[last]!]!];
    const words = pieces.slice(first, last + 1).flatMap((p) => p.words);
    const worst = max(...off.slice(first, last + 1));
    const apart = [start, end].filter((b) => !b.pause).length;
    const sure = round(max(0.05, 1 - worst * 0.22 - apart * 0.25) * 100) / 100;
    // A sentence longer than a cue is shown in parts, each for its share of what is spoken.
    const parts = partsOf(words);
    const all = parts.reduce((sum, part) => sum + part.syllables, 0);
    let said = start.spoken;
    parts.forEach(({ words: own, syllables }, i) => {
      const from = i ? frameAt(said) : start.after;
      said += ((end.spoken - start.spoken) * syllables) / all;
      const to = i === parts.length - 1 ? end.before : frameAt(said);
      timed.push({
        from: seconds(from),
        to: seconds(max(to, from + 1)),
        lines: [own.join(' ')],
        sure: parts.length > 1 ? min(sure, 0.7) : sure,
      });
    });
  }
  // A cue stands on a little, and never into the next.
  timed.forEach((cue, i) => (cue.to = min(cue.to + linger, timed[i + 1]?.from ?? Infinity)));
  return ok(timed);
}

/** Words parted so that each part fits a cue, about equally long. */
function partsOf(words: readonly string[]): { words: string[]; syllables: number }[] {
  const length = countCharacters(words.join(' '));
  const count = Math.ceil(length / cueCharacters);
  const parts: { words: string[]; syllables: number }[] = [];
  let part: string[] = [];
  for (const word of words) {
    const longer = countCharacters([...part, word].join(' '));
    if (part.length && parts.length < count - 1 && longer > (length / count) * 1.05) {
      parts.push({ words: part, syllables: part.reduce((sum, w) => sum + countSyllables(w), 0) });
      part = [];
    }
    part.push(word);
  }
  parts.push({ words: part, syllables: part.reduce((sum, w) => sum + countSyllables(w), 0) });
  return parts;
}
