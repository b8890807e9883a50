import type { Placement } from '../specs/schema.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { fps, framesWithin, frameToSeconds, type Rate } from '../time/rate.ts';
import { frameCount, framesLabel } from '../time/timecode.ts';

/** How a version's length stands against its place's limits, in delivered frames. */
export interface TimeLeft {
  rate: Rate;
  /** Frames that are left below the limit; negative where the version is over it, null where there is none. */
  left: number | null;
  /** Frames that are missing to the least length; 0 where it is met. */
  short: number;
}

/** Counts what is left of a place's time. A file exactly at a limit is inside it. */
export function timeLeft(plan: Pick<RenderPlan, 'frames' | 'rate'>, placement: Placement): TimeLeft {
  const { maxSeconds, minSeconds } = placement.duration ?? {};
  const least = minSeconds === undefined ? 0 : Math.ceil((minSeconds * plan.rate.num) / plan.rate.den - 1e-6);
  return {
    rate: plan.rate,
    left: maxSeconds === undefined ? null : framesWithin(maxSeconds, plan.rate) - plan.frames,
    short: Math.max(0, least - plan.frames),
  };
}

/** In a few words: `3 frames over`, `9.2 s to spare`, `0 frames over`, `1.4 s too short`. */
export function timeLeftWords({ rate, left, short }: TimeLeft): string {
  if (short > 0) return `${framesLabel(short, rate)} too short`;
  if (left === null) return 'no limit';
  if (left < 0) return `${framesLabel(-left, rate)} over`;
  return left === 0 ? '0 frames over' : `${framesLabel(left, rate)} to spare`;
}

/** The same in the other unit, for where both are wanted: `230 frames` beside seconds, `0.12 s` beside frames. */
export function timeLeftFigures({ rate, left, short }: TimeLeft): string {
  const frames = short > 0 ? short : Math.abs(left ?? 0);
  return frames < fps(rate) ? `${Number(frameToSeconds(frames, rate).toFixed(3))} s` : frameCount(frames);
}
