import { isUntouched } from '@mivvy/core';
import type { LookView, Version } from '@mivvy/api';

/** How a version came to its framing, where a person should know of it before trusting the proof; null elsewhere. */
export function framedWords(version: Version, look: LookView | undefined, onArrival: boolean): string | null {
  const { stretches } = version.framing;
  if (isUntouched(version.framing)) {
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
  if (chosen.length === stretches.length && chosen.every((s) => !s.pick?.subject))
    return 'nothing found: centre';
  return null;
}
