import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import * as z from 'zod';
import { subjectKinds, type Size } from '@mivvy/core';

// What a detector is given and tells. The detector itself takes long to load, and is in `detector.ts` for its worker alone.

const require = createRequire(import.meta.url);

/** What the detector saw in one picture; the box in [0,1] of it. */
export const seenSchema = z.object({
  kind: z.enum(subjectKinds),
  what: z.string(),
  score: z.number(),
  /** Seen at the second, closer look. */
  closer: z.boolean().default(false),
  /** Of a face: which way it is turned, from -1 (to the picture's left) to 1 (to its right). */
  turned: z.number().min(-1).max(1).optional(),
  x: z.number(),
  y: z.number(),
  width: z.number(),
  height: z.number(),
});
export type Seen = z.infer<typeof seenSchema>;

/** Side of the square that the detector looks at. */
export const detectorSide = 512;
/** A film of a very long shape is made narrower: its pictures would take too much room. */
const widestSide = 1280;

/**
 * The pictures that it is given: the whole squeezed into a square, and under (or beside) it the picture in its own shape,
 * as high (or wide, upright) as the square, in which it can look closer. `picture` is the size of that.
 */
export function detectorSize(displayed: Size): { all: Size; picture: Size } {
  const k = detectorSide / Math.min(displayed.width, displayed.height);
  const side = (n: number) => Math.max(detectorSide, Math.min(widestSide, 2 * Math.round((n * k) / 2)));
  const picture = { width: side(displayed.width), height: side(displayed.height) };
  const wide = picture.width > picture.height;
  return {
    picture,
    all: wide
      ? { width: picture.width + detectorSide, height: detectorSide }
      : { width: detectorSide, height: picture.height + detectorSide },
  };
}

/** The filters that make such a picture: both are reduced from the film itself, since a picture reduced twice shows less. */
export function detectorFilters({ picture }: { picture: Size }): string {
  const scaled = (width: number, height: number) => `scale=${width}:${height}:flags=bilinear,format=rgb24`;
  const stack = picture.width > picture.height ? 'hstack' : 'vstack';
  return `split=2[squeezing][shaping];[squeezing]${scaled(detectorSide, detectorSide)}[squeezed];[shaping]${scaled(picture.width, picture.height)}[shaped];[squeezed][shaped]${stack}`;
}

/** Folder of the models that ship with the product. */
export function shippedModels(): string {
  // The package names no file of its own but its entry, two folders below its root.
  return join(dirname(require.resolve('@vladmandic/human')), '..', 'models');
}
