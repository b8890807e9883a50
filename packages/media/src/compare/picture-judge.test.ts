import { expect, test } from '@jest/globals';
import type { Planes, Sample } from '@mivvy/core';
import { PictureJudge } from './picture-judge.ts';

const size = { width: 160, height: 120 };
const films = { master: size, frame: size };
const whole = { x: 0, y: 0, ...size };

/** A picture of bands and squares, brighter by some levels. */
function picture(by: number): Planes {
  const half = { width: size.width / 2, height: size.height / 2 };
  const luma = Uint8Array.from({ length: size.width * size.height }, (_, i) => {
    const [x, y] = [i % size.width, (i / size.width) | 0];
    return 60 + by + ((x >> 3) % 5) * 12 + ((y >> 4) % 3) * 20;
  });
  const grey = new Uint8Array(half.width * half.height).fill(128);
  return { luma: { ...size, bytes: luma }, cb: { ...half, bytes: grey }, cr: { ...half, bytes: grey } };
}

const sampleOf = (at: number, by = 0): Sample => ({
  at,
  file: picture(by),
  master: picture(0),
  layout: { ground: null, panels: [{ source: whole, into: whole }] },
  over: [],
});

test('pictures are judged each by itself, however many are handed over at once', async () => {
  const judge = new PictureJudge();
  const judged = await Promise.all(
    [0, 12, 0, 30].map((by, at) => judge.judge({ films, sample: sampleOf(at, by) })),
  );
  expect(judged.map(({ at }) => at)).toEqual([0, 1, 2, 3]);
  expect(judged.map(({ panels }) => Math.round(panels[0]!.colour))).toEqual([0, 12, 0, 30]);
});

test('a thread that fails says so to all who wait for it, and the next picture is judged by another', async () => {
  const judge = new PictureJudge();
  const broken = { ...sampleOf(0), file: undefined } as unknown as Sample;
  const waiting = await Promise.allSettled([
    judge.judge({ films, sample: broken }),
    judge.judge({ films, sample: sampleOf(1) }),
  ]);
  expect(waiting.map(({ status }) => status)).toEqual(['rejected', 'rejected']);
  const after = await judge.judge({ films, sample: sampleOf(2) });
  expect(after).toMatchObject({ at: 2, bars: null });
  expect(after.panels[0]!.likeness).toBeCloseTo(1, 6);
});
