import {
  addDays,
  addMonths,
  eachDayOfInterval,
  endOfMonth,
  format,
  isToday,
  startOfMonth,
  startOfWeek,
} from 'date-fns';
import type { ReactNode } from 'react';
import styles from './foldings.module.css';

/** Days of a month's weeks, whole ones, from Monday on. */
export function daysOf(month: Date): Date[] {
  const from = startOfWeek(startOfMonth(month), { weekStartsOn: 1 });
  const to = addDays(startOfWeek(endOfMonth(month), { weekStartsOn: 1 }), 6);
  return eachDayOfInterval({ start: from, end: to });
}

/** A day as it is written down, such as 2026-11-03. */
export const dayKey = (day: Date): string => format(day, 'yyyy-MM-dd');

/** A month of days, each with what falls on it; one looks further by a month at a time. */
export function MonthGrid({
  month,
  onMonth,
  head,
  onDay,
}: {
  month: Date;
  onMonth: (month: Date) => void;
  /** What else stands in its head. */
  head?: ReactNode;
  /** What falls on a day, written as 2026-11-03. */
  onDay: (day: string) => ReactNode;
}) {
  return (
    <>
      <div className={styles.month}>
        <button className="fix tall" onClick={() => onMonth(addMonths(month, -1))}>
          Before
        </button>
        <h2>{format(month, 'MMMM yyyy')}</h2>
        <button className="fix tall" onClick={() => onMonth(addMonths(month, 1))}>
          After
        </button>
        {head}
      </div>
      <ol className={styles.days} aria-label={format(month, 'MMMM yyyy')}>
        {daysOf(month).map((day) => {
          const key = dayKey(day);
          return (
            <li key={key} className={day.getMonth() === month.getMonth() ? '' : styles.other}>
              <time dateTime={key} className="quiet" aria-current={isToday(day) ? 'date' : undefined}>
                {format(day, day.getDay() === 1 || day.getDate() === 1 ? 'EEE d' : 'd')}
              </time>
              {onDay(key)}
            </li>
          );
        })}
      </ol>
    </>
  );
}
