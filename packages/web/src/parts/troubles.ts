import { useSnackbar } from 'notistack';
import { useNavigate } from 'react-router';
import type { ProductionDetail, Version } from '@mivvy/api';
import type { Trouble } from '@mivvy/core';
import { useDesk } from '../play/use-desk.tsx';
import { useThisProduction } from './this-production.ts';
import { planVersion } from './versions.ts';

/** What a trouble is, in a word or two: for stamps. */
const words: Partial<Record<Trouble['code'], string>> = {
  'too-long': 'Too long',
  'too-short': 'Too short',
  'size-floor': 'File limit too small',
  'pace-high': 'Fast',
  'no-sound': 'No sound',
  'rate-uneven': 'Rate not taken',
  'no-level': 'Frame too large',
  'enlarged-far': 'Enlarged too far',
  'keep-cut': 'Cut',
  'keep-margin': 'Outside the margin',
};
export function troubleWord(trouble: Trouble, keepName?: string): string {
  const named = keepName ? `${keepName} ` : '';
  if (trouble.code === 'keep-blocked') return `${named}behind “${trouble.area}”`;
  const word = words[trouble.code] ?? trouble.code;
  return named ? `${named}${word.toLowerCase()}` : word;
}

/** Troubles of the film as a whole have no place along its length; all others are drawn where they are. */
const ofTheWhole: ReadonlySet<Trouble['code']> = new Set([
  'no-sound',
  'rate-uneven',
  'size-floor',
  'no-level',
  'too-short',
]);
export const isPlaced = (trouble: Trouble): boolean =>
  trouble.severity !== 'note' && !ofTheWhole.has(trouble.code);

/** A trouble with the version that has it. */
export interface PlacedTrouble {
  version: Version;
  trouble: Trouble;
}

/** Everything that asks for a person in a production, worst first, then in the order of the sheet and of the film. */
export function allTroubles(production: ProductionDetail): PlacedTrouble[] {
  const rank = { fault: 0, look: 1, note: 2 };
  return production.versions
    .flatMap((version) => {
      const planned = planVersion(
        version,
        production.masters.find((m) => m.id === version.masterId),
        production.margin,
      );
      return (planned?.troubles ?? [])
        .filter((t) => t.severity !== 'note')
        .map((trouble) => ({ version, trouble }));
    })
    .sort((a, b) => rank[a.trouble.severity] - rank[b.trouble.severity]);
}

/** Troubles of time are mended where time is; all others where the picture is framed. */
const ofTime: ReadonlySet<Trouble['code']> = new Set(['too-long', 'too-short', 'pace-high', 'rate-uneven']);

/** Goes to a trouble: its version at work, the play head on its first frame. */
export function useGoToTrouble(): (place: PlacedTrouble) => void {
  const desk = useDesk();
  const navigate = useNavigate();
  return ({ version, trouble }) => {
    desk.pause();
    desk.lead(version.masterId);
    desk.seek(trouble.span.from);
    const { productionId, masterId, cutId, id } = version;
    void navigate(
      `/productions/${productionId}/${ofTime.has(trouble.code) ? `timing/${masterId}${cutId === null ? '' : `/${cutId}`}` : `framing/${id}`}`,
    );
  };
}

/** Goes to the trouble after the one that the play head stands in; `shown` is a version as it is in the hand now. */
export function useNextTrouble(shown?: Version): () => void {
  const production = useThisProduction();
  const desk = useDesk();
  const go = useGoToTrouble();
  const { enqueueSnackbar } = useSnackbar();
  return () => {
    const list = allTroubles(
      shown
        ? { ...production, versions: production.versions.map((v) => (v.id === shown.id ? shown : v)) }
        : production,
    );
    if (list.length === 0) {
      enqueueSnackbar('No troubles left: every version keeps to its place’s numbers and shows what it must.');
      return;
    }
    const { frame } = desk.snapshot();
    const here = list.findLastIndex(
      ({ version, trouble }) =>
        version.id === shown?.id && frame >= trouble.span.from && frame < trouble.span.to,
    );
    go(list[(here + 1) % list.length]!);
  };
}
