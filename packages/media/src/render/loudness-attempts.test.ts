import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  firstAttempt,
  missedBy,
  mostGain,
  nextAttempt,
  type Attempt,
  type Try,
} from './loudness-attempts.ts';

/** A sound, a limiter and a coder of a few numbers. */
const sound = fc.record({
  loud: fc.double({ min: -40, max: -12, noNaN: true }),
  /** Of its peaks over its loudness, dB. */
  crest: fc.double({ min: 8, max: 20, noNaN: true }),
  /** What of each decibel of limiting is lost in loudness. */
  lost: fc.double({ min: 0, max: 0.6, noNaN: true }),
  /** Peaks that the coder makes in its usual way, and in its steady one, dB. */
  usual: fc.double({ min: 0, max: 4, noNaN: true }),
  steady: fc.double({ min: 0, max: 0.4, noNaN: true }),
});
const wanted = fc.record({
  integratedLufs: fc.integer({ min: -24, max: -14 }),
  truePeakDbtp: fc.constantFrom(-1, -1.5, -2),
});

test('loudness and peaks are met within the attempts that are made, for any sound that a limiter can bring there', () =>
  fc.assert(
    fc.property(sound, wanted, ({ loud, crest, lost, usual, steady }, target) => {
      const peak = loud + crest;
      const tryIt = (attempt: Attempt): Try => {
        const ceiling = target.truePeakDbtp - attempt.headroom;
        const excess = attempt.limiting ? Math.max(0, peak + attempt.gain - ceiling) : 0;
        const came = loud + attempt.gain - lost * excess;
        const high = peak + attempt.gain - excess + (attempt.steady ? steady : usual);
        return { ...attempt, off: target.integratedLufs - came, over: high - target.truePeakDbtp };
      };
      const before = { integratedLufs: loud, truePeakDbtp: peak, rangeLu: null };
      let attempt = firstAttempt(before, target);
      const most = mostGain(attempt);
      let [last, best]: [Try | null, number] = [null, Infinity];
      for (let i = 0; i < 7 && best > 0; i++) {
        const now = tryIt(attempt);
        expect(now.gain).toBeLessThanOrEqual(most);
        best = Math.min(best, missedBy(now));
        attempt = nextAttempt(now, last, most);
        last = now;
      }
      // A limiter that would be heard is not asked for.
      const isOutOfReach = last!.gain >= most - 1e-9;
      expect(isOutOfReach ? 0 : best).toBe(0);
    }),
    { numRuns: 500 },
  ));
