import { wrapCues, wrapForFrame, type EditedCue } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { lettersNow } from '../../../letters/letters.ts';
import { frameOf } from '../../../parts/proof.tsx';

const known = new WeakMap<EditedCue, Map<string, string[][]>>();

/** How a cue breaks in a version: the lines of each part that is shown one after the other. Worked out once a cue. */
export function breaksIn(cue: EditedCue, version: Version, master: Master): string[][] {
  const all = known.get(cue) ?? new Map<string, string[][]>();
  known.set(cue, all);
  const { placement } = version;
  const key = `${version.id} ${version.placementRevision} ${placement?.captions}`;
  const there = all.get(key);
  if (there) return there;
  const letters = lettersNow();
  const drawn =
    placement && letters && placement.captions !== 'sidecar'
      ? wrapForFrame(
          [cue],
          {
            frame: frameOf(version, master),
            safeMargin: placement.safeMargin,
            blocked: placement.blocked,
          },
          letters,
        )
      : null;
  const parts = (drawn?.cues ?? wrapCues([cue])).map(({ lines }) => lines);
  all.set(key, parts);
  return parts;
}

/** How many lines it has in a version, all parts together. */
export const linesIn = (cue: EditedCue, version: Version, master: Master): number =>
  breaksIn(cue, version, master).reduce((sum, lines) => sum + lines.length, 0);
