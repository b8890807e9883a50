import type { Size } from '../picture/geometry.ts';
import { rateLabel, type Rate } from '../time/rate.ts';

/** A name reduced to lower-case letters, digits and hyphens, safe in any folder and any web address. */
export function slug(name: string, fallback = 'untitled'): string {
  const plain = name
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/ß/g, 'ss')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 60)
    .replace(/-+$/, '');
  return plain || fallback;
}

/** What a deliverable's file name says. */
export interface NameParts {
  production: string;
  master: string;
  placementId: string;
  frame: Size;
  rate: Rate;
  container: string;
  /** Which making of this version it is, from 1. */
  making: number;
}

/** A file name that tells what the file is without opening it: `kite-weekend_kelpie-tall_1080x1920_25fps_v1.mp4`. */
export function deliverableName(parts: NameParts): string {
  const production = slug(parts.production);
  const master = slug(parts.master);
  const film = master === production || master === 'untitled' ? production : `${production}_${master}`;
  const rate = rateLabel(parts.rate).replace('.', '-');
  return `${film}_${parts.placementId}_${parts.frame.width}x${parts.frame.height}_${rate}fps_v${parts.making}.${parts.container}`;
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
