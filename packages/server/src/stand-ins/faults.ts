import * as z from 'zod';

/** What a stand-in can be told to do wrong. Counts go down with every time; flags stay until they are taken back. */
export const faultsSchema = z.strictObject({
  /** So many pieces of uploads break off in the middle. */
  dropPieces: z.number().int().nonnegative().default(0),
  /** So many requests are answered that there were too many, with the seconds to wait. */
  tooMany: z.number().int().nonnegative().default(0),
  /** So many films are taken, and the connection is lost before that is said. */
  loseAnswers: z.number().int().nonnegative().default(0),
  /** The answer to a film comes so much later, milliseconds. */
  lateMs: z.number().int().nonnegative().max(600_000).default(0),
  /** So many films are kept with a byte that is not theirs. */
  spoilCopies: z.number().int().nonnegative().default(0),
  /** So many answers to films say a sum that is not its copy's. */
  wrongSums: z.number().int().nonnegative().default(0),
  /** So many answers to films are sent twice over, one behind the other. */
  answerTwice: z.number().int().nonnegative().default(0),
  /** Films that were taken are refused afterwards, for this reason. */
  refuseAfterwards: z.string().max(200).default(''),
  /** It takes a film again under a key that it has taken before. */
  forgetKeys: z.boolean().default(false),
  /** So many requests end with an error of its own. */
  failing: z.number().int().nonnegative().default(0),
  /** Bytes that it takes a second, 0 for as many as come. */
  bytesPerSecond: z.number().int().nonnegative().default(0),
});
export type Faults = z.infer<typeof faultsSchema>;
export const noFaults: Faults = faultsSchema.parse({});
