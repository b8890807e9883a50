import { useMemo } from 'react';
import {
  drawnFrom,
  filmToFollow,
  judgeFilm,
  worthLooks,
  type FollowFilm,
  type JudgedUnit,
  type MarginChoice,
} from '@mivvy/core';
import type { LookView, Master, ProductionDetail, Version } from '@mivvy/api';
import { useLooks } from '../api/queries.ts';

/** A version and its master as following needs them; null while either, or what was seen, is not there yet. */
export function followFilmOf(
  version: Version,
  master: Master | undefined,
  look: LookView | undefined,
  margin: MarginChoice,
): FollowFilm | null {
  if (!master?.facts || !version.placement || !look || (look.shots.length === 0 && look.drawn.length === 0))
    return null;
  const { facts, shots } = master;
  const { keeps } = drawnFrom(version.textless, master);
  return filmToFollow({ facts, shots, keeps }, look, version.placement, margin);
}

/** A shot of a version that a person should look at. */
export interface WorthALook extends JudgedUnit {
  version: Version;
  master: Master;
}

/** The shots of a production that are worth a look, worst first. */
export function useWorthLooks(production: ProductionDetail): WorthALook[] {
  // Only masters with a version that was chosen for are asked about.
  const chosen = production.masters.filter((m) =>
    production.versions.some((v) => v.masterId === m.id && v.framing.stretches.some((s) => s.pick)),
  );
  const looks = useLooks(chosen.map((m) => m.id));
  return useMemo(
    () =>
      production.versions
        .flatMap((version): WorthALook[] => {
          const master = production.masters.find((m) => m.id === version.masterId);
          const film = followFilmOf(
            version,
            master,
            looks.find((l) => l.masterId === version.masterId),
            production.margin,
          );
          return film && master
            ? worthLooks(judgeFilm(film, version.framing)).map((j) => ({ ...j, version, master }))
            : [];
        })
        .sort((a, b) => a.judgement.figure - b.judgement.figure),
    [production, looks],
  );
}
