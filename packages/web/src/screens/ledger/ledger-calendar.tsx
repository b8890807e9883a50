import { startOfMonth } from 'date-fns';
import { useState } from 'react';
import { Link } from 'react-router';
import type { LedgerQuery, LedgerRow } from '@mivvy/api';
import { useLedger } from '../../api/ledger.ts';
import { isLate } from '../../parts/days.ts';
import foldings from '../../parts/foldings/foldings.module.css';
import { dayKey, daysOf, MonthGrid } from '../../parts/foldings/month-grid.tsx';
import { stageWord } from '../../parts/stamp.tsx';
import styles from './ledger.module.css';

/** So many of a month are asked for. */
const mostOfMonth = 500;
/** So many of a day are named; the others are in the list of that day. */
const mostOfDay = 4;

/** Deliverables of all productions, by the day on which each is due. */
export function LedgerCalendar({
  query,
  onDay,
}: {
  query: LedgerQuery;
  /** All of one day are asked for, in the list. */
  onDay: (day: string) => void;
}) {
  const [month, setMonth] = useState(() => startOfMonth(new Date()));
  const days = daysOf(month);
  const asked = {
    ...query,
    dueFrom: dayKey(days[0]!),
    dueBy: dayKey(days.at(-1)!),
    group: 'day' as const,
    within: undefined,
  };
  const found = useLedger(asked, { from: 0, count: mostOfMonth }).data;
  const all = found?.rows ?? [];
  const counts = new Map(found?.groups.map(({ key, count }) => [key, count]));
  return (
    <div>
      <MonthGrid
        month={month}
        onMonth={setMonth}
        onDay={(day) => {
          const rows = all.filter((row) => row.dueOn === day);
          const more = (counts.get(day) ?? 0) - Math.min(rows.length, mostOfDay);
          return (
            <>
              {rows.slice(0, mostOfDay).map((row) => (
                <Due key={row.versionId} row={row} />
              ))}
              {more > 0 && (
                <button className="fix tall" onClick={() => onDay(day)}>
                  {rows.length === 0 ? `${more} in the list` : `${more} more`}
                </button>
              )}
            </>
          );
        }}
      />
      <p className="quiet">What is due on no day stands in the list alone.</p>
    </div>
  );
}

function Due({ row }: { row: LedgerRow }) {
  const late = isLate(row.dueOn!) && row.stage !== 'live' && row.stage !== 'dispatched';
  return (
    <Link
      className={`${foldings.due} ${late ? styles.late : ''}`}
      to={`/productions/${row.productionId}/deliverables/${row.versionId}`}
      title={`${row.production}: ${stageWord(row.stage)}${late ? ', late' : ''}`}
    >
      {row.outlet} {row.placement.toLowerCase()}
    </Link>
  );
}
