import * as z from 'zod';
import { checkLine } from '../../checks/check-line.ts';
import type { PlacementRule } from './rule.ts';

/** What a file states that it is (ISO/IEC 14496-12, major brand; RFC 8794, document type), as a container. */
function containerOf(brand: string | null): string | null {
  if (brand === null) return null;
  if (brand === 'webm' || brand === 'matroska') return brand;
  return brand === 'qt  ' ? 'mov' : 'mp4';
}

function containerLine(wanted: string, brand: string | null, whole: boolean) {
  const is = containerOf(brand);
  return checkLine(
    'container',
    `${wanted.toUpperCase()}, whole`,
    `${is?.toUpperCase() ?? 'another'}, ${whole ? 'whole' : 'broken off'}`,
    is === wanted && whole,
  );
}

/** The container that the file comes in; its tables stand before its pictures (ISO/IEC 14496-12: `moov` before `mdat`). */
export const containerRule = {
  fields: { container: z.enum(['mp4', 'mov', 'webm']) },
  words: ({ container }) => [`As ${container.toUpperCase()}.`],
  lines: ({ plan: { container } }, { moovFirst, brand, whole }) => [
    ...(brand === undefined ? [] : [containerLine(container, brand, whole !== false)]),
    ...(moovFirst === null ? [] : [checkLine('faststart', 'yes', moovFirst ? 'yes' : 'no', moovFirst)]),
  ],
} satisfies PlacementRule<{ container: string }>;
