import * as z from 'zod';
import { daySchema, happeningSchema, handovers, longestPattern, stages } from '@mivvy/core';
import { problemSchema } from './problem-schema.ts';

const id = z.string().regex(/^[A-Za-z0-9_-]{4,32}$/);
const when = z.iso.datetime();

export const stageSchema = z.enum(stages);
export const handoverSchema = z.enum(handovers);

/** By what the ledger is sorted. */
export const ledgerOrders = ['due', 'name', 'production', 'stage', 'holder', 'last'] as const;

/** Which deliverables are looked at, and in which order. */
/** What a ledger's rows are put together by. */
export const ledgerGroupings = ['production', 'outlet', 'holder', 'day'] as const;

export const ledgerQuerySchema = z.object({
  productionId: id.optional(),
  /** Words that its name, its production, its place or its holder has in it. */
  search: z.string().max(200).default(''),
  /** Those that are at one of these; all where none is named. */
  stages: z.array(stageSchema).default([]),
  holder: z.string().max(60).optional(),
  /** Due on this day or after it. */
  dueFrom: daySchema.optional(),
  /** Due up to and with this day. */
  dueBy: daySchema.optional(),
  /** Rows of one production, outlet, person or day stand together, in that order. */
  group: z.enum(ledgerGroupings).optional(),
  /** Those of one group alone, by its key. */
  within: z.string().max(120).optional(),
  order: z.enum(ledgerOrders).default('due'),
  descending: z.boolean().default(false),
});
export type LedgerQuery = z.infer<typeof ledgerQuerySchema>;

/** The same as an address carries it, with the page. */
export const ledgerAddressSchema = z.object({
  productionId: id.optional(),
  search: z.string().max(200).optional(),
  /** With commas between them. */
  stages: z
    .string()
    .transform((text) => text.split(',').filter(Boolean))
    .pipe(z.array(stageSchema))
    .optional(),
  holder: z.string().max(60).optional(),
  dueFrom: daySchema.optional(),
  dueBy: daySchema.optional(),
  group: z.enum(ledgerGroupings).optional(),
  within: z.string().max(120).optional(),
  order: z.enum(ledgerOrders).optional(),
  descending: z
    .enum(['true', 'false'])
    .transform((text) => text === 'true')
    .optional(),
  /** Groups, by their keys, whose rows are left out: said once for each. */
  folded: z
    .union([z.string(), z.array(z.string())])
    .transform((keys) => (typeof keys === 'string' ? [keys] : keys))
    .pipe(z.array(z.string().max(120)).max(500))
    .optional(),
  from: z.coerce.number().int().nonnegative().default(0),
  count: z.coerce.number().int().min(1).max(500).default(100),
});

/** Something that happened, with its sentence. */
export const happeningViewSchema = z.object({
  id: z.number().int(),
  at: when,
  by: z.string(),
  versionId: z.string().nullable(),
  deliverableId: z.string().nullable(),
  sha256: z.string().nullable(),
  what: happeningSchema,
});
export type HappeningView = z.infer<typeof happeningViewSchema>;

/** One deliverable as the ledger lists it. */
export const ledgerRowSchema = z.object({
  versionId: id,
  productionId: id,
  production: z.string(),
  client: z.string(),
  master: z.string(),
  tag: z.string(),
  outlet: z.string(),
  placement: z.string(),
  cut: z.string().nullable(),
  stage: stageSchema,
  /** The day on which it is due, its own or its production's. */
  dueOn: z.string().nullable(),
  holder: z.string(),
  fileName: z.string().nullable(),
  openNotes: z.number().int(),
  last: happeningViewSchema.pick({ at: true, by: true, what: true }).nullable(),
});
export type LedgerRow = z.infer<typeof ledgerRowSchema>;

/**
 * One page of the ledger, and how many there are of each stage in all that was asked for; `total` rows can be turned to,
 * without those of groups that are folded.
 */
export const ledgerPageSchema = z.object({
  rows: z.array(ledgerRowSchema),
  total: z.number().int(),
  counts: z.partialRecord(stageSchema, z.number().int()),
  holders: z.array(z.string()),
  /** The groups there are, in their order, each with how many; none where none were asked for. A name may be empty. */
  groups: z.array(z.object({ key: z.string(), name: z.string(), count: z.number().int() })),
});
export type LedgerPage = z.infer<typeof ledgerPageSchema>;

