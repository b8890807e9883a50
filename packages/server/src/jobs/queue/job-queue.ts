import type { Dressing, Effort, Framing, Played, Problem } from '@mivvy/core';
import type { Writer } from '../../db/database.ts';
import type { jobs } from '../../db/schema.ts';
import type { AskedExport } from '../asked-export.ts';

export type JobRow = typeof jobs.$inferSelect;
export type JobKind = JobRow['kind'];

/** What a job is asked for with. */
export interface NewJob {
  kind: JobKind;
  productionId: string;
  subjectId: string;
  label: string;
  /** What an export makes, where its film has been read. */
  asked?: AskedExport;
  framing?: Framing;
  /** What is laid over it. */
  dressing?: Dressing;
  cut?: Played | null;
  /** The master's frame that its cover shows. */
  coverFrame?: number | null;
  sharpen?: number | null;
  /** It is to be drawn from the textless master. */
  textless?: boolean;
  effort?: Effort;
  placementRevision?: number;
}

/** How far a job has come. */
export type JobProgress = Pick<JobRow, 'stage' | 'fraction' | 'etaSeconds' | 'speed'>;

/**
 * How a job ended for who held it; `given-back` puts it into the queue as if it had not been taken, `dropped` as if who
 * held it had died.
 */
export type JobEnding =
  | { state: 'done' }
  | { state: 'failed'; problem: Problem }
  | { state: 'cancelled' }
  | { state: 'given-back' }
  | { state: 'dropped' };

/** What is written with a change of a job's row, or not at all. */
export type AlsoWrite = (tx: Writer, job: JobRow) => Promise<void>;

/**
 * What hands out jobs and takes their ends back. A job waits, is held by one owner at a time, and ends once: as done, as
 * failed or as cancelled. Who holds it renews that before its lease runs out; otherwise somebody else may take it, and
 * whatever the first one says about it from then on is not listened to.
 *
 * What a job does knows nothing of what stands behind this.
 */
export interface JobQueue {
  /** Writes a job that waits, with other rows that belong to it. */
  add(tx: Writer, job: NewJob): Promise<JobRow>;
  /** Takes the first of a kind that nobody holds; undefined where there is none. */
  take(kind: JobKind, owner: string): Promise<JobRow | undefined>;
  /** Renews the lease and keeps how far it is. False where the job is not the owner's any more. */
  renew(id: string, owner: string, progress: JobProgress): Promise<boolean>;
  /** Ends a job that the owner holds. Undefined, and nothing written, where the owner does not hold it any more. */
  finish(
    id: string,
    owner: string,
    ending: JobEnding,
    progress: JobProgress,
    also?: AlsoWrite,
  ): Promise<JobRow | undefined>;
  /** Ends a job that waits or is held, whoever holds it. Undefined where it had ended. */
  cancel(tx: Writer, id: string): Promise<JobRow | undefined>;
  /** Lets a job that failed or was cancelled wait again, as if it had never been taken. Undefined where it had not. */
  retry(id: string, also?: AlsoWrite): Promise<JobRow | undefined>;
  /** Moves a waiting job before another of its kind, or behind all of them. The rows that have another rank now. */
  move(id: string, before: string | null): Promise<JobRow[]>;
  /** Hands out no job of a kind until it is let go on; what is held is not touched. */
  hold(kind: JobKind, on: boolean): void;
  /** Ends every lease but those of render machines: servers that held a job are known to be gone. */
  release(): Promise<void>;
  /** Whether anything can be handed out, and if not, why. */
  state(): QueueState;
  /** Ends whatever is open to hand jobs out. */
  close(): Promise<void>;
}

/** How the owners are called that are render machines. */
export const machineOwner = (machineId: string, session: string): string => `machine.${machineId}.${session}`;

/** How a queue is. */
export interface QueueState {
  kind: 'rows' | 'redis';
  /** What is wrong with it, and since when; null while it hands out. */
  trouble: { problem: Problem; since: string } | null;
}
