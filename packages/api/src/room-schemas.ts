import * as z from 'zod';

// Room on the disk: what lies there, and what may go of productions that nobody works on any more.

const id = z.string().min(1).max(64);
const weight = z.object({ count: z.number(), bytes: z.number() });

/** What may go: of productions in which nothing happened for so many days, all but the newest files of each version. */
export const roomRuleSchema = z.strictObject({
  idleDays: z.coerce.number().int().min(1).max(3650).default(90),
  keepFiles: z.coerce.number().int().min(1).max(100).default(1),
});
export type RoomRule = z.infer<typeof roomRuleSchema>;

export const roomSchema = z.object({
  /** On the disk that has least. */
  freeBytes: z.number(),
  /** Films that were brought in, as far as they are the workspace's own. */
  filmBytes: z.number(),
  fileBytes: z.number(),
  copyBytes: z.number(),
  /** What would go by the rule, of the production that rests longest first. */
  goes: z.array(
    z.object({
      id,
      name: z.string(),
      client: z.string(),
      /** When something happened in it last. */
      last: z.string(),
      /** Proof copies, with the stills beside them: made again when it is opened. */
      copies: weight,
      /** Files that newer ones have taken the place of. Those that were approved or went out are not among them. */
      files: weight,
    }),
  ),
});
export type Room = z.infer<typeof roomSchema>;

/** Lets something go of productions that were shown; where something happened meanwhile, nothing goes. */
export const clearRoomSchema = roomRuleSchema.extend({
  what: z.enum(['copies', 'files']),
  productionIds: z.array(id).max(10_000),
});
export type ClearRoom = z.infer<typeof clearRoomSchema>;
export const clearedRoomSchema = z.object({ productions: z.number() });
