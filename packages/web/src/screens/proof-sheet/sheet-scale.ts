import { packSheet, type PackedSheet, type Size } from '@mivvy/core';
import type { Version } from '@mivvy/api';

/** Frames larger than this count as this large: a film for a cinema's frame would leave no room for the others. */
const largestSide = 1920;

/** What a cell needs around its picture, screen pixels. */
export const sheetGap = 22;
const wordsHeight = 62;
export const leastWidth = 138;

/** A version's frame as it counts on the sheet, delivered pixels. */
export function frameOnSheet(version: Version): Size {
  const frame = version.placement?.frame ?? { width: 1080, height: 1080 };
  const k = Math.min(1, largestSide / Math.max(frame.width, frame.height));
  return { width: frame.width * k, height: frame.height * k };
}

/** Half a delivered pixel for one of the screen is as large as a proof is of use beside others. */
const largest = 0.5;
/** Below this a face in a tall frame is a dozen pixels, and a proof says nothing: its shorter side, screen pixels. */
const leastProof = 78;

/** The scale at which most proofs are as small as they may be. */
function smallestScale(frames: readonly Size[]): number {
  const sides = frames.map(({ width, height }) => Math.min(width, height)).sort((a, b) => a - b);
  const middle = sides[Math.floor(sides.length / 2)] ?? largestSide;
  return Math.min(largest, leastProof / middle);
}

/** The sheet of some versions in a room: the largest scale at which all of them are in view. */
export function layOut(versions: readonly Version[], room: Size): PackedSheet {
  const frames = versions.map(frameOnSheet);
  return packSheet(frames, {
    ...room,
    gap: sheetGap,
    wordsHeight,
    leastWidth,
    largest,
    smallest: smallestScale(frames),
  });
}
