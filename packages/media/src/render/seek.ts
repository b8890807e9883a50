import type { MasterHandling } from './filters.ts';

/** Seeking straight to a later start pays only beyond this many frames. */
const seekBeyondFrames = 50;

/** Master frames left out by seeking to a frame, and the arguments that seek there. */
export function seekTo(master: MasterHandling, from: number): { skipped: number; args: string[] } {
  // A varying rate is conformed by counting from the start, so it is never entered in the middle.
  if (master.rateVaries || master.interlaced || master.countedFromStart || from <= seekBeyondFrames)
    return { skipped: 0, args: [] };
  // Half a frame early, so that rounding of timestamps cannot lose the first frame.
  const seconds = master.videoStartSeconds + ((from - 0.5) * master.rate.den) / master.rate.num;
  return { skipped: from, args: ['-ss', seconds.toFixed(6)] };
}
