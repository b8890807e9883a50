import type { Logger } from 'pino';
import type { Shaper } from '@mivvy/core';
import type { AwaitedChecks } from './awaited-checks.ts';
import type { Database } from './db/database.ts';
import type { DiskWatch } from './disk/watch.ts';
import type { Connectors } from './dispatch/connectors.ts';
import type { Events } from './events.ts';
import type { Access } from './people/access.ts';
import type { Live } from './people/live.ts';
import type { RedisQueue } from './jobs/queue/redis-queue.ts';
import type { Runner } from './jobs/runner.ts';
import type { SpecLibrary } from './specs.ts';
import type { Storage } from './storage.ts';

/** Everything that routes and jobs work with. */
export interface Workspace {
  db: Database;
  storage: Storage;
  specs: SpecLibrary;
  /** Sets text: in the letters that ship, and in the workspace's own typefaces. */
  letters: Shaper;
  events: Events;
  runner: Runner;
  /** Where render machines draw jobs from; null where there is no such queue. */
  handed: RedisQueue | null;
  /** What proves to a machine that it sees the data folder; empty where there are no machines. */
  shareProof: string;
  /** Whether films are looked at with the detector, and if its models lie elsewhere, where. */
  detector: boolean | string;
  /** Whether films are looked at as soon as they are prepared, or when somebody asks. */
  looking: 'at-once' | 'when-asked';
  /** Whether the server makes exports itself. */
  exportsHere: boolean;
  log: Logger;
  disk: DiskWatch;
  /** What carries files out of the house. */
  connectors: Connectors;
  /** Where the review surface is to be reached; null while it is not open. */
  reviewAddress: string | null;
  /** How the workspace is reached. */
  access: Access;
  /** What is being answered, by who asked. */
  live: Live;
  /** Files that were made elsewhere and are being checked. */
  checks: AwaitedChecks;
  /** Bytes free on the data disk; replaced in tests of a full one. */
  freeBytes: () => Promise<number>;
}

/** The time now, as rows keep it. */
export { dateNow as now } from './clocks.ts';
