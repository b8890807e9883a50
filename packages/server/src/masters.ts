import { mkdir } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { and, eq, inArray } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import sanitize from 'sanitize-filename';
import { browserPlays, oneShot, type MasterFacts, type Problem, type Result } from '@mivvy/core';
import { probeMaster } from '@mivvy/media';
import type { Master } from '@mivvy/api';
import type { Writer } from './db/database.ts';
import type { FileMark, FilmBefore } from './db/codecs.ts';
import { arrivals, jobs, masters, versions } from './db/schema.ts';
import { doom, sweepDoomed } from './files/doomed.ts';
import { markOf, sameMark } from './files/known-file.ts';
import { moveFile } from './files/move-file.ts';
import { forgetChanges } from './history.ts';
import type { JobRow } from './jobs/runner.ts';
import { filmName, fromStored, toStored } from './storage.ts';
import { tellProduction } from './tell.ts';
import { masterView } from './views/masters.ts';
import { now, type Workspace } from './workspace.ts';

type MasterRow = typeof masters.$inferSelect;
type ArrivalRow = typeof arrivals.$inferSelect;

/** A film that lies where it will be read from. */
interface Arrived {
  productionId: string;
  fileName: string;
  origin: 'upload' | 'inbox';
  path: string;
}

/** A file that cannot take a master's place; the master stays as it was. */
export class NotReplaced extends Error {
  constructor(readonly problem: Problem) {
    super(problem.sentence);
    this.name = 'NotReplaced';
  }
}

/** What is known of a film from its headers, with the mark of the file that they were read from. */
interface ReadHeaders {
  mark: FileMark | null;
  facts: Result<MasterFacts>;
}

async function readHeaders(path: string): Promise<ReadHeaders> {
  const mark = await markOf(path);
  const facts = await probeMaster(path);
  // A film that is still being copied is told by its next mark, which then differs.
  return { mark: sameMark(mark, await markOf(path)) ? mark : null, facts };
}

/** The last words of a name that a file system takes, with its ending. */
function diskName(fileName: string): string {
  const clean = sanitize(fileName);
  const points = [...clean];
  while (Buffer.byteLength(points.join('')) > 200) points.shift();
  return points.join('') || 'film';
}

/**
 * Takes a film that lies in an inbox into a production: its headers are read at once, so that it can be proofed and
 * framed, and a job reads it through. A file that cannot be used is listed too, with the reason.
 */
export async function takeFromInbox(
  ws: Workspace,
  film: Omit<Arrived, 'origin'>,
  replaces?: string,
): Promise<Master> {
  const arrived: Arrived = { ...film, origin: 'inbox' };
  if (replaces === undefined) return addMaster(ws, nanoid(10), arrived);
  const old = await replaceable(ws, replaces, film.productionId);
  return replaceMaster(ws, old, arrived, await headersOfReplacement(old, film.path));
}

/**
 * Turns a whole upload into a master. Its row among the arrivals is written before the film is moved, so that whatever
 * dies on the way, {@link settleArrivals} ends it.
 */
export async function takeUpload(
  ws: Workspace,
  upload: {
    id: string;
    path: string;
    productionId: string;
    fileName: string;
    bytes: number;
    replaces?: string | undefined;
  },
): Promise<Master> {
  const [known] = await ws.db.select().from(arrivals).where(eq(arrivals.uploadId, upload.id));
  if (known) return settle(ws, known);
  let masterId = nanoid(10);
  let fileGeneration: number | null = null;
  if (upload.replaces !== undefined) {
    const old = await replaceable(ws, upload.replaces, upload.productionId);
    await headersOfReplacement(old, upload.path);
    masterId = old.id;
    fileGeneration = old.fileGeneration + 1;
  }
  // Each file has a folder of its own, so that nothing that still reads the old file is disturbed.
  const folder = join(
    ws.storage.originals,
    masterId,
    ...(fileGeneration === null ? [] : [`${fileGeneration}-${upload.id.slice(0, 8)}`]),
  );
  const path = toStored(ws.storage, join(folder, diskName(upload.fileName)));
  const { productionId, fileName, bytes } = upload;
  const [row] = await ws.db
    .insert(arrivals)
    .values({
      uploadId: upload.id,
      productionId,
      masterId,
      fileGeneration,
      fileName,
      bytes,
      path,
      createdAt: now(),
    })
    .onConflictDoNothing()
    .returning();
  return row ? settle(ws, row) : takeUpload(ws, upload);
}

