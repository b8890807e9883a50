import type { Size } from '@mivvy/core';
import type { Detector } from './detector.ts';
import type { DetectNews } from './look-job.ts';

/** The first line of an error, short enough to be said. */
export const whyOf = (error: unknown): string =>
  (error instanceof Error ? error.message : String(error)).split('\n')[0]!.slice(0, 200);

/** A picture that the detector is shown, RGB bytes, and whether it may look closer. */
export interface PictureToSee {
  rgb: Uint8Array;
  size: Size;
  closer: boolean;
}

/** Asks a detector about one picture. That it failed is not the same as that it saw nothing, and is told. */
export async function seePicture(
  detector: Detector,
  frame: number,
  { rgb, size, closer }: PictureToSee,
): Promise<DetectNews> {
  try {
    return { kind: 'seen', frame, seen: await detector.see(rgb, size, closer) };
  } catch (error) {
    return { kind: 'failed', why: whyOf(error) };
  }
}
