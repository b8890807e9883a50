import { expect, test } from '@jest/globals';
import { soundAround, soundPeaks } from './sound-around.ts';

test('the sound around a cue reaches a little beyond it, and no farther than the film', () => {
  expect(soundAround({ from: 10, to: 12 }, 60)).toEqual({ from: 8.5, to: 13.5 });
  expect(soundAround({ from: 0.2, to: 59.5 }, 60)).toEqual({ from: 0, to: 60 });
});

test('it is drawn as high as it is loud, a value for each frame of the part', () => {
  const levels = [-200, -60, -30, 0, -30, -200];
  expect(soundPeaks(levels, { from: 0.04, to: 0.2 }, 25)).toEqual([0, 0.5, 1, 0.5]);
});
