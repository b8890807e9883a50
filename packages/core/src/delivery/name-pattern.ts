/** What a name can tell of a file, in the order in which they are offered: how each is written in a pattern, and what it says. */
export const nameParts = {
  PRODUCTION: 'the production',
  CLIENT: 'the client',
  MASTER: 'the master, where it is called otherwise than the production',
  OUTLET: 'the outlet',
  PLACEMENT: 'the placement',
  SHAPE: 'its shape, such as 9x16',
  FRAME: 'its frame, such as 1080x1920',
  LENGTH: 'its length, such as 42s',
  RATE: 'its frame rate, such as 25fps',
  CUT: 'the cut, where it plays one',
  LANGUAGE: 'the captions’ language, where it has one',
  DATE: 'the day on which it was made',
  MAKING: 'which making of it it is, such as v3',
} as const;

/** A part that is replaced by what it says of the file. */
export type NamePart = keyof typeof nameParts;

/** A piece of a pattern: a named part, or words and separators that stand as they are. */
export type NamePiece = { kind: 'part'; part: NamePart } | { kind: 'words'; text: string };

/** The pattern of a production that has chosen none. */
export const usualPattern = 'PRODUCTION_MASTER_PLACEMENT_FRAME_RATE_MAKING';

/** A pattern is at most so many characters long. */
export const longestPattern = 300;

const partNames = Object.keys(nameParts) as NamePart[];
/** A part's name stands alone: no capital touches it, so that words in capitals can be told from it. */
const parts = new RegExp(`(?<!\\p{Lu})(${partNames.join('|')})(?!\\p{Lu})`, 'gu');

/**
 * Reads a pattern as it is typed: the names of parts in capitals, everything else as it shall stand. A name in
 * brackets stands as it is: `(DATE)` is the word DATE.
 */
export function readPattern(text: string): NamePiece[] {
  const pieces: NamePiece[] = [];
  const words = (said: string) => {
    if (!said) return;
    const last = pieces.at(-1);
    if (last?.kind === 'words') last.text += said;
    else pieces.push({ kind: 'words', text: said });
  };
  let at = 0;
  for (const found of text.matchAll(parts)) {
    const end = found.index + found[0].length;
    const isWord = text[found.index - 1] === '(' && text[end] === ')';
    words(text.slice(at, isWord ? found.index - 1 : found.index));
    if (isWord) words(found[0]);
    else pieces.push({ kind: 'part', part: found[0] as NamePart });
    at = isWord ? end + 1 : end;
  }
  words(text.slice(at));
  return pieces;
}

/** A pattern as it is typed. Reading it gives the same pieces, those of words side by side in one. */
export function writePattern(pieces: readonly NamePiece[]): string {
  return pieces
    .map((piece) => (piece.kind === 'part' ? piece.part : piece.text.replace(parts, (name) => `(${name})`)))
    .join('');
}

/** Words that only keep parts asunder: one beside a part that says nothing goes with it. */
const separators = /^[-_. ]+$/;

/**
 * Puts a name together. A part that says nothing takes the separator behind it along, or the one before it where it is
 * the last.
 */
export function fillPattern(pieces: readonly NamePiece[], said: Readonly<Record<NamePart, string>>): string {
  const out: NamePiece[] = [];
  let dropped = false;
  for (const piece of pieces) {
    const isSeparator = piece.kind === 'words' && separators.test(piece.text);
    if (isSeparator && dropped) {
      dropped = false;
      continue;
    }
    dropped = piece.kind === 'part' && said[piece.part] === '';
    if (!dropped) out.push(piece);
  }
  if (dropped) {
    const last = out.at(-1);
    if (last?.kind === 'words' && separators.test(last.text)) out.pop();
  }
  return out.map((piece) => (piece.kind === 'part' ? said[piece.part] : piece.text)).join('');
}
