import * as z from 'zod';
import {
  acceptanceSchema,
  daySchema,
  placementRevisionSchema,
  checkLineSchema,
  cueSchema,
  dressingSchema,
  effortGainSchema,
  effortSchema,
  detectorNoteSchema,
  frameSpanSchema,
  framingSchema,
  keepSchema,
  keepsSchema,
  seenFaceSchema,
  layerContentSchema,
  keptSchema,
  longestPattern,
  marginChoiceSchema,
  masterFactsSchema,
  outletSchema,
  paceSchema,
  placementSchema,
  rateSchema,
  ownFaceSchema,
  sharpenSchema,
  textlessFilmSchema,
  sizeSchema,
  shotLookSchema,
  shotsSchema,
  trackSchema,
} from '@mivvy/core';
import { handoverSchema, stageSchema } from './ledger-schemas.ts';
import { problemSchema } from './problem-schema.ts';

const id = z.string().regex(/^[A-Za-z0-9_-]{4,32}$/);
const when = z.iso.datetime();

/** Something of a text can be seen: it is not made of spaces, marks and invisible signs alone. */
const visible = /[\p{L}\p{N}\p{P}\p{S}]/u;
/** A name as a person gives it: on one line, without control characters, so many characters (code points) long at most. */
const nameText = (most: number) =>
  z
    .string()
    .trim()
    .refine((text) => [...text].length <= most, `it is longer than ${most} characters`)
    .refine((text) => !/[\p{Cc}\u2028\u2029]/u.test(text), 'it has control characters in it');
const givenName = (most: number) =>
  nameText(most).refine((text) => visible.test(text), 'nothing of it can be seen');
const shortText = givenName(120);
/** A file's name as a browser or a folder gives it. */
export const fileNameSchema = givenName(255);

/** One job for one client: masters, versions, dates. */
export const productionSchema = z.object({
  id,
  name: z.string(),
  client: z.string(),
  margin: marginChoiceSchema,
  /** How its files are called; null for the usual pattern. */
  naming: z.string().nullable(),
  /** The day on which everything of it is due. */
  dueOn: z.string().nullable(),
  createdAt: when,
  updatedAt: when,
});
export type Production = z.infer<typeof productionSchema>;

export const newProductionSchema = z.strictObject({ name: shortText, client: nameText(120).default('') });
export const productionChangeSchema = z.strictObject({
  name: shortText.optional(),
  client: nameText(120).optional(),
  margin: marginChoiceSchema.optional(),
  naming: z.string().max(longestPattern).nullable().optional(),
  dueOn: daySchema.nullable().optional(),
});

export const standingSchema = z.enum([
  'blocked',
  'at-fault',
  'to-make',
  'queued',
  'making',
  'passed',
  'failed-check',
  'failed',
  'behind',
  'comparing',
  'changed-on-disk',
]);

/** A production as the home screen shows it. */
export const productionCardSchema = productionSchema.extend({
  masters: z.array(
    z.object({ id, name: z.string(), fileGeneration: z.number().int(), hasPoster: z.boolean() }),
  ),
  /** How many of its versions stand where; what none does is missing. */
  standings: z.partialRecord(standingSchema, z.number().int()),
  /** The same, the whole way. */
  stages: z.partialRecord(stageSchema, z.number().int()),
  openNotes: z.number().int(),
});
export type ProductionCard = z.infer<typeof productionCardSchema>;

/** How a master is shown in the browser. */
export const proofSourceSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('original'),
    /** A proof copy is being made, since proofs of the original are slow on this machine. */
    copyComing: z.boolean(),
  }),
  z.object({ kind: z.literal('proxy') }),
  z.object({ kind: z.literal('making-proxy') }),
  z.object({ kind: z.literal('none') }),
]);

/** Ids of things seen in a film that somebody has said do not matter, whatever version hides them. */
export const unimportantSchema = z
  .array(z.string().min(1).max(60))
  .max(2000, 'at most 2,000 things can be set aside');

/** What carrying the framing over to a replaced film came to. */
export const carriedSchema = z.object({
  /** In words, for the person who replaced it. */
  words: z.array(z.string()),
  /** First frames of shots that nothing of the old film resembles. */
  unmatched: z.array(z.number().int()),
  at: when,
});

