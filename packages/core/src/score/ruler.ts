import { fps, type Rate } from '../time/rate.ts';
import type { ScoreView } from './view.ts';

/** A mark of the ruler at a master frame; those that are labelled carry a timecode. */
export interface RulerTick {
  frame: number;
  labelled: boolean;
}

/** Steps of the ruler in seconds, where a second has room; below, in frames. */
const secondSteps = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1200, 1800, 3600];
const frameSteps = [1, 2, 5, 10];

/** Frames from one labelled mark to the next: the least that leaves a label room. */
export function rulerStep(pixelsPerFrame: number, rate: Rate, labelWidth: number): number {
  const perSecond = fps(rate);
  const least = labelWidth / pixelsPerFrame;
  const byFrames = frameSteps.find((step) => step >= least && step < perSecond);
  if (byFrames !== undefined) return byFrames;
  const seconds = secondSteps.find((s) => s * perSecond >= least) ?? secondSteps.at(-1)!;
  return seconds * perSecond;
}

/** Unlabelled marks between two labelled ones. */
const between = 5;

/** The marks of the ruler in view. Labelled ones stand at whole steps from the film's start, on the first frame at or after them. */
export function rulerTicks(
  view: ScoreView,
  frames: number,
  pixelsPerFrame: number,
  rate: Rate,
  labelWidth: number,
): RulerTick[] {
  const step = rulerStep(pixelsPerFrame, rate, labelWidth);
  const small = step / between >= 1 ? step / between : step;
  const ticks: RulerTick[] = [];
  const parts = Math.round(step / small);
  for (let i = Math.max(0, Math.floor(view.from / small)); i * small < Math.min(view.to, frames); i++) {
    // Rates like 30000/1001 have no whole number of frames to a second; a mark stands on a frame all the same.
    const frame = Math.ceil(i * small - 1e-6);
    if (frame >= view.from - step && frame < frames) ticks.push({ frame, labelled: i % parts === 0 });
  }
  return ticks;
}
