import { mkdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import sanitize from 'sanitize-filename';
import { browserPlays, oneShot, type Problem } from '@mivvy/core';
import { probeMaster } from '@mivvy/media';
import type { Master } from '@mivvy/api';
import { masters, productions, type FilmBefore } from './db/schema.ts';
import { forgetChanges } from './history.ts';
import { filmName, fromStored, toStored } from './storage.ts';
import { masterView } from './views.ts';
import { now, type Workspace } from './workspace.ts';

/** A film that has arrived. */
export interface Arrival {
  productionId: string;
  fileName: string;
  origin: 'upload' | 'inbox';
  /** Where it lies now. An upload is moved from there; a film in the inbox stays. */
  path: string;
  /** The master whose place it takes: its versions, framing and keeps are carried over. */
  replaces?: string | undefined;
}

/** A file that cannot take a master's place; the master stays as it was. */
export class NotReplaced extends Error {
  constructor(readonly problem: Problem) {
    super(problem.sentence);
    this.name = 'NotReplaced';
  }
}

/** Moves an upload to its place among the originals; a film in the inbox stays where it lies. */
async function settleFile(ws: Workspace, arrival: Arrival, folder: string): Promise<string> {
  if (arrival.origin !== 'upload') return arrival.path;
  const dir = join(ws.storage.originals, folder);
  await mkdir(dir, { recursive: true });
  const path = join(dir, sanitize(arrival.fileName).slice(-200) || 'film');
  await rename(arrival.path, path);
  return path;
}

/**
 * Takes a film into a production: its headers are read at once, so that it can be proofed and framed, and a job reads
 * it through. A file that cannot be used is listed too, with the reason.
 */
export async function takeMaster(ws: Workspace, arrival: Arrival): Promise<Master> {
  if (arrival.replaces) return replaceMaster(ws, arrival, arrival.replaces);
  const id = nanoid(10);
  const path = await settleFile(ws, arrival, id);
  const probed = await probeMaster(path);
  const [row] = await ws.db.insert(masters).values({
    id, productionId: arrival.productionId, name: filmName(arrival.fileName), fileName: arrival.fileName, origin: arrival.origin,
    path: toStored(ws.storage, path), bytes: probed.ok ? probed.value.bytes : 0, createdAt: now(),
    state: probed.ok ? 'ready' : 'failed', facts: probed.ok ? probed.value : null, problem: probed.ok ? null : probed.problem,
    proxy: probed.ok && !browserPlays(probed.value) ? 'wanted' : 'not-needed',
  }).returning();
  await ws.db.update(productions).set({ updatedAt: now() }).where(eq(productions.id, arrival.productionId));
  if (probed.ok) await ws.runner.enqueue({ kind: 'ingest', productionId: arrival.productionId, subjectId: id, label: row!.name });
  ws.events.tell({ kind: 'production', productionId: arrival.productionId });
  ws.events.tell({ kind: 'productions' });
  return (await masterView(ws, id))!;
}

/** Puts a new file in a master's place. A file that cannot be used changes nothing. */
async function replaceMaster(ws: Workspace, arrival: Arrival, id: string): Promise<Master> {
  const [old] = await ws.db.select().from(masters).where(eq(masters.id, id));
  if (!old || old.productionId !== arrival.productionId) throw new NotReplaced({ code: 'not-found', sentence: 'The master to be replaced is not in this production any more.', mend: 'Bring the film in as a new master.' });
  const probed = await probeMaster(arrival.path);
  if (!probed.ok) throw new NotReplaced({ ...probed.problem, sentence: `“${old.name}” was not replaced. ${probed.problem.sentence}` });
  await ws.runner.forget([id]);
  const take = old.take + 1;
  // Each take has a folder of its own, so that nothing that still reads the old file is disturbed.
  const path = await settleFile(ws, arrival, join(id, String(take)));
  const before: FilmBefore | null = old.before ?? (old.facts ? { name: old.fileName, shots: old.shots ?? [...oneShot], frames: old.facts.video.frames, rate: old.facts.video.rate, displayed: old.facts.video.displayed, sha256: old.sha256 } : null);
  await ws.db.update(masters).set({
    fileName: arrival.fileName, origin: arrival.origin, path: toStored(ws.storage, path), bytes: probed.value.bytes, state: 'ready', facts: probed.value, sha256: null, problem: null,
    proxy: browserPlays(probed.value) ? 'not-needed' : 'wanted', hasPoster: false, take, shots: null, drawn: [], before, carried: null, revision: old.revision + 1,
  }).where(eq(masters.id, id));
  await forgetChanges(ws.db, [id]);
  if (old.origin === 'upload') await rm(fromStored(ws.storage, old.path), { force: true });
  await ws.runner.enqueue({ kind: 'ingest', productionId: old.productionId, subjectId: id, label: old.name });
  ws.events.tell({ kind: 'production', productionId: old.productionId });
  return (await masterView(ws, id))!;
}