/** Whether the last change can be taken back, and the one taken back done again. */
const undoSchema = z.object({ undo: z.boolean(), redo: z.boolean() });

/** A cut of a master: what plays, in which order, how fast. */
export const cutSchema = z.object({
  id,
  masterId: id,
  name: z.string(),
  kept: keptSchema,
  pace: paceSchema,
  /** Length of the fade across each join of the sound, milliseconds. */
  joinMs: z.number(),
  revision: z.number().int(),
  can: undoSchema,
});
export type Cut = z.infer<typeof cutSchema>;

/** A master file of a production. */
export const masterSchema = z.object({
  id,
  productionId: id,
  name: z.string(),
  fileName: z.string(),
  origin: z.enum(['upload', 'inbox']),
  bytes: z.number(),
  state: z.enum(['reading', 'ready', 'failed']),
  facts: masterFactsSchema.nullable(),
  /** Of the file's bytes; null until it has been read through. */
  sha256: z.string().nullable(),
  problem: problemSchema.nullable(),
  /** Whether its file is still the one that was brought in. */
  file: z.enum(['same', 'changed', 'gone']),
  /** Nothing is reading it through, and it has not been read through: it can be asked for again. */
  unread: z.boolean(),
  proof: proofSourceSchema,
  hasPoster: z.boolean(),
  /** Which file this is: grows when another takes its place. */
  fileGeneration: z.number().int(),
  /** The master that this one is the textless master of; null for a master of its own. */
  textlessOf: id.nullable(),
  /** Why it could not be matched with that one. */
  textlessProblem: problemSchema.nullable(),
  /** Its own textless master as it was matched with it; null where there is none. */
  textless: textlessFilmSchema.nullable(),
  /** Null until they have been looked for. */
  shots: shotsSchema.nullable(),
  /** They could not be found, so the film stands as one shot; nothing is looking for them now. */
  shotsAssumed: z.boolean(),
  keeps: z.array(keepSchema),
  /** Faces that were seen in it: captions move out of their way. */
  faces: z.array(seenFaceSchema),
  unimportant: unimportantSchema,
  /** Grows with every change of shots or keeps; a change names the revision it was made from. */
  revision: z.number().int(),
  /** What is laid over its picture. */
  dressing: dressingSchema,
  dressingRevision: z.number().int(),
  canDress: undoSchema,
  carried: carriedSchema.nullable(),
  /** Its cuts, oldest first; the full film is always there besides. */
  cuts: z.array(cutSchema),
  can: undoSchema,
  createdAt: when,
});
export type Master = z.infer<typeof masterSchema>;

/** A piece of work that the server does in the background. */
export const jobSchema = z.object({
  id,
  kind: z.enum(['ingest', 'prepare', 'export', 'look', 'match', 'check', 'dispatch']),
  productionId: id,
  /** The master that is read or looked at, or the version that is exported. */
  subjectId: id,
  label: z.string(),
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled']),
  /** Its place in the queue: lower ones first, equal ones by age. */
  rank: z.number().int(),
  attempts: z.number().int(),
  stage: z.string(),
  fraction: z.number(),
  etaSeconds: z.number().nullable(),
  /** Film seconds done a second. */
  speed: z.number(),
  problem: problemSchema.nullable(),
  /** The render machine that has it, by its name; null for the server itself, and while none has it. */
  machine: z.string().nullable(),
  createdAt: when,
  startedAt: when.nullable(),
  finishedAt: when.nullable(),
});
export type Job = z.infer<typeof jobSchema>;

/** What was found of a file that was made elsewhere; it is not kept. */
export const foreignCheckSchema = z.object({
  file: z.string(),
  sha256: z.string(),
  place: z.string(),
  passed: z.boolean(),
  checks: z.array(checkLineSchema),
  /** Of its frames, for the places that lines name. */
  rate: z.object({ num: z.number(), den: z.number() }),
  /** The report as one HTML page that loads nothing. */
  page: z.string(),
});
export type ForeignCheck = z.infer<typeof foreignCheckSchema>;

