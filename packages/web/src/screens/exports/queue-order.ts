import type { Job } from '@mivvy/api';
import type { QueuePlace } from './move-buttons.tsx';

/** Waiting jobs in the order in which they will run: by rank, equal ones by age. */
export const queueOrder = (a: Job, b: Job): number =>
  a.rank - b.rank || a.createdAt.localeCompare(b.createdAt) || a.id.localeCompare(b.id);

const states: readonly Job['state'][] = ['running', 'queued', 'failed', 'done', 'cancelled'];

/** The running one first, then the queue in its own order, then what ended, newest first. */
export const runOrder = (a: Job, b: Job): number =>
  states.indexOf(a.state) - states.indexOf(b.state) ||
  (a.state === 'queued' ? queueOrder(a, b) : b.createdAt.localeCompare(a.createdAt));

/** Where a job stands among those that wait; null where it does not wait. */
export function placeOf(job: Job, waiting: readonly Job[]): QueuePlace | null {
  const at = waiting.findIndex((other) => other.id === job.id);
  if (at < 0) return null;
  return {
    sooner: waiting[at - 1]?.id ?? null,
    later: at === waiting.length - 1 ? undefined : (waiting[at + 2]?.id ?? null),
  };
}
