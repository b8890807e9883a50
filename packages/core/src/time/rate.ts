import * as z from 'zod';
import { gcd } from '../picture/geometry.ts';
import { fail, ok, type Result } from '../problem.ts';

/** Frames a second as a fraction in lowest terms, e.g. `{ num: 30000, den: 1001 }`. */
export interface Rate {
  num: number;
  den: number;
}

export const rateSchema = z.object({ num: z.number().int().positive(), den: z.number().int().positive() });

/** A rate in lowest terms. */
export function rate(num: number, den = 1): Rate {
  const d = gcd(num, den);
  return { num: num / d, den: den / d };
}

/** Frames a second as a decimal. */
export function fps(r: Rate): number {
  return r.num / r.den;
}

/** Negative, zero or positive as `a` is slower than, equal to or faster than `b`; exact. */
export function compareRates(a: Rate, b: Rate): number {
  return a.num * b.den - b.num * a.den;
}

/** Reads `"25"`, `"30000/1001"`, and decimals of the NTSC family such as `"29.97"`. */
export function parseRate(text: string): Result<Rate> {
  const fraction = /^\s*(\d{1,9})\s*(?:\/\s*(\d{1,9}))?\s*$/.exec(text);
  if (fraction) {
    const [num, den] = [Number(fraction[1]), Number(fraction[2] ?? 1)];
    if (num > 0 && den > 0) return ok(rate(num, den));
  }
  const decimal = Number(text);
  if (/^\s*\d+\.\d+\s*$/.test(text) && decimal > 0) return ok(nearestKnownRate(decimal));
  return fail('bad-rate', `“${text}” is not a frame rate.`, 'Write it as 25 or 30000/1001.');
}

/** Writes a rate as the spec book does: `25` or `30000/1001`. */
export function rateText(r: Rate): string {
  return r.den === 1 ? String(r.num) : `${r.num}/${r.den}`;
}

/** Writes a rate for a person: `25`, `29.97`, `23.976`. */
export function rateLabel(r: Rate): string {
  const value = fps(r);
  if (r.den === 1) return String(r.num);
  return Number(value.toFixed(value < 24 ? 3 : 2)).toString();
}

/** Rates in common use, used to give a measured decimal its exact fraction (common practice). */
const knownRates: readonly Rate[] = [
  ...[12, 12.5, 15, 24, 25, 30, 48, 50, 60, 90, 100, 120, 240].map((n) => rate(n * 2, 2)),
  ...[24000, 30000, 48000, 60000, 120000].map((n) => rate(n, 1001)),
];

/** The common rate within 0.02 % of a decimal, else the decimal to three places as a fraction. */
export function nearestKnownRate(decimal: number): Rate {
  for (const known of knownRates) {
    if (Math.abs(fps(known) - decimal) / decimal < 0.0002) return known;
  }
  return rate(Math.max(1, Math.round(decimal * 1000)), 1000);
}

/** Seconds from the film's start to the start of a frame. */
export function frameToSeconds(frame: number, r: Rate): number {
  return (frame * r.den) / r.num;
}

/** The frame being shown at a time: the last one that has started. A hair of tolerance absorbs decimal seconds. */
export function secondsToFrame(seconds: number, r: Rate): number {
  return Math.floor((seconds * r.num) / r.den + 1e-6);
}

/** The frame whose start is nearest to a time. */
export function nearestFrame(seconds: number, r: Rate): number {
  return Math.round((seconds * r.num) / r.den);
}

/** True when `frames` at `r` last no longer than `seconds`; a film exactly at the limit is inside it. */
export function withinSeconds(frames: number, r: Rate, seconds: number): boolean {
  return frames * r.den <= seconds * r.num + 1e-6;
}

/** The most frames that last no longer than `seconds`. */
export function framesWithin(seconds: number, r: Rate): number {
  return Math.floor((seconds * r.num) / r.den + 1e-6);
}