/** Where a waiting job goes in the queue: before another, or to its end. */
export const jobMoveSchema = z.strictObject({ before: id.nullable() });

/** What the file of a version is expected to become, by what this workspace has made before. */
export const forecastSchema = z.object({
  versionId: id,
  frame: z.object({ width: z.number(), height: z.number() }),
  /** How long making it takes; null where nothing like it was made here yet. */
  seconds: z.number().nullable(),
  bytes: z.object({ expected: z.number(), least: z.number(), most: z.number() }).nullable(),
  bitsPerPixel: z.number().nullable(),
});
export type VersionForecast = z.infer<typeof forecastSchema>;
/** Forecasts of a production's versions, with the room that there is for them. */
export const forecastsSchema = z.object({ versions: z.array(forecastSchema), freeBytes: z.number() });

/** A finished file. */
export const deliverableSchema = z.object({
  id,
  versionId: id,
  productionId: id,
  fileName: z.string(),
  bytes: z.number(),
  sha256: z.string(),
  fingerprint: z.string(),
  exportNumber: z.number().int(),
  /** It was measured, and every line of its check report is right. */
  passed: z.boolean(),
  /** Lines of its check report that are not right. */
  findings: z.array(checkLineSchema),
  /** The bitrate ceiling that it was made under, kbit/s; null where there was none. */
  ceilingKbps: z.number().nullable(),
  /** What was aimed at, where it was made in two passes. */
  targetKbps: z.number().nullable(),
  /** The format of the captions that go beside it; null where none do. */
  captionsBeside: z.enum(['srt', 'vtt']).nullable(),
  /** The format of the still that goes beside it; null where none does. */
  coverBeside: z.enum(['jpeg', 'png']).nullable(),
  /** How much time its encoder was given. */
  effort: effortSchema,
  /** What became of these bytes outside. */
  handover: handoverSchema,
  /** What is wrong with the file on the disk; null where it is known to be the one that was made. */
  onDisk: problemSchema.nullable(),
  madeAt: when,
  /** How long the making took. */
  tookSeconds: z.number(),
});
export type Deliverable = z.infer<typeof deliverableSchema>;

/** A master made for a placement, with all that is known of where it stands. */
export const versionSchema = z.object({
  id,
  productionId: id,
  masterId: id,
  /** Letter that tells the versions of one master apart. */
  tag: z.string(),
  placementId: z.string(),
  /** The cut that it plays; null for the full film. */
  cutId: id.nullable(),
  outlet: z.object({ id: z.string(), name: z.string() }).nullable(),
  /** As it was made for it; null when the spec book no longer holds it. */
  placement: placementSchema.nullable(),
  /** The revision of the placement that it is made for. */
  placementRevision: z.number().int(),
  /** The placement as it holds today, where that is another revision. */
  newerPlace: z.object({ revision: z.number().int(), placement: placementSchema }).nullable(),
  framing: framingSchema,
  /** The master's frame that its cover shows; null until somebody picks one. */
  coverFrame: z.number().int().nonnegative().nullable(),
  /** How far its picture is sharpened; null for not at all. */
  sharpen: z.number().nullable(),
  /** It is drawn from its master's textless master. */
  textless: z.boolean(),
  /** Grows with every change; a change names the revision it was made from. */
  revision: z.number().int(),
  accepted: z.array(acceptanceSchema),
  can: undoSchema,
  standing: standingSchema,
  /** Where it is on its whole way. */
  stage: stageSchema,
  /** Its own day; null where its production's holds. */
  dueOn: z.string().nullable(),
  /** Who has it in hand; empty for nobody. */
  holder: z.string(),
  /** A file of it was approved, or went out. */
  approved: z.boolean(),
  openNotes: z.number().int(),
  /** Why the newest file is behind; empty unless it is. */
  behind: z.array(z.string()),
  deliverable: deliverableSchema.nullable(),
  /** Who framed it last, empty where nobody said; and when, null where that was not kept. */
  framedBy: z.string(),
  framedAt: when.nullable(),
  updatedAt: when,
});
export type Version = z.infer<typeof versionSchema>;

