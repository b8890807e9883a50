import { mkdir } from 'node:fs/promises';
import { dirname } from 'node:path';
import { and, eq, inArray } from 'drizzle-orm';
import { ok, oneShot, type MasterFacts, type Result, type Shot } from '@mivvy/core';
import { Cancelled, type Preparation, type PreparedPart } from '@mivvy/media';
import { readAnalysis, writeAnalysis } from './analysis.ts';
import { carryOver } from './carry.ts';
import type { Writer } from './db/database.ts';
import { jobs, masters } from './db/schema.ts';
import { openMaster } from './files/master-file.ts';
import { lookedAt } from './follow-version.ts';
import type { JobRow } from './jobs/queue/job-queue.ts';
import { forgetLook, wantLook } from './looks.ts';
import { stillPath } from './storage.ts';
import { tellProduction } from './tell.ts';
import { wantMatches } from './textless.ts';
import type { Workspace } from './workspace.ts';

type MasterRow = typeof masters.$inferSelect;

/** A film that has been read through. */
export type ReadMaster = MasterRow & { facts: MasterFacts; sha256: string };

const isRead = (row: MasterRow | undefined): row is ReadMaster => row?.facts != null && row.sha256 !== null;

/** What a preparing job has to do, and with which file. */
export interface PrepareOrder {
  row: ReadMaster;
  path: string;
  what: Preparation;
}

const masterBy = async ({ db }: Pick<Workspace, 'db'>, id: string) =>
  (await db.select().from(masters).where(eq(masters.id, id)))[0];

/** Queues the preparing of a film that has just been read through, in place of one that is under way for it. */
export async function wantPreparing(ws: Workspace, masterId: string): Promise<void> {
  ws.runner.announce(await ws.db.transaction((tx) => addPreparing(tx, ws, masterId)));
}

/** Writes the job of preparing a film that was read through; the jobs' rows that changed are to be announced. */
export async function addPreparing(tx: Writer, ws: Workspace, masterId: string): Promise<JobRow[]> {
  const [row] = await tx.select().from(masters).where(eq(masters.id, masterId));
  if (!isRead(row)) return [];
  const isOpen = inArray(jobs.state, ['queued', 'running']);
  const open = await tx
    .select({ id: jobs.id })
    .from(jobs)
    .where(and(eq(jobs.subjectId, masterId), eq(jobs.kind, 'prepare'), isOpen));
  const changed: JobRow[] = [];
  for (const { id } of open) {
    const stopped = await ws.runner.cancelIn(tx, id);
    if (stopped) changed.push(stopped);
  }
  // One that was stopped has said that the film cannot be used; the new one takes its place.
  if (changed.length)
    await tx
      .update(masters)
      .set({ state: row.state, problem: row.problem, proxy: row.proxy })
      .where(eq(masters.id, masterId));
  const { productionId, name } = row;
  const job = await ws.runner.add(tx, { kind: 'prepare', productionId, subjectId: masterId, label: name });
  return [...changed, job];
}

/** What is still missing of a film; null where it was removed, or is being read anew. */
export async function prepareOrder(ws: Workspace, job: JobRow): Promise<Result<PrepareOrder | null>> {
  const row = await masterBy(ws, job.subjectId);
  if (!isRead(row)) return ok(null);
  const film = await openMaster(ws, row);
  if (!film.ok) return film;
  const known = await readAnalysis(ws.storage, row.sha256);
  if (known) await keepShots(ws, row, known.shots);
  const { facts, sha256, proxy } = row;
  return ok({
    row,
    path: film.value,
    what: {
      facts,
      sha256,
      shots: (row.shotsAssumed ? null : row.shots) ?? known?.shots ?? null,
      find: !known,
      measure: lacksLoudness(facts),
      copy: proxy === 'wanted' || proxy === 'helpful' ? proxy : 'no',
    },
  });
}

/** Whether a film has a sound that was not measured yet. */
export const lacksLoudness = ({ audio }: MasterFacts): boolean => audio !== null && audio.loudness === null;

/**
 * Takes in one thing that came of preparing a film; its files lie in their places. Throws `Cancelled` where the master
 * shows another film by now.
 */
export async function takeInPart(ws: Workspace, film: ReadMaster, part: PreparedPart): Promise<void> {
  switch (part.part) {
    case 'shots':
      if (part.found) await writeAnalysis(ws.storage, film.sha256, part.found);
      return keepShots(ws, film, part.found?.shots ?? null);
    case 'loudness': {
      const { audio } = film.facts;
      if (audio)
        await save(ws, film, { facts: { ...film.facts, audio: { ...audio, loudness: part.loudness } } });
      return;
    }
    case 'still':
      // It lies where stills are looked for, and no row tells of it.
      return;
    case 'proxy':
      return save(ws, film, { proxy: part.path === null ? 'not-needed' : 'made' });
  }
}

/** Where the stills of a film lie, their folder made. */
export async function placeForStills(
  { storage }: Pick<Workspace, 'storage'>,
  film: ReadMaster,
): Promise<(frame: number) => string> {
  const at = (frame: number) => stillPath(storage, film.id, film.fileGeneration, frame);
  await mkdir(dirname(at(0)), { recursive: true });
  return at;
}

/** What follows from a film's having been prepared. Harmless to do again. */
export async function prepared(ws: Workspace, masterId: string): Promise<void> {
  if (ws.looking === 'at-once') await wantLook(ws, masterId);
  await wantMatches(ws, masterId);
  // The same bytes may have been looked at before.
  await lookedAt(ws, masterId);
}

/**
 * Gives a film the shots that were found where it has none, or only one because none could be found before; and what was
 * made for the film before it, if it has taken its place. Null: none could be found.
 */
async function keepShots(ws: Workspace, film: ReadMaster, found: readonly Shot[] | null): Promise<void> {
  const now = await masterBy(ws, film.id);
  if (!now || (now.shots !== null && !(now.shotsAssumed && found))) return;
  // It was looked at as if it were one shot.
  if (now.shotsAssumed) await forgetLook(ws.storage, film.sha256);
  await save(ws, film, {
    shots: [...(found ?? oneShot)],
    shotsAssumed: found === null,
    revision: now.revision + 1,
  });
  const cut = await masterBy(ws, film.id);
  if (!cut?.before) return;
  await carryOver(ws, cut, cut.before);
  await tellProduction(ws, film.productionId);
}

/** Writes to a master's row as long as it is still about the film that is being prepared. */
async function save(
  ws: Workspace,
  film: ReadMaster,
  change: Partial<typeof masters.$inferInsert>,
): Promise<void> {
  const [written] = await ws.db
    .update(masters)
    .set(change)
    .where(
      and(
        eq(masters.id, film.id),
        eq(masters.fileGeneration, film.fileGeneration),
        eq(masters.sha256, film.sha256),
      ),
    )
    .returning({ id: masters.id });
  if (!written) throw new Cancelled();
  await tellProduction(ws, film.productionId);
}
