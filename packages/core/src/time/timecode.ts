import { fail, ok, type Result } from '../problem.ts';
import { fps, secondsToFrame, type Rate } from './rate.ts';

/** Whole frames counted in one second of timecode: 30 for 29.97, 24 for 23.976. */
function countingRate(r: Rate): number {
  return Math.max(1, Math.round(fps(r)));
}

/** True for the rates that SMPTE ST 12-1 defines drop-frame counting for: 30000/1001 and its multiples. */
export function mayDropFrames(r: Rate): boolean {
  return r.den === 1001 && r.num % 30000 === 0;
}

function dropped(r: Rate): number {
  return 2 * (countingRate(r) / 30);
}

const two = (n: number) => String(n).padStart(2, '0');

/**
 * Timecode of a frame counted from zero: `00:00:14:07`, or with `;` before the frames in drop-frame counting.
 * Drop-frame follows SMPTE ST 12-1 (from memory): frame numbers 0 and 1 (0 to 3 at 59.94) are left out at the start
 * of every minute that is not a multiple of ten.
 *
 * @param drop count drop-frame; default wherever the rate has it.
 */
export function frameToTimecode(frame: number, r: Rate, drop = mayDropFrames(r)): string {
  const count = countingRate(r);
  let n = Math.max(0, Math.floor(frame));
  const useDrop = drop && mayDropFrames(r);
  if (useDrop) {
    const d = dropped(r);
    const perMinute = count * 60 - d;
    const perTen = count * 600 - 9 * d;
    const tens = Math.floor(n / perTen);
    const rest = n % perTen;
    n += 9 * d * tens + (rest >= count * 60 ? d * (1 + Math.floor((rest - count * 60) / perMinute)) : 0);
  }
  const frames = n % count;
  const seconds = Math.floor(n / count);
  const digits = String(frames).padStart(count > 100 ? 3 : 2, '0');
  return `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${useDrop ? ';' : ':'}${digits}`;
}

/**
 * Reads timecode at a rate (`00:00:05:10`, `;` before the frames for drop-frame) or seconds (`5.4s`) as a frame number.
 * Fails for a number that does not exist, such as 00:01:00;00.
 */
export function parseTimecode(text: string, r: Rate): Result<number> {
  const seconds = /^\s*(\d+(?:\.\d+)?)\s*s\s*$/.exec(text);
  if (seconds) return ok(secondsToFrame(Number(seconds[1]), r));
  const parts = /^\s*(\d{1,2}):(\d{2}):(\d{2})([:;])(\d{2,3})\s*$/.exec(text);
  const wrong = (why: string) =>
    fail<number>(
      'bad-timecode',
      `“${text}” is not a time here: ${why}.`,
      'Write 00:00:05:10, or seconds as 5.4s.',
    );
  if (!parts) return wrong('it is neither timecode nor seconds');
  const [h, m, s, f] = [Number(parts[1]), Number(parts[2]), Number(parts[3]), Number(parts[5])] as const;
  const count = countingRate(r);
  if (m > 59 || s > 59) return wrong('minutes and seconds end at 59');
  if (f >= count) return wrong(`frames end at ${count - 1} at this rate`);
  const nominal = (h * 3600 + m * 60 + s) * count + f;
  if (parts[4] === ':') return ok(nominal);
  if (!mayDropFrames(r)) return wrong('this rate has no drop-frame counting');
  const d = dropped(r);
  if (s === 0 && m % 10 !== 0 && f < d) return wrong('drop-frame counting leaves that number out');
  const minutes = h * 60 + m;
  return ok(nominal - d * (minutes - Math.floor(minutes / 10)));
}

/** A length for a person: `15 s`, `42.4 s`, `1 min 12 s`, `1 h 04 min`. */
export function durationLabel(seconds: number): string {
  if (seconds < 60) return `${Math.round(seconds * 10) / 10} s`;
  const whole = Math.round(seconds);
  if (whole < 3600)
    return whole % 60 ? `${Math.floor(whole / 60)} min ${two(whole % 60)} s` : `${whole / 60} min`;
  return `${Math.floor(whole / 3600)} h ${two(Math.floor(whole / 60) % 60)} min`;
}

/** A number of frames in words. */
export const frameCount = (frames: number): string => `${frames} frame${frames === 1 ? '' : 's'}`;

/** A number of frames for a person, less than a second in frames, more in seconds: `3 frames`, `9.2 s`. */
export const framesLabel = (frames: number, r: Rate): string =>
  frames < fps(r) ? frameCount(frames) : durationLabel(frames / fps(r));