/** A version after a plan file was read into it, and what is worth saying about that. */
export const versionReadSchema = z.object({ version: versionSchema, words: z.array(z.string()) });

/** Everything that a production's screens show. */
/** What a production's screens show. Its jobs are asked for apart: they move on many times a second. */
export const productionDetailSchema = productionSchema.extend({
  /** Grows with every change of what is in it. */
  revision: z.number().int(),
  masters: z.array(masterSchema),
  /** Textless masters of those. */
  textlessMasters: z.array(masterSchema),
  versions: z.array(versionSchema),
});
export type ProductionDetail = z.infer<typeof productionDetailSchema>;

export const newVersionsSchema = z.strictObject({
  masterId: id,
  placementIds: z.array(z.string()).min(1).max(64),
});

/** A set of placements that are taken together. */
export const placeSetSchema = z.object({
  id: z.string(),
  name: z.string(),
  placementIds: z.array(z.string()),
  /** It is what was taken last, whatever it was: kept by the server, and not to be renamed. */
  last: z.boolean(),
});
export type PlaceSet = z.infer<typeof placeSetSchema>;
const setPlaces = z.array(z.string().min(1).max(120)).min(1).max(64);
export const newPlaceSetSchema = z.strictObject({ name: givenName(60), placementIds: setPlaces });
export const placeSetChangeSchema = z.strictObject({
  name: givenName(60).optional(),
  placementIds: setPlaces.optional(),
});

/** A measurement of what efforts cost and gain: when, and on what. */
export const effortMeasuredSchema = z.object({
  at: when,
  /** The film and the codec that it was measured with. */
  film: z.string(),
  codec: z.string(),
  gains: z.array(effortGainSchema),
});
export type EffortMeasured = z.infer<typeof effortMeasuredSchema>;

/** How a test strip is encoded: one or two ways, beside the picture as it is drawn. */
export const stripAskedSchema = z.strictObject({
  /** The delivered frame that it starts at. */
  from: z.number().int().nonnegative(),
  ways: z
    .array(z.strictObject({ effort: effortSchema, sharpen: sharpenSchema.nullable() }))
    .min(1)
    .max(2),
});
export type StripAsked = z.infer<typeof stripAskedSchema>;

/** A test strip: films of the same frames, the first of them as it was drawn. */
export const stripSchema = z.object({
  id,
  from: z.number().int(),
  frames: z.number().int(),
  rate: rateSchema,
  frameSize: sizeSchema,
  ways: z.array(
    z.object({
      effort: effortSchema,
      sharpen: z.number().nullable(),
      bytes: z.number(),
      kbps: z.number(),
      seconds: z.number(),
      likeness: z.number(),
    }),
  ),
});
export type Strip = z.infer<typeof stripSchema>;
/** The version whose film efforts are measured on, and where. */
export const effortsAskedSchema = z.strictObject({ versionId: id });

