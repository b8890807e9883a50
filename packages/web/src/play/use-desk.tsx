import { createContext, useContext, useEffect, useState, useSyncExternalStore, type ReactNode } from 'react';
import type { Master } from '@mivvy/api';
import { Player, type Film } from './player.ts';

const DeskContext = createContext<Player | null>(null);

/** Gives a production's screens one play head. */
export function PlayDeskProvider({ children }: { children: ReactNode }) {
  const [desk] = useState(() => new Player());
  useEffect(() => {
    // A handle for measuring and for driving the head from tests; it exposes nothing that the screen does not.
    Object.assign(window, { mivvyDesk: desk });
    return () => desk.clear();
  }, [desk]);
  return <DeskContext.Provider value={desk}>{children}</DeskContext.Provider>;
}

export function useDesk(): Player {
  const desk = useContext(DeskContext);
  if (!desk) throw new Error('no play desk here');
  return desk;
}

/** The head: frame of the lead film, whether it plays, whether it sounds. */
export function useHead() {
  const desk = useDesk();
  return useSyncExternalStore(desk.subscribe, desk.snapshot);
}

/** One part of the head: what reads only it is not drawn anew with every frame. */
export function useHeadPart<K extends keyof ReturnType<Player['snapshot']>>(
  part: K,
): ReturnType<Player['snapshot']>[K] {
  const desk = useDesk();
  return useSyncExternalStore(desk.subscribe, () => desk.snapshot()[part]);
}

/** The film of a master, once it can be shown. */
export function useFilm(master: Master | undefined): Film | null {
  const desk = useDesk();
  const source = master?.proof.kind;
  // The desk keeps one film a master, so asking again gives the same one.
  return master?.facts && (source === 'original' || source === 'proxy')
    ? desk.film(master.id, master.facts, source, master.take)
    : null;
}
