import * as z from 'zod';
import type { PlacementRule } from './rule.ts';

/** Letters of its files' names: of any script where missing, or plain ones (a to z, digits, hyphens). */
export const fileNamesRule = {
  fields: { fileNames: z.enum(['plain']).optional() },
  words: ({ fileNames }) => (fileNames === 'plain' ? ['Its files are named in plain letters.'] : []),
} satisfies PlacementRule<{ fileNames?: 'plain' | undefined }>;
