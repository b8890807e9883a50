import * as z from 'zod';
import { sizeSchema, type Films, type Judged, type Sample } from '@mivvy/core';

/** What the judging worker is told: one picture of a file, what it should show, and the films that both are of. */
export const judgeJobSchema = z.object({
  films: z.object({ master: sizeSchema, frame: sizeSchema }),
  // Megabytes of samples, from a thread of the same program: their kind is enough.
  sample: z.custom<Sample>((told) => typeof told === 'object' && told !== null && 'layout' in told),
});
export interface JudgeJob {
  films: Films;
  sample: Sample;
}

/** What it tells of each of them, in the order in which it was told them. */
export const judgeNewsSchema = z.custom<Judged>(
  (told) => typeof told === 'object' && told !== null && 'panels' in told,
);
