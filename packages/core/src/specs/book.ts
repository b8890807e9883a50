import { fail, faultLine, ok, type Result } from '../problem.ts';
import { parseRate, type Rate } from '../time/rate.ts';
import type { RateRule } from '../time/delivered-rate.ts';
import { specBookSchema, type Outlet, type Placement, type SpecBook } from './schema.ts';

/** Reads a spec book file's text. The problem names the first wrong field by its path. */
export function readSpecBook(text: string, fileName = 'The spec book'): Result<SpecBook> {
  let data: unknown;
  try {
    data = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    return fail(
      'spec-book-not-json',
      `${fileName} is not JSON: ${(error as Error).message}.`,
      'Mend the file and add it again.',
    );
  }
  const parsed = specBookSchema.safeParse(data);
  if (!parsed.success) {
    return fail(
      'spec-book-refused',
      `${fileName} was not taken: ${faultLine(parsed.error)}.`,
      'Mend that field and add the file again.',
    );
  }
  return ok(parsed.data);
}

/** A placement together with the outlet that it belongs to. */
export interface PlacedOutlet {
  outlet: Pick<Outlet, 'id' | 'name'>;
  placement: Placement;
}

/** Every placement of some outlets in one flat list, in the book's order. */
export function allPlacements(outlets: readonly Outlet[]): PlacedOutlet[] {
  return outlets.flatMap((outlet) =>
    outlet.placements.map((placement) => ({ outlet: { id: outlet.id, name: outlet.name }, placement })),
  );
}

/** Finds a placement by its id. */
export function findPlacement(outlets: readonly Outlet[], placementId: string): PlacedOutlet | undefined {
  return allPlacements(outlets).find((p) => p.placement.id === placementId);
}

/** A placement's frame rate rule with its texts read as fractions. */
export function rateRule(placement: Placement): RateRule {
  const read = (text: string): Rate => {
    const result = parseRate(text);
    if (!result.ok) throw new Error(result.problem.sentence); // the schema has already refused such a text
    return result.value;
  };
  return {
    max: placement.frameRate?.max === undefined ? undefined : read(placement.frameRate.max),
    allowed: placement.frameRate?.allowed?.map(read),
  };
}
