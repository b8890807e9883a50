import anyAscii from 'any-ascii';
import { windowsReservedNameRegex } from 'filename-reserved-regex';
import type { Size } from '../picture/geometry.ts';
import { rateLabel, type Rate } from '../time/rate.ts';
import { fillPattern, readPattern, usualPattern, type NamePart } from './name-pattern.ts';

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

/** What a deliverable's file name is made from. */
export interface NameFacts {
  production: string;
  client?: string;
  master: string;
  /** Which of the films that are called the same it is, from 1. */
  namesake?: number;
  outlet?: string;
  placementId: string;
  frameSize: Size;
  rate: Rate;
  /** Length of the file, seconds. */
  seconds?: number;
  /** The cut that it plays, by its name. */
  cut?: string;
  /** Of its captions, such as `en`. */
  language?: string;
  /** The day on which it is made, such as `2026-11-02`. */
  day?: string;
  container: string;
  /** Which export of this version it is, from 1. */
  exportNumber: number;
  /** The place takes plain letters only. */
  plain?: boolean;
}

/** What each part of a pattern says of a file: one word of a file name, or nothing. */
function saidOf(facts: NameFacts): Record<NamePart, string> {
  const plain = facts.plain ?? false;
  const word = (text: string | undefined) => (text ? slug(text, { plain, fallback: '' }) : '');
  const production = slug(facts.production, { plain });
  const bare = slug(facts.master, { plain });
  const master = (facts.namesake ?? 1) > 1 ? `${bare}-${facts.namesake}` : bare;
  const { width, height } = facts.frameSize;
  const common = greatestDivisor(width, height);
  return {
    PRODUCTION: production,
    CLIENT: word(facts.client),
    MASTER: master === production || master === 'untitled' ? '' : master,
    OUTLET: word(facts.outlet),
    PLACEMENT: facts.placementId,
    SHAPE: `${width / common}x${height / common}`,
    FRAME: `${width}x${height}`,
    LENGTH: facts.seconds === undefined ? '' : `${Math.max(1, Math.round(facts.seconds))}s`,
    RATE: `${rateLabel(facts.rate).replace('.', '-')}fps`,
    CUT: word(facts.cut),
    LANGUAGE: word(facts.language),
    DATE: facts.day ?? '',
    MAKING: `v${facts.exportNumber}`,
  };
}

const greatestDivisor = (a: number, b: number): number => (b === 0 ? a : greatestDivisor(b, a % b));

/** Bytes of a name that its ending, a number that tells it from another, and companions such as its report leave. */
const bareBytes = 220;

/**
 * A file name by a pattern, safe on every common file system. A name that would be empty or is one that a system keeps
 * for itself is led by `film`.
 */
export function nameByPattern(pattern: string, facts: NameFacts): string {
  const filled = fillPattern(readPattern(pattern), saidOf(facts));
  const letters = facts.plain ? anyAscii(filled) : filled;
  const safe = letters
    .normalize('NFC')
    // eslint-disable-next-line no-control-regex -- they are what is taken out
    .replace(/[\u0000-\u001f\u007f-\u009f\u2028\u2029<>:"/\\|?*]+/g, '-')
    .replace(facts.plain ? /[^\x20-\x7e]+/g : /[\p{Cs}\p{Cf}]+/gu, '');
  const bare = withinBytes(safe, bareBytes).replace(/^[-_. \p{M}]+|[-_. ]+$/gu, '');
  const kept = bare === '' || windowsReservedNameRegex().test(bare.split('.')[0]!);
  return `${kept ? ['film', bare].filter(Boolean).join('-') : bare}.${facts.container}`;
}

/** A file name that tells what the file is without opening it: `kite-weekend_kelpie-tall_1080x1920_25fps_v1.mp4`. */
export function deliverableName(facts: NameFacts): string {
  return nameByPattern(usualPattern, facts);
}

/** What stands against the name that a pattern makes for a file; empty where nothing does. */
export function nameTroubles(pattern: string, facts: NameFacts): string[] {
  const pieces = readPattern(pattern);
  const filled = fillPattern(pieces, saidOf(facts));
  const made = nameByPattern(pattern, facts);
  const bare = made.slice(0, -facts.container.length - 1);
  const troubles: string[] = [];
  if (!/[\p{L}\p{N}]/u.test(filled))
    troubles.push('The pattern says nothing of this file: it is called “film”.');
  else if (bare.startsWith('film-') && !filled.startsWith('film-'))
    troubles.push(`Windows keeps “${filled.split('.')[0]}” for itself, so “film” is put before it.`);
  if ([...filled].reduce((sum, c) => sum + bytesOf(c), 0) > bareBytes)
    troubles.push(`It is longer than ${bareBytes} bytes and is cut there.`);
  if (/[<>:"/\\|?*]/.test(filled)) troubles.push('Signs that file systems do not take become hyphens.');
  return troubles;
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
