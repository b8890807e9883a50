import { assuranceWords, countWords, oneShot, type LookedAtFilm } from '@mivvy/core';
import type { ProductionDetail } from '@mivvy/api';
import { usePreferenceChange } from '../../api/changes.ts';
import { usePreferences } from '../../api/queries.ts';
import { useSeen } from '../../parts/seen.tsx';

/** What was looked at and what was not, so that an empty list is never taken for more than it is. */
export function WhatWasChecked({
  production,
  troubles,
  unplanned,
}: {
  production: ProductionDetail;
  troubles: number;
  /** Versions that nothing could be checked of: their place is unknown, or their film cannot be used. */
  unplanned: number;
}) {
  const seen = useSeen();
  const preferences = usePreferences().data;
  const prefer = usePreferenceChange();
  const films = production.masters
    .filter((m) => m.facts && production.versions.some((v) => v.masterId === m.id))
    .map((master): LookedAtFilm => {
      const known = seen.get(master.id);
      const shots = (master.shots ?? oneShot).length;
      return {
        name: master.name,
        keeps: master.keeps.length,
        shots,
        unlooked: known?.unlooked ?? shots,
        shotsAssumed: master.shotsAssumed,
        looking: known?.look.state ?? 'not-looked',
        detector: known?.look.detector.kind === 'used',
        setAside: master.unimportant.length,
      };
    });
  if (films.length === 0) return null;
  return (
    <section className="checked" aria-label="What was checked">
      <h3>What was checked</h3>
      <p className="quiet">
        {unplanned > 0
          ? `${countWords(unplanned, 'version')} could not be checked. `
          : troubles === 0 && 'Every version keeps to its place’s numbers. '}
        {assuranceWords(films, troubles).join(' ')}
      </p>
      {preferences && (
        <p className="quiet">
          {preferences.frameOnArrival
            ? 'Versions that nobody has framed are framed by what is seen. '
            : 'Versions stand in the centre until somebody frames them. '}
          <button
            className="fix tall"
            disabled={prefer.isPending}
            onClick={() => prefer.mutate({ frameOnArrival: !preferences.frameOnArrival })}
          >
            {preferences.frameOnArrival ? 'Leave them in the centre' : 'Frame them by what is seen'}
          </button>
        </p>
      )}
    </section>
  );
}
