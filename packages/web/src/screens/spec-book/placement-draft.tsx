import { createContext, use, useMemo, useState, type ReactNode } from 'react';
import { placementDifferences, placementSchema, unmeetableIn, type Placement } from '@mivvy/core';
import type { PlacementPage } from '@mivvy/api';

/** A placement at work: as it would be kept, with what is wrong with that. */
interface PlacementDraft {
  page: PlacementPage;
  /** As it stands on the page, changes included. */
  placement: Placement;
  /** The revision that the changes were made from. */
  basedOn: number;
  isChanged: boolean;
  /** Why it cannot be kept as it stands, one sentence each. */
  faults: string[];
  edit: (change: Partial<Placement>) => void;
  letGo: () => void;
  /** Takes the newest revision for the one that the changes are made from. */
  rebase: () => void;
}

const Context = createContext<PlacementDraft | null>(null);

/** The placement that is at work on this page. */
export function usePlacementDraft(): PlacementDraft {
  const draft = use(Context);
  if (!draft) throw new Error('not inside a placement’s page');
  return draft;
}

/** What is wrong with a placement, in words; empty where nothing is. */
export function faultsOf(placement: Placement): string[] {
  const read = placementSchema.safeParse(placement);
  return read.success
    ? unmeetableIn(read.data).map((fault) => fault.message)
    : read.error.issues.map((issue) => issue.message);
}

/** Missing means no rule: a field without a value is no field. */
function withoutGaps(placement: Placement): Placement {
  return JSON.parse(JSON.stringify(placement)) as Placement;
}

/** Holds the changes of a placement until they are kept. They survive what others do meanwhile. */
export function PlacementDesk({ page, children }: { page: PlacementPage; children: ReactNode }) {
  const newest = page.revisions.at(-1)!;
  const [changed, setChanged] = useState<{ placement: Placement; basedOn: number } | null>(null);
  const placement = changed?.placement ?? newest.placement;
  const draft = useMemo<PlacementDraft>(
    () => ({
      page,
      placement,
      basedOn: changed?.basedOn ?? newest.number,
      isChanged: changed !== null && placementDifferences(newest.placement, placement).length > 0,
      faults: changed ? faultsOf(placement) : [],
      edit: (change) =>
        setChanged((now) => ({
          basedOn: now?.basedOn ?? newest.number,
          placement: withoutGaps({ ...(now?.placement ?? newest.placement), ...change } as Placement),
        })),
      letGo: () => setChanged(null),
      rebase: () => setChanged((now) => now && { ...now, basedOn: newest.number }),
    }),
    [page, placement, changed, newest],
  );
  return <Context value={draft}>{children}</Context>;
}
