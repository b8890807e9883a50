import type { EditedCue } from '@mivvy/core';

/** Seconds of sound that are shown before a cue and after it. */
const beside = 1.5;
/** Quieter than this is drawn as nothing, dB below full scale. */
const floorDb = -60;

/** A part of a film, seconds. */
export interface Seconds {
  from: number;
  to: number;
}

/** The part of a film of so many seconds whose sound is shown around a cue. */
export const soundAround = ({ from, to }: Pick<EditedCue, 'from' | 'to'>, seconds: number): Seconds => ({
  from: Math.max(0, from - beside),
  to: Math.min(seconds, to + beside),
});

/** How high the sound of a part is drawn, a value for each frame, 0 to 1. */
export const soundPeaks = (levels: readonly number[], { from, to }: Seconds, perSecond: number): number[] =>
  levels
    .slice(Math.round(from * perSecond), Math.round(to * perSecond))
    .map((level) => (Math.max(floorDb, level) - floorDb) / -floorDb);