/** What a person prefers in this workspace. */
export const preferencesSchema = z.object({
  /** Versions that no hand has touched are framed by what is seen as soon as their film has been looked at. */
  frameOnArrival: z.boolean(),
  /** What is being made is finished; no other export is begun until they go on. */
  exportsPaused: z.boolean(),
  /** How much time encoders may take for files that are asked for from now on. */
  effort: effortSchema,
  /** What each effort costs and gains on this machine; null until it was measured. */
  effortMeasured: effortMeasuredSchema.nullable(),
});
export type Preferences = z.infer<typeof preferencesSchema>;
export const preferencesChangeSchema = z.strictObject({
  frameOnArrival: z.boolean().optional(),
  exportsPaused: z.boolean().optional(),
  effort: effortSchema.optional(),
});
/** A change of a master's shots or keeps. A cut that was moved takes the framings' changes along. */
export const masterWorkSchema = z.strictObject({
  revision: z.number().int(),
  shots: shotsSchema.optional(),
  keeps: keepsSchema.optional(),
  unimportant: unimportantSchema.optional(),
  movedCut: z
    .strictObject({ from: z.number().int().nonnegative(), to: z.number().int().nonnegative() })
    .optional(),
});
export const readFileSchema = z.strictObject({
  fileName: z.string().min(1).max(200),
  text: z.string().max(20_000_000, 'the file is larger than 20 MB, which no edit list or plan needs'),
});
/** All that is laid over a master's picture, as it should be from now on. */
export const dressingChangeSchema = z.strictObject({ revision: z.number().int(), dressing: dressingSchema });
/** What was read from a caption file, and what was put right in it. */
export const captionsReadSchema = z.object({ cues: z.array(cueSchema), words: z.array(z.string()) });
/** Words that are spoken in a film, to be laid along its speech. */
export const scriptSchema = z.strictObject({ text: z.string().min(1).max(400_000) });
/** A picture or a moving graphic that was taken in, as a layer shows it. */
export const graphicViewSchema = layerContentSchema;
/** A master or version after a file was read into it, and what is worth saying about that. */
export const masterReadSchema = z.object({ master: masterSchema, words: z.array(z.string()) });
/** Copies a version's framing, whole or of the shot at a frame, to other versions. */
export const carryRequestSchema = z.strictObject({
  fromVersionId: id,
  toVersionIds: z.array(id).min(1).max(200),
  shotAt: z.number().int().nonnegative().optional(),
});
/** Copies the framing of all versions of a master to those of another, making the ones that are missing. */
export const carryMasterSchema = z.strictObject({ toMasterId: id });
export const carryAnswerSchema = z.object({ changed: z.number().int(), words: z.array(z.string()) });
export const newCutSchema = z.strictObject({
  name: shortText,
  kept: keptSchema.optional(),
  pace: paceSchema.optional(),
});
export const cutChangeSchema = z.strictObject({
  revision: z.number().int(),
  name: shortText.optional(),
  kept: keptSchema.optional(),
  pace: paceSchema.optional(),
  joinMs: z.number().min(0).max(500).optional(),
});
/** How far a version's picture is sharpened; null for not at all. */
export const sharpenChoiceSchema = z.strictObject({ sharpen: sharpenSchema.nullable() });
/** A typeface that somebody brought in for titles. */
export const typefaceSchema = ownFaceSchema;
/** The film that becomes a master's textless master. */
export const textlessChoiceSchema = z.strictObject({ masterId: id });
/** Whether a version is drawn from its master's textless master. */
export const drawnTextlessSchema = z.strictObject({ textless: z.boolean() });
/** The master's frame that a version's cover shows; null for the middle of what plays. */
export const coverChoiceSchema = z.strictObject({ frame: z.number().int().nonnegative().nullable() });
/** The cut that a version plays from now on; null for the full film. */
export const playsCutSchema = z.strictObject({ cutId: id.nullable() });
/** A cut made from an edit list, and what is worth saying about that. */
export const cutReadSchema = z.object({ master: masterSchema, cutId: id, words: z.array(z.string()) });

/** What is heard and seen along a master, for cutting it. */
export const filmActivitySchema = z.object({
  masterId: id,
  /** Loudness of each frame, dB below full scale, whole numbers; null where the film has no sound. */
  levels: z.array(z.number().int()).nullable(),
  silences: z.array(frameSpanSchema),
  speech: z.array(frameSpanSchema),
  /** How much goes on in each shot, 0 to 1, and the earlier shot that it repeats. */
  shots: z.array(
    z.object({
      from: z.number().int(),
      to: z.number().int(),
      interest: z.number(),
      repeats: z.number().int().optional(),
    }),
  ),
});
export type FilmActivity = z.infer<typeof filmActivitySchema>;
export const acceptRequestSchema = z.strictObject({
  mark: acceptanceSchema.shape.mark,
  reason: acceptanceSchema.shape.reason,
});
export const unacceptRequestSchema = z.strictObject({ mark: acceptanceSchema.shape.mark });
/** Framings of several versions at once: all are saved, or none. */
export const framingsChangeSchema = z.strictObject({
  framings: z
    .array(z.strictObject({ versionId: id, revision: z.number().int(), framing: framingSchema }))
    .min(1)
    .max(200),
});
/** Accepts troubles of several versions at once, for one reason. */
export const acceptManySchema = z.strictObject({
  reason: acceptanceSchema.shape.reason,
  troubles: z
    .array(z.strictObject({ versionId: id, mark: acceptanceSchema.shape.mark }))
    .min(1)
    .max(400),
});
/** Takes the last change of several versions' framings back. */
export const takeBackSchema = z.strictObject({ versionIds: z.array(id).min(1).max(200) });
export const framingChangeSchema = z.strictObject({ revision: z.number().int(), framing: framingSchema });
export const newExportsSchema = z.strictObject({ versionIds: z.array(id).min(1).max(200) });
export const registerMasterSchema = z.strictObject({
  inboxFile: z.string().min(1).max(1000),
  replaces: id.optional(),
});