export const ledgerViewSchema = z.object({ id, name: z.string(), query: ledgerQuerySchema });
export type LedgerView = z.infer<typeof ledgerViewSchema>;
export const newLedgerViewSchema = z.strictObject({
  name: z.string().trim().min(1).max(60),
  query: ledgerQuerySchema,
});

/** Who has some versions, and when they are due. */
export const trackingChangeSchema = z.strictObject({
  versionIds: z.array(id).min(1).max(500),
  dueOn: daySchema.nullable().optional(),
  holder: z.string().trim().max(60).optional(),
});

export const trackedSchema = z.object({ changed: z.number().int() });

/** What needs somebody first, over all productions. */
export const attentionSchema = z.object({
  /** Due before today, and not with the outlet. */
  late: z.number().int(),
  /** Due today or tomorrow. */
  soon: z.number().int(),
  behind: z.number().int(),
  atFault: z.number().int(),
  openNotes: z.number().int(),
  changesAsked: z.number().int(),
});
export type Attention = z.infer<typeof attentionSchema>;

/** How a production's files are called, or would be. */
export const namingRequestSchema = z.strictObject({ pattern: z.string().max(longestPattern) });
export const namingPreviewSchema = z.object({
  pattern: z.string(),
  names: z.array(
    z.object({
      versionId: id,
      /** What its next file would be called. */
      fileName: z.string(),
      troubles: z.array(z.string()),
    }),
  ),
  /** Files that were made under another name. */
  toRename: z.number().int(),
});
export type NamingPreview = z.infer<typeof namingPreviewSchema>;
export const renamedSchema = z.object({ renamed: z.number().int() });

/** Proof that a file arrived. */
export const receiptSchema = z.object({
  /** What the outlet calls it. */
  receipt: z.string(),
  /** Where it is to be seen; null while it is not. */
  address: z.string().nullable(),
  /** Of the outlet's copy, as the outlet says. */
  sha256: z.string(),
  /** What went with it: of the outlet's copies too. */
  beside: z
    .array(z.object({ kind: z.enum(['captions', 'cover']), name: z.string(), sha256: z.string() }))
    .default([]),
  at: when,
});
export type Receipt = z.infer<typeof receiptSchema>;

/** A file on its way out. */
export const dispatchSchema = z.object({
  id,
  productionId: id,
  versionId: id,
  deliverableId: id,
  fileName: z.string(),
  sha256: z.string(),
  connector: z.string(),
  to: z.string(),
  state: z.enum(['waiting', 'sending', 'arrived', 'live', 'taken-down', 'refused', 'failed', 'cancelled']),
  publishAt: when.nullable(),
  zone: z.string().nullable(),
  attempts: z.number().int(),
  receipt: receiptSchema.nullable(),
  problem: problemSchema.nullable(),
  by: z.string(),
  createdAt: when,
  updatedAt: when,
});
export type Dispatch = z.infer<typeof dispatchSchema>;
export const newDispatchSchema = z.strictObject({
  deliverableIds: z.array(id).min(1).max(200),
  /** What carries them. */
  connector: z.enum(['outlet', 'folder']),
  /** The folder, where that is what carries them. */
  folder: z.string().max(1000).optional(),
  publishAt: when.optional(),
  zone: z.string().max(60).optional(),
});

/** Files that are put together in a folder. */
export const packageFolderSchema = z.strictObject({
  deliverableIds: z.array(id).min(1).max(500),
  folder: z.string().max(1000),
});
export const packageWrittenSchema = z.object({ path: z.string() });