/** Films on their way to being masters, by upload: a client that asks twice gets one answer. */
const settling = new Map<string, Promise<Master>>();

function settle(ws: Workspace, arrival: ArrivalRow): Promise<Master> {
  const running = settling.get(arrival.uploadId);
  if (running) return running;
  const work = settleOnce(ws, arrival).finally(() => settling.delete(arrival.uploadId));
  settling.set(arrival.uploadId, work);
  return work;
}

async function settleOnce(ws: Workspace, arrival: ArrivalRow): Promise<Master> {
  const [row] = await ws.db.select().from(masters).where(eq(masters.id, arrival.masterId));
  if (arrival.settled) {
    return (row && (await masterView(ws, row.id))) ?? gone();
  }
  const path = fromStored(ws.storage, arrival.path);
  await mkdir(dirname(path), { recursive: true });
  await moveFile(join(ws.storage.uploads, arrival.uploadId), path).catch(
    async (error: NodeJS.ErrnoException) => {
      // Moved already, before something died.
      if (error.code !== 'ENOENT' || !(await markOf(path))) throw error;
    },
  );
  const arrived: Arrived = {
    productionId: arrival.productionId,
    fileName: arrival.fileName,
    origin: 'upload',
    path,
  };
  if (arrival.fileGeneration === null)
    return row
      ? ((await masterView(ws, row.id)) ?? gone())
      : addMaster(ws, arrival.masterId, arrived, arrival);
  if (!row) return addMaster(ws, arrival.masterId, arrived, arrival);
  try {
    return await replaceMaster(ws, row, arrived, await readHeaders(path), arrival);
  } catch (error) {
    if (error instanceof NotReplaced) await dismiss(ws, arrival);
    throw error;
  }
}

/** Lets go of an arrival that cannot become anything. */
async function dismiss(ws: Workspace, arrival: ArrivalRow): Promise<void> {
  const path = fromStored(ws.storage, arrival.path);
  await ws.db.transaction(async (tx) => {
    await tx.delete(arrivals).where(eq(arrivals.uploadId, arrival.uploadId));
    await doom(tx, ws, [path]);
  });
  await sweepDoomed(ws, [path]);
}

function gone(): never {
  throw new NotReplaced({
    code: 'not-found',
    sentence: 'That master is not here any more.',
    mend: 'Bring the film in again.',
  });
}

/** Ends what a crash has left half done: films that have arrived and are nobody's yet. */
export async function settleArrivals(ws: Workspace): Promise<void> {
  for (const arrival of await ws.db.select().from(arrivals).where(eq(arrivals.settled, false))) {
    await settle(ws, arrival).catch((error: unknown) =>
      ws.log.error({ err: error, upload: arrival.uploadId }, 'a film that has arrived could not be taken'),
    );
  }
}

const settled = async (tx: Writer, arrival: ArrivalRow | undefined) => {
  if (arrival)
    await tx.update(arrivals).set({ settled: true }).where(eq(arrivals.uploadId, arrival.uploadId));
};

async function addMaster(ws: Workspace, id: string, arrived: Arrived, arrival?: ArrivalRow): Promise<Master> {
  const { mark, facts } = await readHeaders(arrived.path);
  const { productionId, fileName, origin } = arrived;
  const job = await ws.db.transaction(async (tx) => {
    await tx.insert(masters).values({
      id,
      productionId,
      name: filmName(fileName),
      fileName,
      origin,
      path: toStored(ws.storage, arrived.path),
      mark,
      createdAt: now(),
      bytes: facts.ok ? facts.value.bytes : (mark?.bytes ?? 0),
      state: facts.ok ? 'ready' : 'failed',
      facts: facts.ok ? facts.value : null,
      problem: facts.ok ? null : facts.problem,
      proxy: facts.ok && !browserPlays(facts.value) ? 'wanted' : 'not-needed',
    });
    await settled(tx, arrival);
    return facts.ok
      ? ws.runner.add(tx, { kind: 'ingest', productionId, subjectId: id, label: filmName(fileName) })
      : undefined;
  });
  if (job) ws.runner.announce([job]);
  await tellProduction(ws, productionId);
  return (await masterView(ws, id))!;
}

