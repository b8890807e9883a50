import { createContext, useContext, useEffect, useState, useSyncExternalStore, type ReactNode } from 'react';
import type { FrameSpan } from '@mivvy/core';
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

/** One part of the head: what reads only it is not drawn anew with every frame. */
export function useHeadPart<K extends keyof ReturnType<Player['snapshot']>>(
  part: K,
): ReturnType<Player['snapshot']>[K] {
  const desk = useDesk();
  return useSyncExternalStore(desk.subscribe, () => desk.snapshot()[part]);
}

/** Which of some spans the head stands in, by its place among them; −1 in none. It changes with the spans, not with each frame. */
export function useSpanAtHead(spans: readonly FrameSpan[]): number {
  const desk = useDesk();
  return useSyncExternalStore(desk.subscribe, () => spanAt(spans, desk.snapshot().frame));
}

/**
 * The frame that panels show, of a film of so many: the head's while it rests; while the film plays, the first frame of
 * the shot that it is in, so that they change with the shots and not with each frame.
 */
export function usePanelFrame(shots: readonly FrameSpan[], frames: number): number {
  const desk = useDesk();
  return useSyncExternalStore(desk.subscribe, () => {
    const { frame, playing } = desk.snapshot();
    const shot = playing ? shots[spanAt(shots, frame)] : undefined;
    return Math.min(shot?.from ?? frame, frames - 1);
  });
}

function spanAt(spans: readonly FrameSpan[], frame: number): number {
  return spans.findIndex((span) => frame >= span.from && frame < span.to);
}

/** The film of a master, once it can be shown. */
export function useFilm(master: Master | undefined): Film | null {
  const desk = useDesk();
  const source = master?.proof.kind;
  // The desk keeps one film a master, so asking again gives the same one.
  return master?.facts && (source === 'original' || source === 'proxy')
    ? desk.film(master.id, master.facts, source, master.fileGeneration)
    : null;
}
