import { nanoid } from 'nanoid';
import { createContext, useCallback, useContext, useMemo, type ReactNode } from 'react';
import { offeredKeeps, oneShot, seenThings, type Keep, type SeenThing } from '@mivvy/core';
import type { LookView, Master, ProductionDetail, Version } from '@mivvy/api';
import { useLooks } from '../api/queries.ts';
import { useThisProduction } from './this-production.ts';
import { planVersion, type Planned } from './versions.ts';

/** What was seen in a master, as the screens need it. */
export interface SeenInMaster {
  look: LookView;
  /** What should not be hidden. */
  things: readonly SeenThing[];
  /** Titles and logos that no keep stands for yet. */
  offers: readonly Keep[];
  /** Shots in which nothing has been looked for. */
  unlooked: number;
}

type SeenByMaster = ReadonlyMap<string, SeenInMaster>;
const SeenContext = createContext<SeenByMaster>(new Map());

/** What was worked out last from a look; the same look and keeps give the same object, so that no plan is made again. */
type SeenFrom = Pick<Master, 'shots' | 'keeps' | 'unimportant'>;
const known = new WeakMap<LookView, { master: SeenFrom; seen: SeenInMaster }>();

function seenIn(master: Master, look: LookView): SeenInMaster {
  const before = known.get(look);
  const { shots, keeps, unimportant } = master;
  if (
    before?.master.shots === shots &&
    before.master.keeps === keeps &&
    before.master.unimportant === unimportant
  )
    return before.seen;
  const seen: SeenInMaster = {
    look,
    things: seenThings({ looks: look.shots, drawn: look.drawn, keeps, unimportant }),
    offers: offeredKeeps(look.shots, keeps).filter((offer) => !unimportant.includes(offer.id)),
    unlooked: Math.max(0, (shots ?? oneShot).length - look.shots.length),
  };
  known.set(look, { master: { shots, keeps, unimportant }, seen });
  return seen;
}

/** Holds what was seen in a production's masters, for all screens that are in it. */
export function SeenProvider({
  production,
  children,
}: {
  production: ProductionDetail;
  children: ReactNode;
}) {
  // Only masters that go somewhere are asked about.
  const { masters, versions } = production;
  const asked = useMemo(
    () => masters.filter((m) => m.facts && versions.some((v) => v.masterId === m.id)),
    [masters, versions],
  );
  const looks = useLooks(asked.map((m) => m.id));
  const seen = useMemo(
    () =>
      new Map(
        asked.flatMap((master) => {
          const look = looks.find((l) => l.masterId === master.id);
          return look ? [[master.id, seenIn(master, look)] as const] : [];
        }),
      ),
    [asked, looks],
  );
  return <SeenContext value={seen}>{children}</SeenContext>;
}

/** What was seen in the production's masters, by their ids; one that nobody has asked about yet is missing. */
export const useSeen = (): SeenByMaster => useContext(SeenContext);

/** Plans a version with all that is known of its film; worked out once for the same version, whoever asks. */
export type Planner = (version: Version, master: Master | undefined) => Planned | null;

export function usePlanner(): Planner {
  const { margin } = useThisProduction();
  const seen = useSeen();
  return useCallback(
    (version, master) => planVersion(version, master, margin, master && seen.get(master.id)?.things),
    [margin, seen],
  );
}

/** An offer as a keep of its own. */
export const asKeep = (offer: Keep): Keep => ({ ...offer, id: nanoid(8) });