async function replaceable(ws: Workspace, id: string, productionId: string): Promise<MasterRow> {
  const [old] = await ws.db.select().from(masters).where(eq(masters.id, id));
  if (old?.productionId === productionId) return old;
  throw new NotReplaced({
    code: 'not-found',
    sentence: 'The master to be replaced is not in this production any more.',
    mend: 'Bring the film in as a new master.',
  });
}

/** The headers of a file that is to take a master's place. One that cannot be used changes nothing. */
async function headersOfReplacement(old: MasterRow, path: string): Promise<ReadHeaders> {
  const headers = await readHeaders(path);
  if (!headers.facts.ok)
    throw new NotReplaced({
      ...headers.facts.problem,
      sentence: `“${old.name}” was not replaced. ${headers.facts.problem.sentence}`,
    });
  return headers;
}

/** What must be known of a master to carry its framing over to the film that takes its place. */
function filmBefore(old: MasterRow): FilmBefore | null {
  if (old.before || !old.facts) return old.before;
  const { frames, rate, displayed } = old.facts.video;
  return {
    name: old.fileName,
    shots: old.shots ?? [...oneShot],
    frames,
    rate,
    displayed,
    sha256: old.sha256,
  };
}

/** Puts a new file in a master's place. */
async function replaceMaster(
  ws: Workspace,
  { id, productionId }: MasterRow,
  arrived: Arrived,
  { mark, facts }: ReadHeaders,
  arrival?: ArrivalRow,
): Promise<Master> {
  if (!facts.ok) throw new NotReplaced(facts.problem);
  const film = facts.value;
  const replaced = await ws.db.transaction(async (tx) => {
    // What it is now, not what it was when the film began to arrive: others may have replaced it meanwhile.
    const [old] = await tx.select().from(masters).where(eq(masters.id, id));
    if (!old) return undefined;
    const working = await tx
      .select({ id: jobs.id })
      .from(jobs)
      .where(and(eq(jobs.subjectId, id), inArray(jobs.state, ['queued', 'running'])));
    const stopped: JobRow[] = [];
    for (const job of working) {
      const row = await ws.runner.cancelIn(tx, job.id);
      if (row) stopped.push(row);
    }
    await tx
      .update(masters)
      .set({
        fileName: arrived.fileName,
        origin: arrived.origin,
        path: toStored(ws.storage, arrived.path),
        bytes: film.bytes,
        mark,
        state: 'ready',
        facts: film,
        sha256: null,
        problem: null,
        proxy: browserPlays(film) ? 'not-needed' : 'wanted',
        hasPoster: false,
        fileGeneration: old.fileGeneration + 1,
        shots: null,
        shotsAssumed: false,
        drawn: [],
        // What was seen in the other film is not what is seen in this one.
        unimportant: [],
        textlessProblem: null,
        before: filmBefore(old),
        carried: null,
        revision: old.revision + 1,
      })
      .where(eq(masters.id, id));
    await forgetChanges(tx, [id]);
    const oldFile = fromStored(ws.storage, old.path);
    const goes = old.origin === 'upload' && oldFile !== arrived.path ? [oldFile] : [];
    await doom(tx, ws, goes);
    await settled(tx, arrival);
    const job = await ws.runner.add(tx, { kind: 'ingest', productionId, subjectId: id, label: old.name });
    return { goes, stopped, job };
  });
  if (!replaced) return gone();
  ws.runner.announce([...replaced.stopped, replaced.job]);
  await tellProduction(ws, productionId);
  void removeWhenUnread(ws, id, replaced.goes);
  return (await masterView(ws, id)) ?? gone();
}

/** Removes the old film of a master once nothing that runs reads it any more: exports of its versions may do so still. */
async function removeWhenUnread(ws: Workspace, masterId: string, files: readonly string[]): Promise<void> {
  try {
    const made = await ws.db
      .select({ id: versions.id })
      .from(versions)
      .where(eq(versions.masterId, masterId));
    await ws.runner.ended(await ws.runner.runningAbout([masterId, ...made.map((v) => v.id)]));
    await sweepDoomed(ws, files);
  } catch (error) {
    ws.log.warn({ err: error }, 'an old film is removed at the next start');
  }
}

/** Takes the file that lies where a master's film lay in its place, as a replacement. */
export async function renewMaster(ws: Workspace, old: MasterRow): Promise<Master> {
  const path = fromStored(ws.storage, old.path);
  return replaceMaster(
    ws,
    old,
    { productionId: old.productionId, fileName: old.fileName, origin: old.origin, path },
    await headersOfReplacement(old, path),
  );
}
