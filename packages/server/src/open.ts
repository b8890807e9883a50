import type { Logger } from 'pino';
import { DiskWatch } from './disk/watch.ts';
import { openDatabase } from './db/database.ts';
import { connectorsTo } from './dispatch/connectors.ts';
import { dispatchWork } from './dispatch/dispatch-job.ts';
import { askAfterDispatches, askEveryMs } from './dispatch/watch.ts';
import { openEvents } from './events.ts';
import { forgetOldJobs } from './files/bounds.ts';
import { holdFolder } from './files/lock.ts';
import { putRight, sweepUploads } from './files/put-right.ts';
import { shaperWith } from '@mivvy/media';
import { exportWork } from './jobs/export.ts';
import { ingestWork } from './jobs/ingest.ts';
import { AwaitedChecks } from './awaited-checks.ts';
import { checkWork } from './jobs/check.ts';
import { lookWork } from './jobs/look.ts';
import { prepareWork } from './jobs/prepare.ts';
import { matchWork } from './jobs/match.ts';
import { forgetOldStandings } from './plans.ts';
import { readPreferences } from './preferences.ts';
import { RedisQueue } from './jobs/queue/redis-queue.ts';
import { RowsQueue } from './jobs/queue/rows-queue.ts';
import { queueName } from './machines/queue-name.ts';
import { writeShareProof } from './machines/share-proof.ts';
import { Runner } from './jobs/runner.ts';
import { onThisMachine, type Access } from './people/access.ts';
import { endIdleSessions } from './people/idle.ts';
import { Live } from './people/live.ts';
import { SpecLibrary } from './specs.ts';
import type { layOut } from './disk/own-disks.ts';
import { openStandIns } from './stand-ins/outlet.ts';
import { freeBytes, graphicPath, openStorage } from './storage.ts';
import { wantOpenMatches } from './textless.ts';
import type { Workspace } from './workspace.ts';

/** Uploads that were given up, and jobs that ended long ago, are looked for so often; milliseconds. */
const sweepEveryMs = 3600_000;
/** How often browsers that nobody uses are looked for, milliseconds. */
const signOutEveryMs = 30_000;

/** A revision of a placement may have taken effect with the new day. */
async function turnThePage(ws: Workspace): Promise<void> {
  if (!(await ws.specs.refresh())) return;
  await forgetOldStandings(ws);
  ws.events.tell({ kind: 'spec-book' });
}

export interface OpenOptions {
  dataDir: string;
  inboxes?: string[];
  /** Folders on other disks for what the data folder would hold itself. */
  disks?: Parameters<typeof layOut>[1];
  log: Logger;
  freeBytes?: () => Promise<number>;
  /** Whether films are looked at for subjects as soon as they have been read, or only when that is asked for. */
  looking?: 'at-once' | 'when-asked';
  /** So many exports at once at most, 0 for none; without it as many as the machine bears. */
  exportsAtOnce?: number | undefined;
  /** Where render machines draw jobs from, as redis://… */
  queueUrl?: string | undefined;
  /** Where outlets are, instead of the stand-ins that come with the workspace, and how long their answers are awaited. */
  outlets?: { base: string; patienceMs?: number };
  /** How it is reached, where that is not this machine alone. */
  access?: Access;
  /** Without the detector, or with its models from another folder. */
  detector?: boolean | string;
}

/**
 * Opens a data folder for this process alone: storage, database, spec book, and the job runner, which takes up what
 * was left unfinished. Throws `FolderInUse` where another process has it open.
 */
export async function openWorkspace(
  options: OpenOptions,
): Promise<Workspace & { close: () => Promise<void> }> {
  const { log } = options;
  const storage = await openStorage(options.dataDir, options.inboxes ?? [], options.disks);
  const letGo = await holdFolder(storage.root);
  try {
    const { db, close } = await openDatabase(storage.database);
    const specs = await SpecLibrary.open(db, storage.specs);
    const events = openEvents();
    const rows = new RowsQueue(db);
    const handed =
      options.queueUrl === undefined
        ? null
        : new RedisQueue(rows, { url: options.queueUrl, prefix: await queueName(storage), log });
    const runner = new Runner(db, handed ?? rows, events, log, {
      onDiskFull: () => disk.met(),
      exportsAtOnce: options.exportsAtOnce,
    });
    const room = options.freeBytes ?? (() => freeBytes(storage));
    const disk = new DiskWatch({
      freeBytes: () => ws.freeBytes(),
      events,
      log,
      onRoom: (free) => runner.retryForRoom(free),
    });
    const standIns = options.outlets
      ? null
      : await openStandIns(storage.standIns, (id) => specs.find(id)?.placement);
    const outlets = options.outlets ?? { base: standIns!.base };
    const ws: Workspace = {
      db,
      storage,
      specs,
      letters: shaperWith((sha256) => graphicPath(storage, { kind: 'typeface', sha256 })),
      events,
      runner,
      handed,
      shareProof: handed ? await writeShareProof(storage) : '',
      detector: options.detector ?? true,
      looking: options.looking ?? 'at-once',
      exportsHere: options.exportsAtOnce !== 0,
      log,
      disk,
      freeBytes: room,
      connectors: connectorsTo(outlets.base, outlets.patienceMs),
      reviewAddress: null,
      access: options.access ?? onThisMachine,
      live: new Live(),
      checks: new AwaitedChecks(),
    };
    await putRight(ws);
    await forgetOldStandings(ws);
    await forgetOldJobs(ws);
    await disk.start();
    const { exportsPaused } = await readPreferences(db);
    await runner.start(
      {
        ingest: ingestWork(ws),
        prepare: prepareWork(ws),
        export: exportWork(ws),
        look: lookWork(ws, ws.detector),
        match: matchWork(ws),
        check: checkWork(ws),
        dispatch: dispatchWork(ws),
      },
      exportsPaused ? ['export'] : [],
    );
    await wantOpenMatches(ws);
    const sweeping = setInterval(() => {
      Promise.all([sweepUploads(ws), forgetOldJobs(ws), turnThePage(ws)]).catch((error: unknown) =>
        log.warn({ err: error }, 'old uploads and jobs could not be removed'),
      );
    }, sweepEveryMs);
    sweeping.unref();
    const signingOut = setInterval(() => {
      endIdleSessions(ws).catch((error: unknown) =>
        log.warn({ err: error }, 'browsers that nobody uses could not be signed out'),
      );
    }, signOutEveryMs);
    signingOut.unref();
    let asking: Promise<void> = Promise.resolve();
    const askingAfter = setInterval(() => {
      asking = asking
        .then(() => askAfterDispatches(ws))
        .catch((error: unknown) => log.warn({ err: error }, 'outlets could not be asked'));
    }, askEveryMs);
    askingAfter.unref();
    return Object.assign(ws, {
      close: async () => {
        clearInterval(sweeping);
        clearInterval(signingOut);
        clearInterval(askingAfter);
        await asking;
        await runner.stop();
        await handed?.close();
        await disk.stop();
        await standIns?.close();
        close();
        letGo();
      },
    });
  } catch (error) {
    letGo();
    throw error;
  }
}
