import * as z from 'zod';

/** How far a picture is sharpened after it was sized: a trace to 1, the most that is taken. */
export const sharpenSchema = z.number().min(0.05).max(1);

/** What is offered of it. */
export const sharpenSteps = [
  { amount: 0.35, name: 'lightly' },
  { amount: 0.7, name: 'more' },
] as const;

/** Fewer bits a pixel and frame than this, and light sharpening may keep what coding softens (common practice). */
export const lowBitsPerPixel = 0.05;
