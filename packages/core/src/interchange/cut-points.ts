import type { FrameSpan } from '../time/span.ts';

/** Cut points read from somebody's edit list, in master frames. */
export interface ReadCuts {
  /** First frame of every shot after the first. */
  cuts: number[];
  /** Dissolves and the frames that they take, by the cut that they belong to. */
  joins: { cut: number; span: FrameSpan }[];
  /** Length of the edit in master frames. */
  frames: number;
  /** What was left out or does not fit, in words. */
  words: string[];
}
