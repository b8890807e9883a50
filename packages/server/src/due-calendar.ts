import { ICalCalendarMethod, ICalCalendar } from 'ical-generator';
import { waitsFor } from '@mivvy/core';
import type { LedgerRow } from '@mivvy/api';

/** Everything that is due on a day, as an iCalendar file (RFC 5545): one event of the whole day for each deliverable. */
export function dueCalendar(rows: readonly LedgerRow[], at: string): string {
  const calendar = new ICalCalendar({ name: 'Mivvy: due', method: ICalCalendarMethod.PUBLISH });
  for (const row of rows) {
    if (row.dueOn === null) continue;
    calendar.createEvent({
      id: `${row.versionId}@mivvy`,
      stamp: new Date(at),
      start: new Date(`${row.dueOn}T00:00:00Z`),
      allDay: true,
      timezone: null,
      summary: `${row.outlet}, ${row.placement} · ${row.production}`,
      description: [
        row.client && `For ${row.client}.`,
        `Waits for ${waitsFor[row.stage]}.`,
        row.holder && `${row.holder} has it.`,
      ]
        .filter(Boolean)
        .join(' '),
    });
  }
  return calendar.toString();
}
