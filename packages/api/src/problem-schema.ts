import * as z from 'zod';

/** Something that went wrong, as every failed answer of the API carries it. */
export const problemSchema = z.object({
  code: z.string(),
  sentence: z.string(),
  mend: z.string(),
  bytesNeeded: z.number().nonnegative().optional(),
});
