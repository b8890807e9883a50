import * as z from 'zod';
import {
  checkReportSchema,
  differenceSchema,
  effortSchema,
  graphicKinds,
  loudnessSchema,
  masterFactsSchema,
  placementSchema,
  renderPlanSchema,
  shotsSchema,
  subjectScanSchema,
} from '@mivvy/core';
import { problemSchema } from './problem-schema.ts';

// What a render machine and the server say to each other. The machine draws tickets from the queue, takes their jobs from
// the server, says every two seconds how far each is, and brings back what it made.

const id = z.string().min(1).max(64);
const sum = z.string().regex(/^[0-9a-f]{64}$/);
const when = z.string();

/** In which header a machine says of which of its processes a request is. */
export const machineSessionHeader = 'x-machine-session';

/** The kinds of job that render machines do. */
export const machineKinds = ['export', 'prepare', 'look', 'match', 'check'] as const;
export type MachineKind = (typeof machineKinds)[number];

/** What lies in the queue for a job: which, and under which number it was handed over. */
export const ticketSchema = z.strictObject({ id, handed: z.number().int().min(1) });
export type TicketData = z.infer<typeof ticketSchema>;

/** What the queue of a kind's tickets is called, behind the workspace's prefix. */
export const ticketLine = (kind: string): string => kind;

/** A machine's last words are kept so long, characters. */
export const mostMachineLog = 8000;

export const machineJoinSchema = z.strictObject({
  name: z.string().trim().min(1).max(60),
  /** Of this process; jobs that a process before it held are not its own. */
  session: id,
  release: z.string().max(40),
  /** The renderer's revision: others make other pixels of the same plan. */
  renderer: z.number().int(),
  ffmpeg: z.string().max(200),
  cores: z.number().int().min(1).max(4096),
  cacheLimit: z.number().int().min(0),
});
export type MachineJoin = z.infer<typeof machineJoinSchema>;

export const machineJoinedSchema = z.object({
  id,
  /** What the workspace's queues are called in front of their kind. */
  prefix: z.string(),
  /** So often it says that it is there, milliseconds. */
  beatMs: z.number(),
  /** What the file `share-proof` of the workspace's data folder says: whoever reads the same there sees that folder. */
  proof: z.string(),
});
export type MachineJoined = z.infer<typeof machineJoinedSchema>;

const progressSchema = z.strictObject({
  stage: z.string().max(80),
  fraction: z.number().min(0).max(1),
  etaSeconds: z.number().min(0).nullable(),
  speed: z.number().min(0),
});
export type MachineProgress = z.infer<typeof progressSchema>;

export const machineBeatSchema = z.strictObject({
  jobs: z.array(z.strictObject({ id, progress: progressSchema })).max(256),
  cacheBytes: z.number().int().min(0),
  /** Why it takes nothing now, such as a full disk; null while it takes what there is. */
  trouble: problemSchema.nullable(),
  log: z.string().max(mostMachineLog),
});
export type MachineBeat = z.infer<typeof machineBeatSchema>;

export const machineOrdersSchema = z.object({
  /** It takes no other job. */
  draining: z.boolean(),
  /** So many exports at once at most; null for as many as it bears. */
  atOnce: z.number().int().nullable(),
  /** Jobs that are not its own any more: cancelled, or with somebody else. */
  lost: z.array(id),
});
export type MachineOrders = z.infer<typeof machineOrdersSchema>;

export const machineTakeSchema = z.strictObject({ ticket: ticketSchema });

const lyingSchema = z.object({
  address: z.string(),
  sha256: sum,
  bytes: z.number(),
  /** Where it lies in the workspace's data folder, for whoever sees that; null where it lies elsewhere. */
  path: z.string().nullable(),
});
export type Lying = z.infer<typeof lyingSchema>;

/** Everything that a job is done with: what an export is made of, or what is to be known of a film. */
export const machineOrderSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('export'),
    jobId: id,
    plan: renderPlanSchema,
    placement: placementSchema,
    effort: effortSchema,
    /** Whether further versions of its film wait to be made. */
    more: z.boolean(),
    film: lyingSchema,
    /** What its layers show. */
    graphics: z.array(lyingSchema.extend({ kind: z.enum(graphicKinds) })),
  }),
  z.object({
    kind: z.literal('look'),
    jobId: id,
    facts: masterFactsSchema,
    shots: shotsSchema,
    /** Whether what is known is told by name; else by how it moves alone. */
    detector: z.boolean(),
    film: lyingSchema,
  }),
  z.object({
    kind: z.literal('prepare'),
    jobId: id,
    facts: masterFactsSchema,
    /** Its shots as they stand; null where they are to be found first. */
    shots: shotsSchema.nullable(),
    find: z.boolean(),
    measure: z.boolean(),
    copy: z.enum(['no', 'helpful', 'wanted']),
    film: lyingSchema,
  }),
  z.object({
    kind: z.literal('match'),
    jobId: id,
    facts: masterFactsSchema,
    film: lyingSchema,
    textless: z.object({ facts: masterFactsSchema, film: lyingSchema }),
  }),
  z.object({
    kind: z.literal('check'),
    jobId: id,
    /** What the file is held against. */
    plan: renderPlanSchema,
    placement: placementSchema,
    film: lyingSchema,
    /** The file, which was made elsewhere. */
    file: lyingSchema,
  }),
]);
export type MachineOrder = z.infer<typeof machineOrderSchema>;
export type ExportOrderForMachine = Extract<MachineOrder, { kind: 'export' }>;
export type LookOrderForMachine = Extract<MachineOrder, { kind: 'look' }>;
export type PrepareOrderForMachine = Extract<MachineOrder, { kind: 'prepare' }>;
export type MatchOrderForMachine = Extract<MachineOrder, { kind: 'match' }>;
export type CheckOrderForMachine = Extract<MachineOrder, { kind: 'check' }>;

