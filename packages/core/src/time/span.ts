import * as z from 'zod';

/** A run of frames: `from` is its first frame, `to` the first frame after it. */
export interface FrameSpan {
  from: number;
  to: number;
}

export const frameSpanSchema = z
  .object({ from: z.number().int().nonnegative(), to: z.number().int().positive() })
  .refine((span) => span.to > span.from, 'a span must hold at least one frame');

/** How many frames a span holds. */
export function spanLength(span: FrameSpan): number {
  return span.to - span.from;
}

/** Frames that two spans have in common. */
export const overlapOf = (a: FrameSpan, b: FrameSpan): number =>
  Math.max(0, Math.min(a.to, b.to) - Math.max(a.from, b.from));
