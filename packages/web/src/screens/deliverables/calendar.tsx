import {
  addDays,
  addMonths,
  eachDayOfInterval,
  endOfMonth,
  format,
  startOfMonth,
  startOfWeek,
} from 'date-fns';
import { useState } from 'react';
import type { Version } from '@mivvy/api';
import { stageWord } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import styles from './foldings.module.css';

/** Weeks of a month, whole ones, from Monday on. */
function weeksOf(month: Date): Date[] {
  const from = startOfWeek(startOfMonth(month), { weekStartsOn: 1 });
  const to = addDays(startOfWeek(endOfMonth(month), { weekStartsOn: 1 }), 6);
  return eachDayOfInterval({ start: from, end: to });
}

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
    <div className={styles.calendar}>
      <div className={styles.month}>
        <button className="fix tall" onClick={() => setMonth((m) => addMonths(m, -1))}>
          Before
        </button>
        <h2>{format(month, 'MMMM yyyy')}</h2>
        <button className="fix tall" onClick={() => setMonth((m) => addMonths(m, 1))}>
          After
        </button>
        <a className="fix tall" href={`/api/due.ics?productionId=${production.id}`}>
          As a calendar file
        </a>
      </div>
      <ol className={styles.days} aria-label={format(month, 'MMMM yyyy')}>
        {weeksOf(month).map((day) => {
          const date = format(day, 'yyyy-MM-dd');
          return (
            <li key={date} className={day.getMonth() === month.getMonth() ? '' : styles.other}>
              <time dateTime={date} className="quiet">
                {format(day, day.getDay() === 1 || day.getDate() === 1 ? 'EEE d' : 'd')}
              </time>
              {production.versions
                .filter((v) => dueOf(v) === date)
                .map((v) => (
                  <button
                    key={v.id}
                    className={`${styles.due} ${v.id === chosen ? styles.on : ''}`}
                    onClick={() => onChoose(v)}
                    title={stageWord(v.stage)}
                  >
                    {versionName(v)}
                  </button>
                ))}
            </li>
          );
        })}
      </ol>
      {undated.length > 0 && <p className="quiet">Without a day: {undated.map(versionName).join(', ')}.</p>}
    </div>
  );
}
