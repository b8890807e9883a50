import * as z from 'zod';

/** Width and height in whole pixels. */
export interface Size {
  width: number;
  height: number;
}

interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** A rectangle in pixels of the displayed master (after rotation and pixel aspect); fractions of a pixel allowed. */
export type MasterRect = Rect & { readonly in?: 'master pixels' };

/** A rectangle in [0,1] of the delivered frame, as placements state their blocked areas. */
export type FrameFraction = Rect & { readonly in?: 'frame fractions' };

/** Distances from the four edges, each a fraction of the frame's width or height. */
export interface Margins {
  top: number;
  right: number;
  bottom: number;
  left: number;
}

export const sizeSchema = z.object({
  width: z.number().int().positive(),
  height: z.number().int().positive(),
});

/** Greatest common divisor of two non-negative integers. */
export function gcd(a: number, b: number): number {
  return b === 0 ? a : gcd(b, a % b);
}

/** Limits `value` to `[low, high]`; `low` wins when the bounds cross. */
export function clamp(value: number, low: number, high: number): number {
  return Math.max(low, Math.min(high, value));
}

/**
 * The shape of a frame as practitioners write it: `9:16`, `4:5`, `3:1`; a decimal ratio to one where the
 * whole numbers would exceed 32 (`1.91:1`).
 */
export function aspectLabel(size: Size): string {
  const d = gcd(size.width, size.height);
  const [w, h] = [size.width / d, size.height / d];
  if (w <= 32 && h <= 32) return `${w}:${h}`;
  const ratio = size.width / size.height;
  return ratio >= 1 ? `${trim(ratio)}:1` : `1:${trim(1 / ratio)}`;
}

/** Which way a frame stands, in one word. */
export function shapeWord(size: Size): 'tall' | 'square' | 'wide' {
  if (size.width === size.height) return 'square';
  return size.width < size.height ? 'tall' : 'wide';
}

function trim(n: number): string {
  return Number(n.toFixed(2)).toString();
}

/** True when two rectangles share more than an edge. */
export function overlaps(a: FrameFraction, b: FrameFraction): boolean {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}
