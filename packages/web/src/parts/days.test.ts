import { expect, test } from '@jest/globals';
import { readMoment } from '../screens/dispatch/moment.ts';
import { dayDistance, dayWords, isLate, readDay } from './days.ts';

const today = new Date(2026, 10, 26, 15, 0);

test.each([
  ['2 Jun', '2026-06-02'],
  ['2 June 2027', '2027-06-02'],
  ['2.6.', '2026-06-02'],
  ['2.6.2027', '2027-06-02'],
  ['2/6/2027', '2027-06-02'],
  [' 2027-06-02 ', '2027-06-02'],
  ['31 Feb', undefined],
  ['soon', undefined],
  ['', undefined],
])('the day “%s” is read as %s', (text, day) => expect(readDay(text, today)).toBe(day));

test('days are told by their distance, and by their year where it is another', () => {
  expect(
    ['2026-11-26', '2026-11-27', '2026-12-01', '2026-11-25', '2026-11-20'].map((d) => dayDistance(d, today)),
  ).toEqual(['today', 'tomorrow', 'in 5 days', 'a day late', '6 days late']);
  expect([dayWords('2026-06-02', today), dayWords('2027-06-02', today)]).toEqual(['2 Jun', '2 Jun 2027']);
  expect([isLate('2026-11-26', today), isLate('2026-11-25', today)]).toEqual([false, true]);
});

test('a moment to come is read in the place’s own time; one that is over is none', () => {
  expect(readMoment('2 Dec 18:00', today)).toBe(new Date(2026, 11, 2, 18, 0).toISOString());
  expect(readMoment('2.1. 18:00', today)).toBeUndefined();
  expect(readMoment('at noon', today)).toBeUndefined();
});
