import { useKey } from '../../keys/use-key.ts';
import { useTiming } from './timing-session.tsx';

/** The keys of Timing. */
export function useTimingKeys(): void {
  const { actions, chosenSpan, step } = useTiming();
  const moveBy = (by: number) => {
    if (chosenSpan !== null) actions.move(chosenSpan, chosenSpan + by);
  };
  const along = (event: KeyboardEvent) => (event.key === 'ArrowLeft' ? -1 : 1);
  useKey('Timing.keepOrDrop', actions.keepOrDropHere);
  useKey('Timing.split', actions.splitHere);
  useKey('Timing.markIn', actions.markIn);
  useKey('Timing.markOut', actions.markOut);
  useKey('Timing.takeEdge', actions.takeNearestEdge);
  useKey('Timing.letGo', actions.letGo);
  useKey('Timing.trim', (event) => actions.nudge(along(event)));
  useKey('Timing.trimFar', (event) => actions.nudge(10 * along(event)));
  useKey('Timing.roll', (event) => actions.roll(event.shiftKey ? -1 : 1));
  useKey('Timing.playEarlier', () => moveBy(-1));
  useKey('Timing.playLater', () => moveBy(1));
  useKey('Everywhere.shotAfter', () => actions.goShot(1));
  useKey('Everywhere.shotBefore', () => actions.goShot(-1));
  useKey('Everywhere.undo', () => step('undo'));
  useKey('Everywhere.redo', () => step('redo'));
}
