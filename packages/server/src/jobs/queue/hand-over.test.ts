import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { handOver, lastPlace, ticketName, type Ticket } from './hand-over.ts';

/** Jobs in the order in which they are to be taken. */
const free = fc
  .uniqueArray(
    fc.record({ id: fc.stringMatching(/^[a-z]{1,3}$/), handed: fc.nat(2), lapsed: fc.boolean() }),
    {
      selector: ({ id }) => id,
      maxLength: 12,
    },
  )
  .chain((jobs) =>
    fc.tuple(fc.constant(jobs), fc.shuffledSubarray(jobs), fc.infiniteStream(fc.nat(lastPlace))),
  )
  .map(([jobs, handed, places]) => {
    const used = new Set<number>();
    const lying: Ticket[] = handed.map((job) => {
      let [place] = [...places.take(1)] as [number];
      while (used.has(place) || place === 0) place = (place % lastPlace) + 1;
      used.add(place);
      return { name: ticketName(job), place, inHand: false };
    });
    return { jobs, lying };
  });
const stray = fc.record({
  name: fc.stringMatching(/^[A-Z]{2}\.[0-9]$/),
  place: fc.integer({ min: 1, max: lastPlace }),
  inHand: fc.boolean(),
});

test('what is handed over is what is free, in the same order, and nothing else', () => {
  fc.assert(
    fc.property(
      free,
      fc.uniqueArray(stray, { selector: ({ name }) => name, maxLength: 4 }),
      ({ jobs, lying }, strays) => {
        const tickets = [...lying, ...strays];
        const todo = handOver(jobs, tickets);
        const after = new Map(
          tickets.filter((ticket) => !ticket.inHand).map(({ name, place }) => [name, place]),
        );
        for (const name of todo.withdraw) expect(after.delete(name)).toBe(true);
        for (const { name, place } of todo.move) {
          expect(after.has(name)).toBe(true);
          after.set(name, place);
        }
        for (const { job, place } of todo.add)
          after.set(ticketName({ id: job.id, handed: job.handed + 1 }), place);
        const order = [...after].sort(([, a], [, b]) => a - b).map(([name]) => name.split('.')[0]);
        expect(order).toEqual(jobs.map(({ id }) => id));
        const places = [...after.values()];
        expect(new Set(places).size).toBe(places.length);
        expect(places.every((place) => place >= 1 && place <= lastPlace)).toBe(true);
      },
    ),
    { numRuns: 500 },
  );
});

test('what lies right is left alone', () => {
  fc.assert(
    fc.property(free, ({ jobs, lying }) => {
      const first = handOver(jobs, lying);
      const handed = new Map(first.add.map(({ job, place }) => [job.id, place]));
      const moved = new Map(first.move.map(({ name, place }) => [name, place]));
      const now = jobs.map((job) => (handed.has(job.id) ? { ...job, handed: job.handed + 1 } : job));
      const tickets = now.map((job) => {
        const name = ticketName(job);
        const place =
          handed.get(job.id) ?? moved.get(name) ?? lying.find((each) => each.name === name)!.place;
        return { name, place, inHand: false };
      });
      expect(handOver(now, tickets)).toEqual({ add: [], move: [], withdraw: [] });
    }),
  );
});

test('a ticket that somebody has in hand is left to them, until its job has lapsed', () => {
  const ticket = { name: 'a.1', place: 32, inHand: true };
  expect(handOver([{ id: 'a', handed: 1, lapsed: false }], [ticket])).toEqual({
    add: [],
    move: [],
    withdraw: [],
  });
  expect(handOver([{ id: 'a', handed: 1, lapsed: true }], [ticket]).add).toHaveLength(1);
});