/** A film lying in an inbox folder, not yet part of a production. */
export const inboxFileSchema = z.object({
  path: z.string(),
  name: z.string(),
  bytes: z.number(),
  changedAt: when,
});

/** What the spec book knows of a placement besides its rules. */
export const placementStandingSchema = z.object({
  id: z.string(),
  outlet: z.object({ id: z.string(), name: z.string() }),
  name: z.string(),
  /** The revision that holds today, and the newest: another where one is to take effect. */
  revision: z.number().int(),
  newest: z.number().int(),
  /** The day on which the next one takes effect. */
  changesOn: z.string().nullable(),
  retiredOn: z.string().nullable(),
  checkedOn: z.string().nullable(),
  /** It was last compared with its source too long ago, or never. */
  stale: z.boolean(),
});
export type PlacementStanding = z.infer<typeof placementStandingSchema>;

/** The spec book as it stands, with any file of it that was refused. */
export const specBookViewSchema = z.object({
  /** What is offered: without what was retired. */
  outlets: z.array(outletSchema),
  /** All outlets, those without an offered placement as well. */
  allOutlets: z.array(z.object({ id: z.string(), name: z.string() })),
  /** Every placement, the retired ones among them, in the book's order. */
  placements: z.array(placementStandingSchema),
  refused: z.array(z.object({ file: z.string(), problem: problemSchema })),
});

/** What was seen in a master, as far as it has been looked at. */
export const lookViewSchema = z.object({
  masterId: id,
  state: z.enum(['not-looked', 'waiting', 'looking', 'done', 'failed']),
  /** Shots looked at, and shots in all. */
  looked: z.number().int(),
  of: z.number().int(),
  detector: detectorNoteSchema,
  shots: z.array(shotLookSchema),
  /** Subjects that people drew. */
  drawn: z.array(trackSchema),
});
export type LookView = z.infer<typeof lookViewSchema>;

/** A subject that the looking has missed, drawn at a frame; fractions of the master. */
export const drawSubjectSchema = z.strictObject({
  frame: z.number().int().nonnegative(),
  name: givenName(60),
  box: z.strictObject({
    x: z.number().min(0).max(1),
    y: z.number().min(0).max(1),
    width: z.number().min(0.004).max(1),
    height: z.number().min(0.004).max(1),
  }),
});
export const drawnSchema = z.object({ subject: z.string(), look: lookViewSchema });

/** Chooses the windows of some versions by what is seen in their masters. */
export const followRequestSchema = z.strictObject({
  versionIds: z.array(id).min(1).max(400),
  lively: z.number().min(0).max(1),
  handMade: z.boolean().default(false),
});
export const followAnswerSchema = z.object({ changed: z.number().int(), words: z.array(z.string()) });

/** Who makes a change of the book, and why. */
const authored = {
  by: z.string().trim().max(60).default(''),
  reason: z.string().trim().max(400).default(''),
};

/** A version that a placement's change touches. */
export const touchedVersionSchema = z.object({
  id,
  productionId: id,
  production: z.string(),
  master: z.string(),
  tag: z.string(),
  /** The revision that it is made for. */
  placementRevision: z.number().int(),
  /** What it needs if it is brought over; null where its master has not been read, so that nobody can tell. */
  needs: z.enum(['nothing', 'export', 'framing']).nullable(),
  hasFile: z.boolean(),
});
export type TouchedVersion = z.infer<typeof touchedVersionSchema>;

