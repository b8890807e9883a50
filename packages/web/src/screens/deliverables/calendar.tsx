import { startOfMonth } from 'date-fns';
import { useState } from 'react';
import type { Version } from '@mivvy/api';
import foldings from '../../parts/foldings/foldings.module.css';
import { MonthGrid } from '../../parts/foldings/month-grid.tsx';
import { stageWord } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';

/** The same rows, folded by the day on which each is due. */
export function Calendar({
  chosen,
  onChoose,
}: {
  chosen: string | undefined;
  onChoose: (version: Version) => void;
}) {
  const production = useThisProduction();
  const dueOf = (v: Version) => v.dueOn ?? production.dueOn;
  const days = production.versions.flatMap((v) => dueOf(v) ?? []).sort();
  const [month, setMonth] = useState(() => startOfMonth(days[0] ? new Date(`${days[0]}T12:00`) : new Date()));
  const undated = production.versions.filter((v) => dueOf(v) === null);
  return (
    <div>
      <MonthGrid
        month={month}
        onMonth={setMonth}
        head={
          <a className="fix tall" href={`/api/due.ics?productionId=${production.id}`}>
            As a calendar file
          </a>
        }
        onDay={(day) =>
          production.versions
            .filter((v) => dueOf(v) === day)
            .map((v) => (
              <button
                key={v.id}
                className={`${foldings.due} ${v.id === chosen ? foldings.on : ''}`}
                onClick={() => onChoose(v)}
                title={stageWord(v.stage)}
              >
                {versionName(v)}
              </button>
            ))
        }
      />
      {undated.length > 0 && <p className="quiet">Without a day: {undated.map(versionName).join(', ')}.</p>}
    </div>
  );
}
