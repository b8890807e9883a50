import { sql } from 'drizzle-orm';
import { index, integer, primaryKey, real, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';
import type * as z from 'zod';
import type { Effort, Handover, Standing } from '@mivvy/core';
import type { Role } from '@mivvy/api';
import type { jobSchema } from '@mivvy/api';
import { codecs } from './codecs.ts';
import { jsonColumn, type JsonCodec } from './json-column.ts';

/**
 * Times are ISO 8601 texts in UTC; JSON columns are read and written by `codecs.ts`. Triggers (in the migrations) count
 * `productions.revision` up with everything that a production's screens show, and clear `versions.standing` when
 * something that it is worked out from changes: whoever writes a row cannot forget it.
 */
const id = () => text('id').primaryKey();
const createdAt = () => text('created_at').notNull();
/** Whether a file on the disk is the one that its row was written for. */
const fileStateColumn = () =>
  text('on_disk', { enum: ['same', 'changed', 'gone', 'comparing'] })
    .notNull()
    .default('same');
type JobRow = z.infer<typeof jobSchema>;

/** A column of JSON, kept as its codec says. */
const json = <T>(name: string, codec: JsonCodec<T>) => jsonColumn(codec)(name);

export const productions = sqliteTable('productions', {
  id: id(),
  name: text('name').notNull(),
  client: text('client').notNull(),
  /** Which safe margin the production's versions are held to. */
  margin: json('margin', codecs.margin)
    .notNull()
    .$default(() => ({ kind: 'place' as const })),
  /** How its files are called; null for the usual pattern. */
  naming: text('naming'),
  /** The day on which everything of it is due; null where none is said. */
  dueOn: text('due_on'),
  /** What each placement's version is given when it is added, as it was in the production that this one was started from. */
  expects: json('expects', codecs.expected)
    .notNull()
    .default(sql`'[]'`),
  /** Grows with every change of what its screens show. */
  revision: integer('revision').notNull().default(1),
  createdAt: createdAt(),
  updatedAt: text('updated_at').notNull(),
});

export const masters = sqliteTable(
  'masters',
  {
    id: id(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    fileName: text('file_name').notNull(),
    origin: text('origin', { enum: ['upload', 'inbox'] }).notNull(),
    /** Relative to the data folder where it lies inside, else absolute. */
    path: text('path').notNull(),
    bytes: integer('bytes').notNull(),
    /** The file as it was when it was registered; null for films from before this was kept, which their sum tells. */
    mark: json('mark', codecs.mark),
    /** How its file was found when it was last looked for. */
    onDisk: fileStateColumn(),
    state: text('state', { enum: ['reading', 'ready', 'failed'] }).notNull(),
    facts: json('facts', codecs.facts),
    sha256: text('sha256'),
    problem: json('problem', codecs.problem),
    /** `wanted`: browsers cannot play the original; `helpful`: they can, but scrub it slowly. */
    proxy: text('proxy', {
      enum: ['not-needed', 'helpful', 'wanted', 'made', 'cleared', 'failed'],
    }).notNull(),
    hasPoster: integer('has_poster', { mode: 'boolean' }).notNull().default(false),
    /** Which file this is: grows when another takes its place, so that no browser shows an old picture. */
    fileGeneration: integer('file_generation').notNull().default(1),
    /** The master that this one is the textless master of; null where it is a master of its own. */
    textlessOf: text('textless_of'),
    /** Why it could not be matched with that one; null where it was, or has not been yet. */
    textlessProblem: json('textless_problem', codecs.problem),
    /** This one's textless master as it was matched; null where there is none. */
    textless: json('textless', codecs.textless),
    /** Null until they have been looked for. */
    shots: json('shots', codecs.shots),
    /** They could not be found: the film stands as one shot until they are, or until somebody draws them. */
    shotsAssumed: integer('shots_assumed', { mode: 'boolean' }).notNull().default(false),
    keeps: json('keeps', codecs.keeps)
      .notNull()
      .$default(() => []),
    /** Subjects that people drew on it, followed through their shots. */
    drawn: json('drawn', codecs.tracks)
      .notNull()
      .$default(() => []),
    /** Faces that were seen in it when it was looked at whole; triggers forget them with its bytes. */
    faces: json('faces', codecs.faces)
      .notNull()
      .default(sql`'[]'`),
    /** Ids of things seen in it that somebody has said do not matter. */
    unimportant: json('unimportant', codecs.unimportant)
      .notNull()
      .default(sql`'[]'`),
    /** Grows with every change of shots or keeps. */
    revision: integer('revision').notNull().default(1),
    /** What is laid over its picture: layers and captions. */
    dressing: json('dressing', codecs.dressing)
      .notNull()
      .default(sql`'{"layers":[],"captions":[],"draftMark":false}'`),
    /** Grows with every change of that. */
    dressingRevision: integer('dressing_revision').notNull().default(1),
    /** The film that this one takes the place of, until its framing has been carried over. */
    before: json('before', codecs.filmBefore),
    /** What carrying over came to; null where nothing was replaced. */
    carried: json('carried', codecs.carried),
    createdAt: createdAt(),
  },
  (t) => [index('masters_by_production').on(t.productionId)],
);

/** Cuts of masters: what plays, in which order, how fast. Shared by any number of versions. */
export const cuts = sqliteTable(
  'cuts',
  {
    id: id(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    masterId: text('master_id')
      .notNull()
      .references(() => masters.id, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    kept: json('kept', codecs.kept).notNull(),
    pace: json('pace', codecs.pace).notNull(),
    /** Length of the fade across each join of the sound, milliseconds. */
    joinMs: integer('join_ms').notNull(),
    revision: integer('revision').notNull().default(1),
    createdAt: createdAt(),
  },
  (t) => [index('cuts_by_production').on(t.productionId), index('cuts_by_master').on(t.masterId)],
);

export const versions = sqliteTable(
  'versions',
  {
    id: id(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    masterId: text('master_id')
      .notNull()
      .references(() => masters.id, { onDelete: 'cascade' }),
    placementId: text('placement_id').notNull(),
    /** The revision of its placement that it is made for, until somebody brings it over to another. */
    placementRevision: integer('placement_revision').notNull().default(1),
    /** The cut that it plays; null for the full film. */
    cutId: text('cut_id').references(() => cuts.id, { onDelete: 'set null' }),
    tag: text('tag').notNull(),
    framing: json('framing', codecs.framing).notNull(),
    revision: integer('revision').notNull(),
    /** Where it stands; null when something that this is worked out from has changed since. */
    standing: text('standing').$type<Standing>(),
    /** Somebody, or what was seen, has framed it; worked out with its standing. */
    touched: integer('touched', { mode: 'boolean' }).notNull().default(false),
    /** Of the release and the placement that its standing was worked out with. */
    plannedWith: text('planned_with'),
    accepted: json('accepted', codecs.accepted)
      .notNull()
      .$default(() => []),
    /** The day on which it is due, where that is another than its production's. */
    dueOn: text('due_on'),
    /** The master's frame that its cover shows; null until somebody picks one. */
    coverFrame: integer('cover_frame'),
    /** How far its picture is sharpened; null for not at all. */
    sharpen: real('sharpen'),
    /** It is drawn from its master's textless master. */
    textless: integer('textless', { mode: 'boolean' }).notNull().default(false),
    /** Who has it in hand; empty for nobody. */
    holder: text('holder').notNull().default(''),
    /** Who framed it last, empty where nobody said or it was framed on arrival; and when, null in rows from before that was kept. */
    framedBy: text('framed_by').notNull().default(''),
    framedAt: text('framed_at'),
    /** A file of it was approved, or went out; a trigger keeps it. */
    approved: integer('approved', { mode: 'boolean' }).notNull().default(false),
    createdAt: createdAt(),
    updatedAt: text('updated_at').notNull(),
  },
  (t) => [
    uniqueIndex('one_version_a_placement').on(t.masterId, t.placementId),
    // Everything by which the ledger counts and sorts: none of the rows' long texts is read for it.
    index('versions_in_ledger').on(
      t.productionId,
      t.standing,
      t.touched,
      t.dueOn,
      t.holder,
      t.createdAt,
      t.id,
    ),
    index('versions_by_holder').on(t.holder),
    // Those whose standing is to be worked out are asked for with every list.
    index('versions_unsettled')
      .on(t.id)
      .where(sql`${t.standing} is null`),
  ],
);

export const jobs = sqliteTable(
  'jobs',
  {
    id: id(),
    kind: text('kind', {
      enum: ['ingest', 'prepare', 'export', 'look', 'match', 'check', 'dispatch'],
    }).notNull(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    subjectId: text('subject_id').notNull(),
    label: text('label').notNull(),
    state: text('state').$type<JobRow['state']>().notNull(),
    /** What an export makes, decided once; null until its film has been read, and for other kinds. */
    asked: json('asked', codecs.askedExport),
    /** Framing as it was when the export was asked for. */
    framing: json('framing', codecs.framing),
    /** The cut as it was then; null for the full film. */
    cut: json('cut', codecs.played),
    /** What was laid over it then; null in rows from before there was anything. */
    dressing: json('dressing', codecs.dressing),
    /** The frame of its cover then; null where none was picked. */
    coverFrame: integer('cover_frame'),
    /** How far its picture was to be sharpened then; null for not at all. */
    sharpen: real('sharpen'),
    /** It was to be drawn from the textless master then. */
    textless: integer('textless', { mode: 'boolean' }).notNull().default(false),
    /** How much time its encoder may take. */
    effort: text('effort').$type<Effort>().notNull().default('usual'),
    /** The revision of its placement then; null in rows from before there were any. */
    placementRevision: integer('placement_revision'),
    /** Its place in the queue: lower ones first, equal ones by age. */
    rank: integer('rank').notNull().default(0),
    attempts: integer('attempts').notNull().default(0),
    stage: text('stage').notNull().default(''),
    fraction: real('fraction').notNull().default(0),
    etaSeconds: real('eta_seconds'),
    speed: real('speed').notNull().default(0),
    problem: json('problem', codecs.problem),
    /** Which process holds the job, and until when; past that another takes over. Milliseconds since 1970. */
    owner: text('owner'),
    leaseUntil: integer('lease_until'),
    /** The render machine that has it, by its name; null while none has. */
    machine: text('machine'),
    /** How often it was handed over to where other machines take it; a taking under an older number counts for nothing. */
    handed: integer('handed').notNull().default(0),
    createdAt: createdAt(),
    startedAt: text('started_at'),
    finishedAt: text('finished_at'),
  },
  (t) => [
    index('jobs_by_state').on(t.kind, t.state),
    index('jobs_by_production').on(t.productionId, t.createdAt),
    index('jobs_by_subject').on(t.subjectId),
  ],
);

export const deliverables = sqliteTable(
  'deliverables',
  {
    id: id(),
    versionId: text('version_id')
      .notNull()
      .references(() => versions.id, { onDelete: 'cascade' }),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    fileName: text('file_name').notNull(),
    /** What the least capable file system makes of its name; null until a row from before this was kept is put right. */
    nameKey: text('name_key'),
    /** Relative to the data folder: its own, by its id, whatever it is called. */
    path: text('path').notNull(),
    bytes: integer('bytes').notNull(),
    sha256: text('sha256').notNull(),
    /** Of the still beside it; null where none is. */
    coverSha256: text('cover_sha256'),
    /** The file as it was when it was made. */
    mark: json('mark', codecs.mark),
    /** `cleared`: taken off the disk by a rule; its evidence stays. */
    onDisk: text('on_disk', { enum: ['same', 'changed', 'gone', 'comparing', 'cleared'] })
      .notNull()
      .default('same'),
    fingerprint: text('fingerprint').notNull(),
    plan: json('plan', codecs.plan).notNull(),
    report: json('report', codecs.report).notNull(),
    passed: integer('passed', { mode: 'boolean' }).notNull(),
    /** How much time its encoder was given. */
    effort: text('effort').$type<Effort>().notNull().default('usual'),
    /** What became of it outside, worked out from what happened whenever something does. */
    handover: text('handover').$type<Handover>().notNull().default('none'),
    exportNumber: integer('export_number').notNull(),
    tookSeconds: real('took_seconds').notNull(),
    /** The render machine that made it, by its name then; null for the server itself. */
    madeOn: text('made_on'),
    madeAt: text('made_at').notNull(),
  },
  (t) => [
    // With what the ledger asks of the newest of each version, and what it looks for.
    index('deliverables_of_version').on(t.versionId, t.exportNumber, t.handover, t.fileName),
    index('deliverables_by_production').on(t.productionId, t.madeAt),
    uniqueIndex('one_file_a_name').on(t.productionId, t.nameKey),
    index('deliverables_by_machine').on(t.madeOn, t.madeAt),
  ],
);

/** Typefaces that somebody brought in for titles. Their files stay when a row goes: what was set in them names them. */
export const typefaces = sqliteTable('typefaces', {
  sha256: text('sha256').primaryKey(),
  /** What the file calls itself. */
  name: text('name').notNull(),
  fileName: text('file_name').notNull(),
  by: text('by').notNull(),
  createdAt: createdAt(),
});

/** What happened to a production's deliverables, oldest first: it is only ever added to. */
export const happenings = sqliteTable(
  'happenings',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    at: text('at').notNull(),
    /** Who did it, as they signed; empty where nobody said. */
    by: text('by').notNull(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    versionId: text('version_id'),
    deliverableId: text('deliverable_id'),
    /** Of the bytes that it happened to. */
    sha256: text('sha256'),
    /** The review link that it came by. */
    linkId: text('link_id'),
    what: json('what', codecs.happening).notNull(),
  },
  (t) => [
    index('happenings_by_production').on(t.productionId, t.id),
    index('happenings_by_version').on(t.versionId, t.id),
    index('happenings_by_deliverable').on(t.deliverableId, t.id),
  ],
);

/** Links by which people outside see files and answer. */
export const reviewLinks = sqliteTable(
  'review_links',
  {
    id: id(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    /** For whom it is. */
    name: text('name').notNull(),
    /** SHA-256 of its secret, which is kept nowhere. */
    tokenHash: text('token_hash').notNull(),
    versionIds: json('version_ids', codecs.versionIds).notNull(),
    /** A scrypt of its password; null where it asks for none. */
    password: text('password'),
    /** Passwords that were wrong since the last right one. */
    wrongPasswords: integer('wrong_passwords').notNull().default(0),
    /** Until when no password is looked at. */
    lockedUntil: text('locked_until'),
    endsAt: text('ends_at').notNull(),
    /** Whoever opens it may keep the files as well, on a phone for one. */
    mayFetch: integer('may_fetch', { mode: 'boolean' }).notNull().default(false),
    revokedAt: text('revoked_at'),
    by: text('by').notNull(),
    createdAt: createdAt(),
  },
  (t) => [
    uniqueIndex('one_link_a_secret').on(t.tokenHash),
    index('review_links_by_production').on(t.productionId),
  ],
);

/** Each opening of a link. */
export const reviewVisits = sqliteTable(
  'review_visits',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    linkId: text('link_id')
      .notNull()
      .references(() => reviewLinks.id, { onDelete: 'cascade' }),
    at: text('at').notNull(),
    /** What the visitor's browser calls itself, shortened. */
    browser: text('browser').notNull(),
    outcome: text('outcome', { enum: ['opened', 'wrong-password', 'locked', 'ended', 'revoked'] }).notNull(),
  },
  (t) => [index('review_visits_by_link').on(t.linkId, t.id)],
);

/** Notes to a file's frames, and what was answered to them. */
export const notes = sqliteTable(
  'notes',
  {
    id: id(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    versionId: text('version_id')
      .notNull()
      .references(() => versions.id, { onDelete: 'cascade' }),
    /** The file that was looked at, by its id and its bytes. */
    deliverableId: text('deliverable_id').notNull(),
    sha256: text('sha256').notNull(),
    /** The note that it answers; null for one of its own. */
    answers: text('answers'),
    /** Frame of that file, and of the master; null of a frame that is none of the master's. */
    frame: integer('frame').notNull(),
    masterFrame: integer('master_frame'),
    /** Where in the delivered frame, in fractions of it; null for the whole picture. */
    x: real('x'),
    y: real('y'),
    words: text('words').notNull(),
    by: text('by').notNull(),
    /** The link it came by; null from the house. */
    linkId: text('link_id'),
    doneAt: text('done_at'),
    doneBy: text('done_by'),
    createdAt: createdAt(),
  },
  (t) => [
    index('notes_by_production').on(t.productionId, t.createdAt),
    index('notes_by_version').on(t.versionId),
  ],
);

/** Files on their way out of the house. */
export const dispatches = sqliteTable(
  'dispatches',
  {
    id: id(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    versionId: text('version_id')
      .notNull()
      .references(() => versions.id, { onDelete: 'cascade' }),
    deliverableId: text('deliverable_id')
      .notNull()
      .references(() => deliverables.id, { onDelete: 'cascade' }),
    sha256: text('sha256').notNull(),
    /** What carries it, and to whom: an outlet's id, or a folder. */
    connector: text('connector').notNull(),
    destination: text('destination').notNull(),
    /** Its name for a person. */
    to: text('to').notNull(),
    state: text('state', {
      enum: ['waiting', 'sending', 'arrived', 'live', 'taken-down', 'refused', 'failed', 'cancelled'],
    }).notNull(),
    /** The same file to the same destination has the same key: an outlet that honours it never takes it twice. */
    key: text('key').notNull(),
    /** When it is to be shown; null for at once. */
    publishAt: text('publish_at'),
    /** The time zone in which that was said. */
    zone: text('zone'),
    attempts: integer('attempts').notNull().default(0),
    receipt: json('receipt', codecs.receipt),
    problem: json('problem', codecs.problem),
    by: text('by').notNull(),
    createdAt: createdAt(),
    updatedAt: text('updated_at').notNull(),
  },
  (t) => [
    uniqueIndex('one_dispatch_a_key').on(t.key),
    index('dispatches_by_production').on(t.productionId, t.createdAt),
    index('dispatches_by_state').on(t.state),
  ],
);

/** Ways of looking at the ledger that somebody has kept. */
export const ledgerViews = sqliteTable('ledger_views', {
  id: id(),
  name: text('name').notNull(),
  query: json('query', codecs.ledgerQuery).notNull(),
  createdAt: createdAt(),
});

/** Uploads that have come in whole, each from before its film is moved: what a crash leaves half done is finished from here. */
export const arrivals = sqliteTable(
  'arrivals',
  {
    uploadId: text('upload_id').primaryKey(),
    productionId: text('production_id')
      .notNull()
      .references(() => productions.id, { onDelete: 'cascade' }),
    /** The master that it becomes, or whose place it takes. */
    masterId: text('master_id').notNull(),
    /** Null for a new master; else which file of that master it will be. */
    fileGeneration: integer('file_generation'),
    fileName: text('file_name').notNull(),
    bytes: integer('bytes').notNull(),
    /** Where the film lies in the end, relative to the data folder. */
    path: text('path').notNull(),
    /** The master's row holds it. */
    settled: integer('settled', { mode: 'boolean' }).notNull().default(false),
    createdAt: createdAt(),
  },
  (t) => [index('arrivals_by_production').on(t.productionId)],
);

/** The spec book: outlets in their order. */
export const outlets = sqliteTable('outlets', {
  id: id(),
  name: text('name').notNull(),
  position: integer('position').notNull(),
});

/** Slots of outlets; what each asks for stands in its revisions. */
export const placements = sqliteTable(
  'placements',
  {
    id: id(),
    outletId: text('outlet_id')
      .notNull()
      .references(() => outlets.id),
    position: integer('position').notNull(),
    /** The day it was retired; null while it is offered. */
    retiredOn: text('retired_on'),
    /** The day its numbers were last compared with their source, and by whom. */
    checkedOn: text('checked_on'),
    checkedBy: text('checked_by'),
    /** The name that its picture of evidence came with; null where there is none. */
    evidence: text('evidence'),
  },
  (t) => [index('placements_by_outlet').on(t.outletId, t.position)],
);

/** Every change of a placement, with the placement as it was from then on. */
export const placementRevisions = sqliteTable(
  'placement_revisions',
  {
    placementId: text('placement_id')
      .notNull()
      .references(() => placements.id),
    number: integer('number').notNull(),
    placement: json('placement', codecs.placement).notNull(),
    effectiveOn: text('effective_on').notNull(),
    madeAt: text('made_at').notNull(),
    by: text('by').notNull(),
    reason: text('reason').notNull(),
  },
  (t) => [primaryKey({ columns: [t.placementId, t.number] })],
);

/** Sets of placements: named ones, and the one that was taken last. */
export const placeSets = sqliteTable('place_sets', {
  id: id(),
  name: text('name').notNull(),
  placementIds: json('placement_ids', codecs.placementIds).notNull(),
  usedAt: text('used_at').notNull(),
});

/** What a person prefers in this workspace: one row, or none while nobody has changed anything. */
export const preferences = sqliteTable('preferences', {
  id: integer('id').primaryKey(),
  /** Versions that no hand has touched are framed by what is seen as soon as their film has been looked at. */
  frameOnArrival: integer('frame_on_arrival', { mode: 'boolean' }).notNull(),
  /** No export is begun until somebody lets them go on. */
  exportsPaused: integer('exports_paused', { mode: 'boolean' }).notNull().default(false),
  /** How much time encoders may take for files that are asked for from now on. */
  effort: text('effort').$type<Effort>().notNull().default('usual'),
  /** What each effort costs and gains on this machine; null until somebody had it measured. */
  effortMeasured: json('effort_measured', codecs.effortMeasured),
});

/** Who may come in where the workspace is open to a network. */
export const people = sqliteTable(
  'people',
  {
    id: id(),
    name: text('name').notNull(),
    /** Its name as names are compared: two people cannot be told apart by capitals alone. */
    nameKey: text('name_key').notNull(),
    role: text('role').$type<Role>().notNull(),
    /** Argon2id of the password; null until one was chosen. */
    password: text('password'),
    /** Passwords that were wrong since the last right one, and until when none is looked at. */
    wrongPasswords: integer('wrong_passwords').notNull().default(0),
    lockedUntil: text('locked_until'),
    /** SHA-256 of a one-time link's secret, and when the link ends; null where none is open. */
    linkHash: text('link_hash'),
    linkEndsAt: text('link_ends_at'),
    /** What their second factor makes codes of, in base 32; null where there is none, nor one being set up. */
    codeSecret: text('code_secret'),
    /** Since when a code is asked for beside the password; null while it is being set up. */
    codesSince: text('codes_since'),
    /** The last half minute of which a code was taken: none is taken twice. */
    codeStep: integer('code_step'),
    lastSeenAt: text('last_seen_at'),
    createdAt: createdAt(),
  },
  (t) => [uniqueIndex('one_person_a_name').on(t.nameKey), uniqueIndex('one_person_a_link').on(t.linkHash)],
);

/** Codes that open once in the place of a second factor that is lost. */
export const spareCodes = sqliteTable(
  'spare_codes',
  {
    /** SHA-256 of the code. */
    codeHash: text('code_hash').notNull(),
    personId: text('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
  },
  (t) => [primaryKey({ columns: [t.personId, t.codeHash] })],
);

/** Browsers that people have signed in with. */
export const sessions = sqliteTable(
  'sessions',
  {
    id: id(),
    /** SHA-256 of the secret that its cookie holds. */
    secretHash: text('secret_hash').notNull(),
    personId: text('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    browser: text('browser').notNull(),
    address: text('address').notNull(),
    createdAt: createdAt(),
    lastSeenAt: text('last_seen_at').notNull(),
    endsAt: text('ends_at').notNull(),
  },
  (t) => [uniqueIndex('one_session_a_secret').on(t.secretHash), index('sessions_by_person').on(t.personId)],
);

/** Secrets by which scripts ask in a person's name. */
export const tokens = sqliteTable(
  'tokens',
  {
    id: id(),
    secretHash: text('secret_hash').notNull(),
    personId: text('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    /** What it may do, never more than its person. */
    role: text('role').$type<Role>().notNull(),
    /** Whose it is: a script's, or a render machine's, which opens nothing but what such a machine needs. */
    holder: text('holder', { enum: ['script', 'machine'] })
      .notNull()
      .default('script'),
    createdAt: createdAt(),
    lastUsedAt: text('last_used_at'),
    endsAt: text('ends_at').notNull(),
  },
  (t) => [uniqueIndex('one_token_a_secret').on(t.secretHash), index('tokens_by_person').on(t.personId)],
);

/** Render machines that have joined, and what each last said of itself. */
export const machines = sqliteTable(
  'machines',
  {
    id: id(),
    name: text('name').notNull(),
    /** Of its process now: a machine that is started anew is another owner of jobs. */
    session: text('session').notNull(),
    ffmpeg: text('ffmpeg').notNull(),
    cores: integer('cores').notNull(),
    /** It takes no other job. */
    draining: integer('draining', { mode: 'boolean' }).notNull().default(false),
    /** Why it takes nothing, where nobody told it so: what it says itself, or why it was taken out of service. */
    trouble: json('trouble', codecs.problem),
    /** So many exports at once at most; null for as many as it bears. */
    atOnce: integer('at_once'),
    cacheBytes: integer('cache_bytes').notNull().default(0),
    cacheLimit: integer('cache_limit').notNull().default(0),
    /** The last lines of its log. */
    log: text('log').notNull().default(''),
    joinedAt: text('joined_at').notNull(),
    lastSeenAt: text('last_seen_at').notNull(),
  },
  (t) => [uniqueIndex('one_machine_a_name').on(t.name)],
);

/** Files and folders that nothing refers to any more, written in the transaction that let go of them; removed after it, or at the next start. */
export const doomed = sqliteTable('doomed', { path: text('path').primaryKey() });

export const changes = sqliteTable(
  'changes',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    /** The version or master that was changed. */
    subjectId: text('subject_id').notNull(),
    before: json('before', codecs.memento).notNull(),
    after: json('after', codecs.memento).notNull(),
    /** Taken back, and can be done again. */
    undone: integer('undone', { mode: 'boolean' }).notNull().default(false),
    madeAt: text('made_at').notNull(),
  },
  (t) => [index('changes_by_subject').on(t.subjectId, t.id)],
);
