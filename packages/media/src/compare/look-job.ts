import * as z from 'zod';
import { sizeSchema, type Films, type Judged, type Sample } from '@mivvy/core';

/** What the looking worker is told: one picture of a file, what it should show, and the films that both are of. */
export const lookJobSchema = z.object({
  films: z.object({ master: sizeSchema, frame: sizeSchema }),
  // Megabytes of samples, from a thread of the same program: their kind is enough.
  sample: z.custom<Sample>((told) => typeof told === 'object' && told !== null && 'layout' in told),
});
export type LookJob = { films: Films; sample: Sample };

/** What it tells of each of them, in the order in which it was told them. */
export const lookNewsSchema = z.custom<Judged>(
  (told) => typeof told === 'object' && told !== null && 'panels' in told,
);
