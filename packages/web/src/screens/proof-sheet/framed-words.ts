import { isUntouched, largestWindowSize } from '@mivvy/core';
import type { LookView, Master, Version } from '@mivvy/api';
import { frameOf } from '../../parts/proof.tsx';

/** The frame has the film's own shape: its window is the whole picture, and there is nothing to choose. */
function showsAll(version: Version, master: Master): boolean {
  const displayed = master.facts?.video.displayed;
  if (!displayed) return false;
  const { width, height } = largestWindowSize(displayed, frameOf(version, master));
  return displayed.width - width < 1 && displayed.height - height < 1;
}

/** It stands in the centre because nobody and nothing has framed it, and something else could be shown. */
export const standsInCentre = (version: Version, master: Master): boolean =>
  isUntouched(version.framing) && !showsAll(version, master);

/** How a version came to its framing, where a person should know of it before trusting the proof; null elsewhere. */
export function framedWords(
  version: Version,
  master: Master,
  look: LookView | undefined,
  onArrival: boolean,
): string | null {
  const { stretches } = version.framing;
  if (standsInCentre(version, master)) {
    switch (look?.state) {
      case 'done':
        return onArrival ? 'centre, put back by hand' : 'centre, not framed';
      case 'failed':
        return 'centre: looking failed';
      case 'waiting':
      case 'looking':
        return 'centre for now';
      case 'not-looked':
      case undefined:
        return 'centre, not looked at';
    }
  }
  const chosen = stretches.filter((s) => s.pick);
  if (
    !showsAll(version, master) &&
    chosen.length === stretches.length &&
    chosen.every((s) => !s.pick?.subject)
  )
    return 'nothing found: centre';
  return null;
}