/** All that is known of one placement. */
export const placementPageSchema = z.object({
  standing: placementStandingSchema,
  checkedBy: z.string().nullable(),
  /** The name that its picture of evidence came with. */
  evidence: z.string().nullable(),
  /** From the first on. */
  revisions: z.array(placementRevisionSchema),
  /** Versions made for any of its revisions. */
  versions: z.array(touchedVersionSchema),
});
export type PlacementPage = z.infer<typeof placementPageSchema>;

export const newPlacementSchema = z.strictObject({
  outlet: z.strictObject({ id: z.string(), name: shortText }),
  placement: placementSchema,
  ...authored,
});
export const placementChangeSchema = z.strictObject({
  placement: placementSchema,
  /** The newest revision that was seen when it was changed. */
  basedOn: z.number().int().positive(),
  effectiveOn: daySchema.optional(),
  ...authored,
});
export const placementCheckedSchema = z.strictObject({ by: authored.by });
export const placementRetiredSchema = z.strictObject({ retired: z.boolean() });
export const outletChangeSchema = z.strictObject({ name: shortText });
export const bookChangeSchema = z.object({
  placementId: z.string(),
  outlet: z.string(),
  name: z.string(),
  kind: z.enum(['new', 'changed', 'checked', 'same']),
  differences: z.array(
    z.object({
      path: z.string(),
      field: z.string(),
      before: z.string().nullable(),
      after: z.string().nullable(),
    }),
  ),
});
/** Versions that are to be made for their placements as these hold today. */
export const bringOverSchema = z.strictObject({ versionIds: z.array(id).min(1).max(400) });
export const bringOverAnswerSchema = z.object({ changed: z.number().int() });

export const newSpecBookSchema = z.strictObject({
  fileName: z.string().min(1).max(200),
  text: z.string().max(20_000_000, 'the spec book file is larger than 20 MB; split it into several files'),
  effectiveOn: daySchema.optional(),
  ...authored,
});

/** How the disk of the data folder stands. */
export const diskStateSchema = z.object({
  /** There is so little room that nothing of any size can be written; work waits until there is more. */
  full: z.boolean(),
  freeBytes: z.number(),
});
export type DiskState = z.infer<typeof diskStateSchema>;

export const healthSchema = z.object({
  disk: diskStateSchema,
  ok: z.boolean(),
  release: z.string(),
  ffmpeg: z.string().nullable(),
  problem: problemSchema.nullable(),
  freeBytes: z.number(),
});

/** What an event says of a thing that changed. */
const changedThing = {
  /** Which revision it has now. */
  revision: z.number().int(),
  /** The window that asked for the change: its answer told it already, and it skips the event. Null for everything else. */
  by: z.string().nullable(),
};

/** What the server says over its event stream. */
export const serverEventSchema = z.discriminatedUnion('kind', [
  /** What is in a production changed: it has another revision now. */
  z.object({ kind: z.literal('production'), id, ...changedThing }),
  /** One master changed, and nothing else of its production but what its versions' standings are worked out from. */
  z.object({ kind: z.literal('master'), id, productionId: id, ...changedThing }),
  /** One version changed, and nothing else of its production. */
  z.object({ kind: z.literal('version'), id, productionId: id, ...changedThing }),
  /** A production came or went. */
  z.object({ kind: z.literal('productions') }),
  /** More of a master has been looked at. */
  z.object({ kind: z.literal('look'), id, ...changedThing }),
  /** A job moved on: this is how it stands. */
  z.object({ kind: z.literal('job'), job: jobSchema }),
  /** Sets of places or the workspace's preferences changed. */
  z.object({ kind: z.literal('workspace') }),
  /** The spec book changed, and with it what its placements demand of versions. */
  z.object({ kind: z.literal('spec-book') }),
  /** A render machine joined, left, or was told something. */
  z.object({ kind: z.literal('machines') }),
  /** The workspace's own typefaces. */
  z.object({ kind: z.literal('typefaces') }),
  /** The data disk is full, or has room again. */
  z.object({ kind: z.literal('disk'), disk: diskStateSchema }),
]);
export type ServerEvent = z.infer<typeof serverEventSchema>;
