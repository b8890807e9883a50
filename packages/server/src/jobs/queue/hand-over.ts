import type { FreeJob } from './rows-queue.ts';

/** A job as it lies where other machines take it. */
export interface Ticket {
  /** The job and the number under which it was handed over, see {@link ticketName}. */
  name: string;
  /** Those with a lower one are taken first; 1 to {@link lastPlace}. */
  place: number;
  /** Somebody has it in hand, or waits a moment before trying it again. */
  inHand: boolean;
}

/** What has to be done so that what is handed over is what is free, in the same order. */
export interface HandOver {
  /** Jobs that are handed over under a new number. */
  add: { job: FreeJob; place: number }[];
  /** Tickets that get another place. */
  move: { name: string; place: number }[];
  /** Tickets of jobs that are not free, or are handed over under another number. */
  withdraw: string[];
}

/** The last place there is; the distributor knows no higher one. */
export const lastPlace = 2 ** 21 - 1;
/** Between two jobs that are handed over one after the other, so that another finds room. */
const gap = 32;

export const ticketName = ({ id, handed }: { id: string; handed: number }): string => `${id}.${handed}`;

/**
 * What has to be done with the tickets that lie there.
 *
 * @param free the jobs that can be taken, the first in order
 */
export function handOver(free: readonly FreeJob[], tickets: readonly Ticket[]): HandOver {
  const lying = new Map(tickets.map((ticket) => [ticket.name, ticket]));
  const known = free.map((job) => {
    const ticket = lying.get(ticketName(job));
    // Whoever had a job that lapsed in hand is gone, or not listened to any more.
    return ticket && !(job.lapsed && ticket.inHand) ? ticket : undefined;
  });
  const kept = new Set(known.flatMap((ticket) => (ticket ? [ticket.name] : [])));
  const withdraw = tickets.filter(({ name, inHand }) => !inHand && !kept.has(name)).map(({ name }) => name);
  const placed = place(free, known);
  return { ...(placed ?? place(free, known, true)!), withdraw };
}

/** Places in rising order, keeping those that can be kept; null where they do not suffice. */
function place(
  free: readonly FreeJob[],
  known: readonly (Ticket | undefined)[],
  anew = false,
): Omit<HandOver, 'withdraw'> | null {
  const done: Omit<HandOver, 'withdraw'> = { add: [], move: [] };
  let last = 0;
  for (const [i, job] of free.entries()) {
    const ticket = known[i];
    if (ticket?.inHand) continue;
    if (ticket && ticket.place > last && !anew) {
      last = ticket.place;
      continue;
    }
    const next = anew ? undefined : known.slice(i + 1).find((other) => other && !other.inHand);
    last = next && next.place > last + 1 ? last + Math.ceil((next.place - last) / 2) : last + gap;
    if (last > lastPlace) return null;
    if (ticket) done.move.push({ name: ticket.name, place: last });
    else done.add.push({ job, place: last });
  }
  return done;
}
