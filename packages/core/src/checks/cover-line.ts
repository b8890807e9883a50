import { sizeLabel } from '../masters/facts.ts';
import type { Size } from '../picture/geometry.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { frameToTimecode } from '../time/timecode.ts';
import { checkLine, type CheckLine } from './check-line.ts';

/** A cover is of its frame from this likeness (SSIM) on; stills are coded finely, so it is higher than a film's. */
export const leastCoverLikeness = 0.9;
/** And up to this mean difference in brightness, steps of 255: smooth pictures are alike by their structure alone. */
export const mostCoverDifference = 5;

/** What was found of a still beside a film; null where there is none, or none that can be read. */
export interface FoundCover extends Size {
  format: 'jpeg' | 'png';
  /** To the master's frame, drawn by other means (SSIM); null where nothing of it could be compared. */
  likeness: number | null;
  /** Mean difference in brightness to it, steps of 255; null likewise. */
  difference: number | null;
}

const formatWords = { jpeg: 'JPEG', png: 'PNG' };

/** Whether a cover is of the right size and format and shows its frame as planned. */
export function coverLine(
  { size, format, frame }: NonNullable<RenderPlan['cover']>,
  { rate }: RenderPlan['master'],
  found: FoundCover | null,
): CheckLine {
  const expected = `${formatWords[format]} of ${sizeLabel(size)}, the film at ${frameToTimecode(frame, rate)}, likeness ≥ ${leastCoverLikeness}, brightness within ${mostCoverDifference} of 255`;
  if (!found) return checkLine('cover', expected, 'none beside the film', false);
  const { likeness, difference } = found;
  const right =
    found.format === format &&
    found.width === size.width &&
    found.height === size.height &&
    (likeness === null || likeness >= leastCoverLikeness) &&
    (difference === null || difference <= mostCoverDifference);
  const alike =
    likeness === null || difference === null
      ? 'over a soft ground, not compared'
      : `likeness ${likeness.toFixed(3)}, ${difference.toFixed(1)} apart`;
  return checkLine('cover', expected, `${formatWords[found.format]} of ${sizeLabel(found)}, ${alike}`, right);
}
