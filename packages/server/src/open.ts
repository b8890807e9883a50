import { readdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { and, eq, gte } from 'drizzle-orm';
import type { Logger } from 'pino';
import { openDatabase } from './db/database.ts';
import { jobs } from './db/schema.ts';
import { openEvents } from './events.ts';
import { exportWork } from './jobs/export.ts';
import { ingestWork } from './jobs/ingest.ts';
import { lookWork } from './jobs/look.ts';
import { Runner } from './jobs/runner.ts';
import { SpecLibrary } from './specs.ts';
import { freeBytes, openStorage } from './storage.ts';
import type { Workspace } from './workspace.ts';

export interface OpenOptions {
  dataDir: string;
  inboxes?: string[];
  log: Logger;
  freeBytes?: () => Promise<number>;
  /** Whether films are looked at for subjects as soon as they have been read, or only when that is asked for. */
  looking?: 'at-once' | 'when-asked';
  /** Without the detector, or with its models from another folder. */
  detector?: boolean | string;
}

/** Opens a data folder: storage, database, spec book, and the job runner, which takes up what was left unfinished. */
export async function openWorkspace(options: OpenOptions): Promise<Workspace & { close: () => Promise<void> }> {
  const storage = await openStorage(options.dataDir, options.inboxes ?? []);
  const { db, close } = await openDatabase(storage.database);
  const specs = await SpecLibrary.open(storage.specs);
  const events = openEvents();
  const runner = new Runner(db, events, options.log);
  const ws: Workspace = { db, storage, specs, events, runner, log: options.log, freeBytes: options.freeBytes ?? (() => freeBytes(storage)) };

  // What a killed server left half done: working folders that no living process holds.
  const held = await db.select({ id: jobs.id }).from(jobs).where(and(eq(jobs.state, 'running'), gte(jobs.leaseUntil, Date.now())));
  const living = new Set(held.map((j) => j.id));
  for (const entry of await readdir(storage.work)) {
    if (!living.has(entry)) await rm(join(storage.work, entry), { recursive: true, force: true });
  }
  runner.start({ ingest: ingestWork(ws, options.looking ?? 'at-once'), export: exportWork(ws), look: lookWork(ws, options.detector ?? true) });
  return {
    ...ws,
    close: async () => {
      await runner.stop();
      close();
    },
  };
}
