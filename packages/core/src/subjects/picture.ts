import type { Size } from '../picture/geometry.ts';

/**
 * A picture as subjects are looked for in it: luma, then the two colour differences, each a plane of bytes of
 * {@link lookSize}. Small enough to be gone through many times a second, large enough that a kite is several pixels.
 */
export type LookPicture = Uint8Array;

/** A rectangle in pixels of a look picture; fractions of a pixel allowed. */
export interface LookBox {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Longer side of a look picture, pixels. */
const longSide = 160;

/** Size that a master is looked at in: its own shape, 160 pixels along the longer side, whole even numbers. */
export function lookSize(masterSize: Size): Size {
  const scale = longSide / Math.max(masterSize.width, masterSize.height);
  const even = (n: number) => Math.max(16, Math.round((n * scale) / 2) * 2);
  return { width: even(masterSize.width), height: even(masterSize.height) };
}

/** Every so manyth frame is looked at: about twelve a second. */
export const looksAtEvery = (framesPerSecond: number): number =>
  Math.max(1, Math.round(framesPerSecond / 12.5));

/** The part of two boxes that both cover, over what either covers: 0 apart, 1 the same. */
export function overlapShare(a: LookBox, b: LookBox): number {
  const shared = sharedArea(a, b);
  return shared / (a.width * a.height + b.width * b.height - shared || 1);
}

/** Area that two boxes share. */
export function sharedArea(a: LookBox, b: LookBox): number {
  const width = Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x);
  const height = Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y);
  return width > 0 && height > 0 ? width * height : 0;
}

/** The box around two boxes. */
export function around(a: LookBox, b: LookBox): LookBox {
  const x = Math.min(a.x, b.x);
  const y = Math.min(a.y, b.y);
  return {
    x,
    y,
    width: Math.max(a.x + a.width, b.x + b.width) - x,
    height: Math.max(a.y + a.height, b.y + b.height) - y,
  };
}

/** The part of a box that lies in the picture; null where none does. */
export function insidePicture(box: LookBox, size: Size): LookBox | null {
  const x = Math.max(0, box.x);
  const y = Math.max(0, box.y);
  const width = Math.min(size.width, box.x + box.width) - x;
  const height = Math.min(size.height, box.y + box.height) - y;
  return width > 0 && height > 0 ? { x, y, width, height } : null;
}
