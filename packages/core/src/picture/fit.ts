import type { MasterRect, Size } from './geometry.ts';
import { clamp } from './geometry.ts';

/** The size, in master pixels, of the largest window of the frame's shape that the master holds. Never rounded. */
export function largestWindowSize(masterSize: Size, frameSize: Size): { width: number; height: number } {
  // Compared by cross multiplication so that equal shapes give exactly the master's size.
  return masterSize.width * frameSize.height >= masterSize.height * frameSize.width
    ? { width: (masterSize.height * frameSize.width) / frameSize.height, height: masterSize.height }
    : { width: masterSize.width, height: (masterSize.width * frameSize.height) / frameSize.width };
}

/**
 * A window rounded to whole even master pixels for typing into another tool: nearest even width and height,
 * nearest even corner that stays inside the master. (607.5 × 1080 at 656.25 becomes 608 × 1080 at 656.)
 */
export function evenWindow(window: MasterRect, masterSize: Size): MasterRect {
  const even = (n: number) => Math.round(n / 2) * 2;
  const floorEven = (n: number) => Math.floor(n / 2) * 2;
  const width = clamp(even(window.width), 2, floorEven(masterSize.width));
  const height = clamp(even(window.height), 2, floorEven(masterSize.height));
  return {
    x: clamp(even(window.x), 0, floorEven(masterSize.width - width)),
    y: clamp(even(window.y), 0, floorEven(masterSize.height - height)),
    width,
    height,
  };
}

/** Where the whole master lands when it is placed inside a frame without cropping. Lengths in frame pixels. */
export interface WholeFit {
  width: number;
  height: number;
  /** Bar above and below. */
  barTopBottom: number;
  /** Bar at left and right. */
  barSides: number;
  /** How much larger the picture must be drawn to fill the frame; 1 when the shapes agree. */
  fillFactor: number;
}

/** Places the whole master inside the frame (bars where the shapes differ). */
export function fitWhole(masterSize: Size, frameSize: Size): WholeFit {
  const scale = Math.min(frameSize.width / masterSize.width, frameSize.height / masterSize.height);
  const fill = Math.max(frameSize.width / masterSize.width, frameSize.height / masterSize.height);
  const width = masterSize.width * scale;
  const height = masterSize.height * scale;
  return {
    width,
    height,
    barTopBottom: (frameSize.height - height) / 2,
    barSides: (frameSize.width - width) / 2,
    fillFactor: fill / scale,
  };
}

/**
 * The frame to deliver from a master: the placement's larger frame when the master has at least its pixels on both
 * its long and its short side, whichever way either is turned; otherwise the standard frame. A 3840×2160 master
 * earns 2160×3840, a 1920×1080 one stays at 1080×1920.
 */
export function frameForMaster(masterSize: Size, standard: Size, larger: Size | undefined): Size {
  if (!larger) return standard;
  const long = (s: Size) => Math.max(s.width, s.height);
  const short = (s: Size) => Math.min(s.width, s.height);
  return long(masterSize) >= long(larger) && short(masterSize) >= short(larger) ? larger : standard;
}

/** How many delivered pixels one master pixel becomes across a window; above 1 the picture is enlarged. */
export function enlargement(window: MasterRect, frameSize: Size): number {
  return frameSize.width / window.width;
}
