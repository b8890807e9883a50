import { differenceInCalendarDays, format, isValid, parse, parseISO } from 'date-fns';

/** A day as a sentence names it: `2 Jun`, with its year where that is not this one. */
export function dayWords(day: string, today = new Date()): string {
  const date = parseISO(day);
  return format(date, date.getFullYear() === today.getFullYear() ? 'd MMM' : 'd MMM yyyy');
}

/** How far off a day is: `today`, `tomorrow`, `in 3 days`, `2 days late`. */
export function dayDistance(day: string, today = new Date()): string {
  const days = differenceInCalendarDays(parseISO(day), today);
  if (days === 0) return 'today';
  if (days === 1) return 'tomorrow';
  if (days > 1) return `in ${days} days`;
  return days === -1 ? 'a day late' : `${-days} days late`;
}

/** It lies before today. */
export const isLate = (day: string, today = new Date()): boolean =>
  differenceInCalendarDays(parseISO(day), today) < 0;

/** A day as people write it: `2 Jun`, `2 Jun 2027`, `2.6.`, `2/6/2027`, `2027-06-02`; undefined where it is none. */
export function readDay(text: string, today = new Date()): string | undefined {
  const said = text.trim();
  for (const form of [
    'yyyy-MM-dd',
    'd MMM yyyy',
    'd MMMM yyyy',
    'd MMM',
    'd MMMM',
    'd.M.yyyy',
    'd.M.',
    'd/M/yyyy',
    'd/M',
  ]) {
    const date = parse(said, form, today);
    if (isValid(date) && date.getFullYear() > 1999) return format(date, 'yyyy-MM-dd');
  }
  return undefined;
}

/** A moment as a list of events writes it. */
export const momentWords = (at: string): string => format(parseISO(at), 'd MMM, HH:mm');
