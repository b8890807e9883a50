import { useSnackbar } from 'notistack';
import { useNavigate } from 'react-router';
import type { ProductionDetail, Version } from '@mivvy/api';
import { troubleKind, type Trouble } from '@mivvy/core';
import { useDesk } from '../play/use-desk.tsx';
import { useThisProduction } from './this-production.ts';
import { planVersion } from './versions.ts';

/** What a trouble is, in a word or two: for stamps. */
export function troubleWord(trouble: Trouble, keepName?: string): string {
  const named = keepName ? `${keepName} ` : '';
  if (trouble.code === 'keep-blocked') return `${named}behind “${trouble.area}”`;
  const { word } = troubleKind(trouble.code);
  return named ? `${named}${word.toLowerCase()}` : word;
}

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
      `/productions/${productionId}/${troubleKind(trouble.code).mendedIn === 'timing' ? `timing/${masterId}${cutId === null ? '' : `/${cutId}`}` : `framing/${id}`}`,
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
