import { frameToTimecode, playsAt, type FrameSpan, type Rate } from '@mivvy/core';
import type { Note } from '@mivvy/api';

/** Where a note is pinned, as its film counts; `at` leads there, and is null where the film has no such frame. */
export function noteWhere(
  { masterFrame }: Pick<Note, 'masterFrame'>,
  of: {
    /** The film's. */
    rate: Rate;
    /** What the version's cut keeps of it; undefined where it plays the whole film. */
    kept: readonly FrameSpan[] | undefined;
  },
): { at: number | null; words: string; after: string } {
  if (masterFrame === null) return { at: null, words: 'at a frame that the film has no more', after: '' };
  const isDropped = of.kept !== undefined && playsAt(of.kept, masterFrame) === null;
  return {
    at: masterFrame,
    words: `at ${frameToTimecode(masterFrame, of.rate)}`,
    after: isDropped ? ', which is not in its cut any more' : '',
  };
}
