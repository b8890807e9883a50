import type { RenderPlan } from '@mivvy/core';

/** What has to be known of a master to show it as it should be seen. */
export type MasterHandling = RenderPlan['master'];

/** A way into a film: where it is entered, and how its pictures are told apart from there. */
export interface WayIn {
  /** Master frames that are left out before the first picture that comes. */
  skipped: number;
  /** Arguments that go before the film's on a command line. */
  args: string[];
  /** Filters that make of what a decoder gives one picture for each master frame, numbered by its timestamp from 0. */
  counted: string;
}

/** Entering later than at the start pays only beyond this many frames. */
const entersBeyondFrames = 50;
/** Who enters by time enters at least so much early, seconds: what is deinterlaced needs its neighbours. */
const entersEarlySeconds = 1;

const rateOf = ({ rate }: MasterHandling) => `${rate.num}/${rate.den}`;
const frameAsUnit = ({ rate }: MasterHandling) => `settb=${rate.den}/${rate.num}`;
const deinterlaced = (master: MasterHandling) => (master.interlaced ? ['bwdif=mode=send_frame'] : []);

/** The way from a film's start. */
export const fromStart = (master: MasterHandling): WayIn => ({
  skipped: 0,
  args: [],
  counted: [
    ...deinterlaced(master),
    // A film whose rate varies is brought to one rate; a steady one is renumbered, which forgives rounded timestamps.
    ...(master.rateVaries ? ['setpts=PTS-STARTPTS', `fps=${rateOf(master)}`] : []),
    frameAsUnit(master),
    'setpts=N',
  ].join(','),
});

/** The shortest way to a frame of a film, and on from there. */
export function wayInto(master: MasterHandling, frame: number): WayIn {
  if (master.countedFromStart || frame <= entersBeyondFrames) return fromStart(master);
  const seconds = master.videoStartSeconds + (frame * master.rate.den) / master.rate.num;
  if (master.rateVaries || master.interlaced) return byTime(master, frame, seconds);
  // Half a frame early, so that rounding of timestamps cannot lose the first frame.
  const early = seconds - (0.5 * master.rate.den) / master.rate.num;
  return { ...fromStart(master), skipped: frame, args: ['-ss', early.toFixed(6)] };
}

/**
 * Enters a film early and tells its pictures by their times: where its rate varies the picture that is due may be one
 * from before a gap, and one that is deinterlaced needs its neighbours. So everything from a keyframe on is decoded.
 */
function byTime(master: MasterHandling, frame: number, seconds: number): WayIn {
  const { longestKeyframeDelay: delay } = master;
  if (delay === undefined) return fromStart(master);
  // A keyframe is sought by when it is decoded, and has to be shown before the frame is. ffmpeg counts time from where
  // it was sent, and whole seconds are whole ticks of every clock that ticks n times a second.
  const entered = Math.floor(seconds - delay) - entersEarlySeconds;
  if (entered <= 0) return fromStart(master);
  const sinceFirst = `setpts=PTS+round(${entered}/TB)-round(${master.videoStartSeconds.toFixed(6)}/TB)`;
  return {
    skipped: frame,
    args: ['-noaccurate_seek', '-ss', String(entered)],
    counted: [
      sinceFirst,
      ...deinterlaced(master),
      ...(master.rateVaries ? [`fps=${rateOf(master)}`] : []),
      frameAsUnit(master),
      `trim=start_pts=${frame}`,
      'setpts=N',
    ].join(','),
  };
}
