import * as z from 'zod';
import { sizeLabel } from '../../masters/facts.ts';
import { closed } from '../closed.ts';
import { evenSide } from './frame.ts';
import type { PlacementRule } from './rule.ts';

/** A still that goes with the film: what is shown of it before it plays. */
export const coverRule = {
  fields: {
    /** Its size in pixels; JPEG where no format is named. */
    cover: closed({
      width: evenSide,
      height: evenSide,
      format: z.enum(['jpeg', 'png']).optional(),
    }).optional(),
  },
  words: ({ cover }) =>
    cover
      ? [
          `A cover still of ${sizeLabel(cover)} beside the film, as ${cover.format === 'png' ? 'PNG' : 'JPEG'}.`,
        ]
      : [],
} satisfies PlacementRule<{
  cover?: { width: number; height: number; format?: 'jpeg' | 'png' | undefined } | undefined;
}>;
