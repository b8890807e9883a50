import { useSnackbar } from 'notistack';
import { useNavigate } from 'react-router';
import type { ProductionDetail, Version } from '@mivvy/api';
import { causesOf, oneShot, troubleKind, type Cause, type Keep, type Trouble } from '@mivvy/core';
import { useDesk } from '../play/use-desk.tsx';
import { usePlanner, type Planner } from './seen.tsx';
import { useThisProduction } from './this-production.ts';

/** What a trouble is, in a word or two: for stamps. `thing` is what its keep or seen thing is called. */
export function troubleWord(trouble: Pick<Trouble, 'code' | 'area'>, thing?: string): string {
  const named = thing ? `${thing} ` : '';
  if (trouble.code.endsWith('-blocked'))
    return trouble.area ? `${named}behind “${trouble.area}”` : `${named}covered`;
  const { word } = troubleKind(trouble.code);
  return named ? `${named}${word.toLowerCase()}` : word;
}

/** What a cause is about: a keep by its name, one seen thing by its own, people and faces together. */
export function causeThing(
  cause: Pick<Cause, 'keepId' | 'seen'>,
  keeps: readonly Keep[],
): string | undefined {
  const [first] = cause.seen;
  if (!first) return keeps.find((k) => k.id === cause.keepId)?.name;
  if (cause.seen.length === 1) return first.name;
  return first.what === 'face' ? 'faces' : 'people';
}

/** A trouble with the version that has it. */
export interface PlacedTrouble {
  version: Version;
  trouble: Trouble;
}

/** What is wrong with a film's versions, by its cause. */
export interface MasterCause extends Cause {
  masterId: string;
  versions: PlacedTrouble[];
}

/** Everything that asks for a person in a production, one row a cause: worst first, then by master and in its order. */
export function allCauses(production: ProductionDetail, plan: Planner): MasterCause[] {
  const rank = { fault: 0, look: 1, note: 2 };
  return production.masters
    .flatMap((master): MasterCause[] => {
      const mine = production.versions.filter((v) => v.masterId === master.id);
      const troubles = mine.map((version) => ({
        versionId: version.id,
        troubles: (plan(version, master)?.troubles ?? []).filter((t) => t.severity !== 'note'),
      }));
      return causesOf(troubles, master.shots ?? oneShot).map((cause) => ({
        ...cause,
        masterId: master.id,
        versions: cause.places.map(({ versionId, trouble }) => ({
          version: mine.find((v) => v.id === versionId)!,
          trouble,
        })),
      }));
    })
    .sort((a, b) => rank[a.severity] - rank[b.severity]);
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
    /** The screen on which it is mended. */
    const places = {
      framing: `framing/${id}`,
      nowhere: `framing/${id}`,
      timing: `timing/${masterId}${cutId === null ? '' : `/${cutId}`}`,
      layers: `layers/${id}`,
      captions: `layers/${id}/captions`,
    };
    void navigate(`/productions/${productionId}/${places[troubleKind(trouble.code).mendedIn]}`);
  };
}

/** Goes to the trouble after the one that the play head stands in; `shown` is a version as it is in the hand now. */
export function useNextTrouble(shown?: Version): () => void {
  const production = useThisProduction();
  const desk = useDesk();
  const plan = usePlanner();
  const go = useGoToTrouble();
  const { enqueueSnackbar } = useSnackbar();
  return () => {
    const now = shown
      ? { ...production, versions: production.versions.map((v) => (v.id === shown.id ? shown : v)) }
      : production;
    const list = allCauses(now, plan).flatMap((cause) => cause.versions);
    if (list.length === 0) {
      enqueueSnackbar('No troubles are left. The proof sheet says what was looked at.');
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
