import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { ShareNext } from './share-next.ts';

const settled = () => new Promise((resolve) => setImmediate(resolve));

test('nobody gets an answer from before they asked, and a crowd costs two makings', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(fc.constantFrom('ask', 'change', 'end'), { maxLength: 40 }), async (steps) => {
      const shared = new ShareNext<number>();
      let truth = 0;
      let makings = 0;
      const ends: (() => void)[] = [];
      const asked: Promise<void>[] = [];
      const make = async () => {
        makings++;
        const seen = truth;
        await new Promise<void>((resolve) => ends.push(resolve));
        return seen;
      };
      for (const step of steps) {
        if (step === 'change') truth++;
        else if (step === 'end') ends.shift()?.();
        else {
          const atLeast = truth;
          asked.push(shared.ask('it', make).then((seen) => expect(seen).toBeGreaterThanOrEqual(atLeast)));
        }
        await settled();
        // One that runs and one that waits for it, never two side by side.
        expect(ends.length).toBeLessThanOrEqual(1);
      }
      while (ends.length > 0) {
        ends.shift()!();
        await settled();
      }
      await Promise.all(asked);
      const ended = steps.filter((step) => step === 'end').length;
      expect(makings).toBeLessThanOrEqual(ended + 2);
    }),
  );
});

test('a making that fails fails those who share it, and the next one is made', async () => {
  const shared = new ShareNext<string>();
  const first = shared.ask('it', () => Promise.reject(new Error('no')));
  const second = shared.ask('it', () => Promise.resolve('yes'));
  await expect(first).rejects.toThrow('no');
  expect(await second).toBe('yes');
});
