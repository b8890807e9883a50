import anyAscii from 'any-ascii';
import type { Size } from '../picture/geometry.ts';
import { rateLabel, type Rate } from '../time/rate.ts';

/** Bytes of UTF-8 that a word of a file name may take: three of them and the numbers stay below 255. */
const wordBytes = 60;

const bytesOf = (character: string): number => {
  const point = character.codePointAt(0)!;
  return point < 0x80 ? 1 : point < 0x800 ? 2 : point < 0x10000 ? 3 : 4;
};

/** As much of a text as fits into so many bytes of UTF-8, without cutting a letter from its marks. */
function withinBytes(text: string, most: number): string {
  let bytes = 0;
  let out = '';
  for (const cluster of text.match(/\P{M}\p{M}*/gu) ?? []) {
    bytes += [...cluster].reduce((sum, c) => sum + bytesOf(c), 0);
    if (bytes > most) break;
    out += cluster;
  }
  return out;
}

/**
 * A name reduced to one word of a file name: lower-case letters and digits of any script, and hyphens. `plain` turns
 * letters of other scripts into plain ones, for places that take no others.
 */
export function slug(
  name: string,
  { fallback = 'untitled', plain = false }: { fallback?: string; plain?: boolean } = {},
): string {
  const letters = plain ? anyAscii(name) : name;
  const word = letters
    .normalize('NFKC')
    .toLowerCase()
    .normalize('NFC')
    .replace(plain ? /[^a-z0-9]+/g : /[^\p{L}\p{N}\p{M}]+/gu, '-')
    .replace(/^[-\p{M}]+|-+$/gu, '');
  return withinBytes(word, wordBytes).replace(/-+$/, '') || fallback;
}

/** What a deliverable's file name says. */
export interface NameParts {
  production: string;
  master: string;
  /** Which of the films that are called the same it is, from 1. */
  namesake?: number;
  placementId: string;
  frameSize: Size;
  rate: Rate;
  container: string;
  /** Which export of this version it is, from 1. */
  exportNumber: number;
  /** The place takes plain letters only. */
  plain?: boolean;
}

/** A file name that tells what the file is without opening it: `kite-weekend_kelpie-tall_1080x1920_25fps_v1.mp4`. */
export function deliverableName(parts: NameParts): string {
  const plain = parts.plain ?? false;
  const production = slug(parts.production, { plain });
  const bare = slug(parts.master, { plain });
  const master = (parts.namesake ?? 1) > 1 ? `${bare}-${parts.namesake}` : bare;
  const film = master === production || master === 'untitled' ? production : `${production}_${master}`;
  const rate = rateLabel(parts.rate).replace('.', '-');
  return `${film}_${parts.placementId}_${parts.frameSize.width}x${parts.frameSize.height}_${rate}fps_v${parts.exportNumber}.${parts.container}`;
}

/** What the least capable file system makes of a name: two names with one key cannot lie in one folder. */
export function nameKey(fileName: string): string {
  return fileName.normalize('NFKC').toUpperCase().toLowerCase().normalize('NFKC');
}

/** A name whose key is not taken: the one that is wished for, or that with a number before its ending. */
export function freeName(wished: string, taken: { has: (key: string) => boolean }): string {
  const dot = wished.lastIndexOf('.');
  const [bare, ending] = dot > 0 ? [wished.slice(0, dot), wished.slice(dot)] : [wished, ''];
  for (let n = 1; ; n++) {
    const name = n === 1 ? wished : `${bare}_${n}${ending}`;
    if (!taken.has(nameKey(name))) return name;
  }
}

/** Versions of one master are told apart by a letter: A … Z, then AA, AB …. */
export function versionTag(index: number): string {
  let n = index;
  let tag = '';
  do {
    tag = String.fromCharCode(65 + (n % 26)) + tag;
    n = Math.floor(n / 26) - 1;
  } while (n >= 0);
  return tag;
}
