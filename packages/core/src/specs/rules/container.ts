import * as z from 'zod';
import { checkLine } from '../../checks/check-line.ts';
import type { PlacementRule } from './rule.ts';

/** The container that the file comes in; its tables stand before its pictures (ISO/IEC 14496-12: `moov` before `mdat`). */
export const containerRule = {
  fields: { container: z.enum(['mp4', 'mov', 'webm']) },
  words: ({ container }) => [`As ${container.toUpperCase()}.`],
  lines: (_plan, { moovFirst }) =>
    moovFirst === null ? [] : [checkLine('faststart', 'yes', moovFirst ? 'yes' : 'no', moovFirst)],
} satisfies PlacementRule<{ container: string }>;