/** What a ticket leads to: the order; nothing, where the job is not to be had; or a moment's patience. */
export const machineTakenSchema = z.discriminatedUnion('is', [
  z.object({ is: z.literal('yours'), order: machineOrderSchema }),
  z.object({ is: z.literal('gone') }),
  z.object({ is: z.literal('later') }),
]);
export type MachineTaken = z.infer<typeof machineTakenSchema>;

/** A file that a machine has brought back: the upload that it came by, and what it is to be. */
const broughtSchema = z.strictObject({ upload: id, bytes: z.number().int().min(1), sha256: sum });
export type Brought = z.infer<typeof broughtSchema>;

/** One thing that came of preparing a film, brought as soon as it is there. */
export const machinePartSchema = z.discriminatedUnion('part', [
  z.strictObject({
    part: z.literal('shots'),
    /** Null where none could be found. The small pictures lie one after the other in what was brought. */
    found: z
      .strictObject({ shots: shotsSchema, every: z.number().int().positive(), looks: broughtSchema })
      .nullable(),
  }),
  z.strictObject({ part: z.literal('loudness'), loudness: loudnessSchema }),
  z.strictObject({ part: z.literal('still'), frame: z.number().int().min(0), still: broughtSchema }),
  /** Null where it could not be made, and is not needed. */
  z.strictObject({ part: z.literal('proxy'), proxy: broughtSchema.nullable() }),
]);
export type MachinePart = z.infer<typeof machinePartSchema>;

export const machineEndSchema = z.strictObject({
  ending: z.discriminatedUnion('state', [
    z.strictObject({
      state: z.literal('done'),
      film: broughtSchema,
      cover: broughtSchema.extend({ ending: z.enum(['jpg', 'png']) }).nullable(),
      report: checkReportSchema,
    }),
    /** A film that was looked at. */
    z.strictObject({ state: z.literal('looked'), scan: subjectScanSchema }),
    /** A film of which every part was brought. */
    z.strictObject({ state: z.literal('prepared') }),
    /** Two films that were matched: where they differ, or why they are not the same edit. */
    z.strictObject({
      state: z.literal('matched'),
      found: z.union([
        z.strictObject({ differs: z.array(differenceSchema) }),
        z.strictObject({ problem: problemSchema }),
      ]),
    }),
    /** A file that was made elsewhere, held against its plan. */
    z.strictObject({ state: z.literal('checked'), report: checkReportSchema }),
    z.strictObject({ state: z.literal('failed'), problem: problemSchema }),
    z.strictObject({ state: z.literal('given-back') }),
  ]),
  /** What its tools said. */
  log: z.string().max(400_000),
});
export type MachineEnd = z.infer<typeof machineEndSchema>;

/** Whether an ending or a part counted; not where the job was somebody else's by then, or had ended. */
export const machineEndedSchema = z.object({ counted: z.boolean() });

/** A render machine, as it is shown. */
export const machineSchema = z.object({
  id,
  name: z.string(),
  ffmpeg: z.string(),
  cores: z.number(),
  draining: z.boolean(),
  /** Why it takes nothing, where that is not because somebody told it so; null where it takes work. */
  trouble: problemSchema.nullable(),
  atOnce: z.number().nullable(),
  cacheBytes: z.number(),
  cacheLimit: z.number(),
  log: z.string(),
  joinedAt: when,
  lastSeenAt: when,
  /** It has shown a sign of life in the last seconds. */
  there: z.boolean(),
  /** What it does now. */
  doing: z.array(z.object({ jobId: id, label: z.string(), stage: z.string(), fraction: z.number() })),
  /** Exports that it has made, and how many seconds of finished film a second, over the last of them; null for none. */
  made: z.number(),
  speed: z.number().nullable(),
});
export type Machine = z.infer<typeof machineSchema>;

/** What makes exports, and what keeps them from being made. */
export const machinesSchema = z.object({
  queue: z.object({ kind: z.enum(['rows', 'redis']), address: z.string().nullable() }),
  /** The server itself; it makes none where it was told so. */
  here: z.object({
    exports: z.boolean(),
    ffmpeg: z.string().nullable(),
    cores: z.number(),
    doing: machineSchema.shape.doing,
    made: z.number(),
    speed: z.number().nullable(),
  }),
  machines: z.array(machineSchema),
  /** Why nothing that waits is taken; null where something takes it. */
  waiting: problemSchema.nullable(),
});
export type Machines = z.infer<typeof machinesSchema>;

export const machineChangeSchema = z.strictObject({
  draining: z.boolean().optional(),
  atOnce: z.number().int().min(1).max(64).nullable().optional(),
});
