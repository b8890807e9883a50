import { allPlacements, type PlacedOutlet } from './book.ts';
import { placementDifferences, type PlacementDifference } from './differences.ts';
import type { Outlet, SpecBook } from './schema.ts';

/** What taking a spec book file in does to one placement. */
export interface BookChange {
  placementId: string;
  outlet: string;
  name: string;
  kind: 'new' | 'changed' | 'checked' | 'same';
  /** Empty unless it is changed. */
  differences: PlacementDifference[];
}

const byId = (outlets: readonly Outlet[]): Map<string, PlacedOutlet> =>
  new Map(allPlacements(outlets).map((place) => [place.placement.id, place]));

/**
 * What a file would change in the book, placement by placement in the file's order. Placements that the file does not
 * name stay as they are.
 */
export function bookChanges(known: readonly Outlet[], file: SpecBook): BookChange[] {
  const have = byId(known);
  return file.outlets.flatMap((outlet) =>
    outlet.placements.map((placement): BookChange => {
      const common = { placementId: placement.id, outlet: outlet.name, name: placement.name };
      const before = have.get(placement.id)?.placement;
      if (!before) return { ...common, kind: 'new', differences: [] };
      const differences = placementDifferences(before, placement);
      if (differences.length > 0) return { ...common, kind: 'changed', differences };
      const isChecked = (placement.verifiedOn ?? '') > (before.verifiedOn ?? '');
      return { ...common, kind: isChecked ? 'checked' : 'same', differences };
    }),
  );
}

/** A placement that the file puts under another outlet than the book does, if there is one. */
export function movedPlacement(known: readonly Outlet[], file: SpecBook): string | undefined {
  const have = byId(known);
  for (const outlet of file.outlets)
    for (const { id } of outlet.placements) {
      const under = have.get(id)?.outlet;
      if (under && under.id !== outlet.id)
        return `the placement id “${id}” is already in the book, under ${under.name}`;
    }
  return undefined;
}
