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

/** Whether anything of the frame lies inside the margin and under no blocked area. */
function hasClearArea(
  margin: z.infer<typeof margins> | undefined,
  areas: readonly z.infer<typeof blocked>[],
): boolean {
  const { top, right, bottom, left } = margin ?? { top: 0, right: 0, bottom: 0, left: 0 };
  const cuts = (from: number, to: number, edges: number[]) =>
    [from, ...edges.filter((edge) => edge > from && edge < to), to].sort((a, b) => a - b);
  const across = cuts(
    left,
    1 - right,
    areas.flatMap((b) => [b.x, b.x + b.width]),
  );
  const down = cuts(
    top,
    1 - bottom,
    areas.flatMap((b) => [b.y, b.y + b.height]),
  );
  // Between two neighbouring edges an area covers all or nothing: one point tells.
  return across.slice(1).some((right, i) =>
    down.slice(1).some((bottom, j) => {
      const [x, y] = [(across[i]! + right) / 2, (down[j]! + bottom) / 2];
      return (
        right - across[i]! > rounding &&
        bottom - down[j]! > rounding &&
        !areas.some((b) => x > b.x && x < b.x + b.width && y > b.y && y < b.y + b.height)
      );
    }),
  );
}

/** Slivers of rounding are no area; a share of the frame. */
const rounding = 1e-4;

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
  unmeetable: ({ safeMargin, blocked: areas = [] }) =>
    hasClearArea(safeMargin, areas)
      ? []
      : [{ path: ['blocked'], message: 'the blocked areas and the margin leave no clear area' }],
} satisfies PlacementRule<{
  safeMargin?: z.infer<typeof margins> | undefined;
  blocked?: z.infer<typeof blocked>[] | undefined;
}>;
