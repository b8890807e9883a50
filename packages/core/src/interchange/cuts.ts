import type { Result } from '../problem.ts';
import type { Rate } from '../time/rate.ts';
import type { ReadCuts } from './cut-points.ts';
import { readEdl } from './edl.ts';
import { readOtio } from './otio.ts';

/** Reads an edit list by its ending and contents: CMX 3600 EDL or OpenTimelineIO. */
export function readCutList(text: string, fileName: string, rate: Rate): Result<ReadCuts> {
  return /\.otio$/i.test(fileName) || text.trimStart().startsWith('{')
    ? readOtio(text, rate)
    : readEdl(text, rate);
}
