import * as z from 'zod';
import { listWords } from '../../words.ts';
import { closed, fractionSchema, nameSchema } from '../closed.ts';
import type { PlacementRule } from './rule.ts';

const margins = closed({
  top: fractionSchema,
  right: fractionSchema,
  bottom: fractionSchema,
  left: fractionSchema,
}).refine((m) => m.top + m.bottom < 1 && m.left + m.right < 1, 'the margins leave no picture between them');

const blocked = closed({
  name: nameSchema,
  x: fractionSchema,
  y: fractionSchema,
  width: fractionSchema,
  height: fractionSchema,
}).refine(
  (b) => b.width > 0 && b.height > 0 && b.x + b.width <= 1.0001 && b.y + b.height <= 1.0001,
  'a blocked area must lie inside the frame',
);

const percent = (share: number) => `${Number((share * 100).toFixed(1))} %`;

/** What of the frame is kept clear: the safe margin, and the areas that the outlet draws over. Keeps are held to both. */
export const clearAreaRule = {
  fields: { safeMargin: margins.optional(), blocked: z.array(blocked).max(32).optional() },
  words({ safeMargin, blocked: areas }) {
    const words: string[] = [];
    if (safeMargin) {
      const { top, right, bottom, left } = safeMargin;
      const edges = [...new Set([top, right, bottom, left])].map(percent).join(' / ');
      words.push(`Keep ${edges} clear at the edges.`);
    }
    if (areas?.length) words.push(`Covered by ${listWords(areas.map((b) => `“${b.name}”`))}.`);
    return words;
  },
} satisfies PlacementRule<{
  safeMargin?: z.infer<typeof margins> | undefined;
  blocked?: z.infer<typeof blocked>[] | undefined;
}>;
