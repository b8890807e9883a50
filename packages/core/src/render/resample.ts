import type { MasterRect, Size } from '../picture/geometry.ts';

/**
 * How to cut a window out of a master with whole-pixel operations and still land where it should, to a fraction of a
 * delivered pixel: crop a slightly larger piece on even pixels (colour is stored for pairs), scale it, and crop the
 * frame out of the result.
 */
export interface Resample {
  /** Crop of the master, whole pixels, even corner and size where the master's own size allows. */
  crop: { x: number; y: number; width: number; height: number };
  /** Size that the crop is scaled to. */
  scaled: Size;
  /** Corner of the delivered frame inside the scaled picture. */
  offset: { x: number; y: number };
  /** The offset is odd somewhere, so the frame must be cut while every pixel still has its own colour (4:4:4). */
  fullChroma: boolean;
  /** Largest distance of any edge from where it should be, in delivered pixels. */
  error: number;
}

interface Axis {
  start: number;
  length: number;
  scaled: number;
  offset: number;
  error: number;
}

/** How far the search widens the crop beyond the window, master pixels. More gains little and costs decoding time. */
const reach = 24;
/** An even cut this near, in delivered pixels, is preferred: it costs a third of the time of one at full chroma. */
const nearEnough = 0.4;

function axis(
  windowStart: number,
  windowLength: number,
  masterLength: number,
  frameLength: number,
  grid: 1 | 2,
): Axis {
  const factor = frameLength / windowLength;
  const end = windowStart + windowLength;
  const step = masterLength % 2 === 0 ? 2 : 1;
  let best: Axis | undefined;
  const firstStart = Math.floor((windowStart + 1e-9) / step) * step;
  for (let start = firstStart; start >= Math.max(0, firstStart - reach); start -= step) {
    const least = Math.ceil((end - start - 1e-9) / step) * step;
    for (let length = least; length <= Math.min(least + reach, masterLength - start); length += step) {
      const below = Math.floor((length * factor) / grid) * grid;
      for (const scaled of [below, below + grid]) {
        if (scaled < frameLength) continue;
        const real = scaled / length;
        const offset = Math.min(
          scaled - frameLength,
          Math.max(0, Math.round(((windowStart - start) * real) / grid) * grid),
        );
        const error = Math.max(
          Math.abs((windowStart - start) * real - offset),
          Math.abs((end - start) * real - offset - frameLength),
        );
        // A smaller crop wins unless a larger one is clearly nearer.
        if (!best || error < best.error - 0.02) best = { start, length, scaled, offset, error };
      }
    }
  }
  // The window lies inside the master, so the widest crop always qualifies.
  return best ?? { start: 0, length: masterLength, scaled: frameLength, offset: 0, error: Infinity };
}

function cut(window: MasterRect, masterSize: Size, frameSize: Size, grid: 1 | 2): Resample {
  const h = axis(window.x, window.width, masterSize.width, frameSize.width, grid);
  const v = axis(window.y, window.height, masterSize.height, frameSize.height, grid);
  return {
    crop: { x: h.start, y: v.start, width: h.length, height: v.length },
    scaled: { width: h.scaled, height: v.scaled },
    offset: { x: h.offset, y: v.offset },
    fullChroma: grid === 1,
    error: Math.max(h.error, v.error),
  };
}

/** Plans the crop, scale and crop of a still window. */
export function resamplePlan(window: MasterRect, masterSize: Size, frameSize: Size): Resample {
  const even = cut(window, masterSize, frameSize, 2);
  return even.error <= nearEnough ? even : cut(window, masterSize, frameSize, 1);
}