/** A review link as the workspace lists it; its secret is told once, when it is made. */
export const reviewLinkSchema = z.object({
  id,
  name: z.string(),
  versionIds: z.array(id),
  hasPassword: z.boolean(),
  /** Whoever opens it may keep the files. */
  mayFetch: z.boolean(),
  endsAt: when,
  revokedAt: when.nullable(),
  by: z.string(),
  createdAt: when,
  visits: z.array(z.object({ at: when, browser: z.string(), outcome: z.string() })),
});
export type ReviewLink = z.infer<typeof reviewLinkSchema>;
export const newReviewLinkSchema = z.strictObject({
  name: z.string().trim().min(1).max(60),
  versionIds: z.array(id).min(1).max(200),
  mayFetch: z.boolean().default(false),
  /** Days for which it opens. */
  days: z.number().int().min(1).max(365).default(14),
  password: z.string().min(6, 'a password has six signs at least').max(200).optional(),
});
export const madeReviewLinkSchema = z.object({
  link: reviewLinkSchema,
  address: z.string(),
  /** The address as a QR code, a picture in SVG. */
  qr: z.string(),
  /** It opens on this machine only. */
  onlyHere: z.boolean(),
});

/** A note to a frame, with what was answered. */
export const noteSchema = z.object({
  id,
  versionId: id,
  deliverableId: id,
  sha256: z.string(),
  frame: z.number().int(),
  masterFrame: z.number().int().nullable(),
  x: z.number().nullable(),
  y: z.number().nullable(),
  words: z.string(),
  by: z.string(),
  fromClient: z.boolean(),
  createdAt: when,
  doneAt: when.nullable(),
  doneBy: z.string().nullable(),
  answers: z.array(
    z.object({ id, words: z.string(), by: z.string(), fromClient: z.boolean(), createdAt: when }),
  ),
});
export type Note = z.infer<typeof noteSchema>;
const noteWords = z.string().trim().min(1, 'nothing was written').max(2000);
export const noteChangeSchema = z.strictObject({ done: z.boolean() });
export const noteAnswerSchema = z.strictObject({ words: noteWords });

/** Everything that a deliverable was and became. */
export const deliverableHistorySchema = z.object({
  happenings: z.array(happeningViewSchema),
  notes: z.array(noteSchema),
});

/** What the page behind a review link shows and takes: nothing else of the workspace is in it. */
export const reviewPageSchema = z.object({
  name: z.string(),
  production: z.string(),
  client: z.string(),
  endsAt: when,
  mayFetch: z.boolean(),
  files: z.array(
    z.object({
      id,
      sha256: z.string(),
      title: z.string(),
      master: z.string(),
      seconds: z.number(),
      frames: z.number().int(),
      rate: z.object({ num: z.number(), den: z.number() }),
      frame: z.object({ width: z.number(), height: z.number() }),
      blocked: z.array(
        z.object({ name: z.string(), x: z.number(), y: z.number(), width: z.number(), height: z.number() }),
      ),
      hasSound: z.boolean(),
      mediaType: z.string(),
      answer: z
        .object({ answer: z.enum(['approved', 'changes-asked']), by: z.string(), at: when })
        .nullable(),
      /** It was made anew since another file of it was answered. */
      changedSince: z.boolean(),
      notes: z.array(noteSchema),
    }),
  ),
});
export type ReviewPage = z.infer<typeof reviewPageSchema>;
export const reviewEntrySchema = z.strictObject({ password: z.string().max(200) });
export const reviewAnswerSchema = z.strictObject({
  deliverableId: id,
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
  answer: z.enum(['approved', 'changes-asked', 'withdrawn']),
  by: z.string().trim().min(1, 'a name is needed').max(60),
});
export const reviewNoteSchema = z.strictObject({
  deliverableId: id,
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
  /** The note that it answers. */
  answers: id.optional(),
  frame: z.number().int().nonnegative(),
  x: z.number().min(0).max(1).nullable(),
  y: z.number().min(0).max(1).nullable(),
  words: noteWords,
  by: z.string().trim().min(1, 'a name is needed').max(60),
});

/** A production that is started from another. */
export const copyProductionSchema = z.strictObject({
  name: z.string().trim().min(1).max(120),
  /** The day on which the new one is due: days of its own in the old one keep their distance to it. */
  dueOn: daySchema.nullable().default(null),
});

/** Clears older files from the disk, or says what that would clear. */
export const clearFilesSchema = z.strictObject({
  /** So many of each version stay, the newest ones. */
  keep: z.number().int().min(1).max(100),
  /** Only told, not done. */
  onlyTell: z.boolean().default(false),
});
export const clearedFilesSchema = z.object({
  files: z.array(z.object({ id, fileName: z.string(), bytes: z.number() })),
  bytes: z.number(),
});
