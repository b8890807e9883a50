import {
  createContext,
  useCallback,
  useContext,
  useMemo,
  useState,
  useSyncExternalStore,
  type ReactNode,
} from 'react';
import { snapTo, wholeFilm, type ScoreView } from '@mivvy/core';

/** Which part of each film the scores show: one for all screens of a production, so that it stays from one to the next. */
class ScoreViews {
  private readonly views = new Map<string, ScoreView>();
  private readonly listeners = new Set<() => void>();

  subscribe = (tell: () => void): (() => void) => {
    this.listeners.add(tell);
    return () => void this.listeners.delete(tell);
  };

  get(masterId: string): ScoreView | undefined {
    return this.views.get(masterId);
  }

  set(masterId: string, view: ScoreView): void {
    this.views.set(masterId, view);
    this.listeners.forEach((tell) => tell());
  }
}

const ViewsContext = createContext<ScoreViews | null>(null);

export function ScoreViewProvider({ children }: { children: ReactNode }) {
  const [views] = useState(() => new ScoreViews());
  return <ViewsContext value={views}>{children}</ViewsContext>;
}

/** The part of a film that its score shows, and a way to show another. */
export function useScoreView(
  masterId: string,
  frames: number,
): [ScoreView, (change: (now: ScoreView) => ScoreView) => void] {
  const views = useContext(ViewsContext);
  if (!views) throw new Error('no score here');
  const kept = useSyncExternalStore(views.subscribe, () => views.get(masterId));
  const whole = useMemo(() => wholeFilm(frames), [frames]);
  // A film in the place of a longer one: what was shown of that may be past its end.
  const view = kept && kept.to <= whole.to + 1e-6 ? kept : whole;
  const change = useCallback(
    (next: (now: ScoreView) => ScoreView) => {
      const now = views.get(masterId);
      const before = now && now.to <= whole.to + 1e-6 ? now : whole;
      const after = next(before);
      if (after.from !== before.from || after.to !== before.to) views.set(masterId, after);
    },
    [views, masterId, whole],
  );
  return [view, change];
}

/** The score that a row lies in. */
export interface ScoreScale {
  view: ScoreView;
  frames: number;
  /** Screen pixels for a frame. */
  pixelsPerFrame: number;
  /** Where a drag along the score comes to: an edge, a key or the play head that is near, unless `loose`. */
  snap: (frame: number, loose: boolean) => number;
}

const unknown: ScoreScale = {
  view: wholeFilm(1),
  frames: 1,
  pixelsPerFrame: 1,
  snap: (frame) => frame,
};
export const ScaleContext = createContext<ScoreScale>(unknown);
export const useScoreScale = (): ScoreScale => useContext(ScaleContext);

/** Nearer than this a drag is drawn to an edge, screen pixels. */
const snapPixels = 7;

/** Draws a frame to the nearest of some, as they are near on the screen. */
export const snapping =
  (candidates: readonly number[], pixelsPerFrame: number) =>
  (frame: number, loose: boolean): number =>
    loose ? frame : snapTo(frame, candidates, snapPixels / pixelsPerFrame);

/** Whether something from one frame to another is in view, or next to it. */
export const inView = ({ view }: ScoreScale, from: number, to: number): boolean =>
  to >= view.from && from <= view.to;

/** A place on the score's whole length, which rows lie in. */
export const at = (frame: number, frames: number): string => `${(frame / Math.max(1, frames)) * 100}%`;
