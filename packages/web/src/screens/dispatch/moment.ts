import { isValid, parse } from 'date-fns';

/** A moment to come as people write it here: `2 Jun 18:00`, `2.6. 18:00`; in UTC, or undefined where it is none. */
export function readMoment(text: string, now = new Date()): string | undefined {
  const said = text.trim().replace(',', '');
  for (const form of [
    'd MMM HH:mm',
    'd MMM yyyy HH:mm',
    'd.M. HH:mm',
    'd/M/yyyy HH:mm',
    'yyyy-MM-dd HH:mm',
  ]) {
    const at = parse(said, form, now);
    if (isValid(at) && at > now) return at.toISOString();
  }
  return undefined;
}
