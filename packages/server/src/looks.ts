import { readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { eq, sql } from 'drizzle-orm';
import writeFileAtomic from 'write-file-atomic';
import { subjectScanSchema, type SubjectScan } from '@mivvy/core';
import type { LookView } from '@mivvy/api';
import { jobs, masters } from './db/schema.ts';
import type { Storage } from './storage.ts';
import { tellLook } from './tell.ts';
import type { Workspace } from './workspace.ts';

const fileOf = (storage: Storage, sha256: string) => join(storage.analysis, `${sha256}.look.json`);

/** What is being seen in films at this moment, by the sum of their bytes: whole only when the looking has ended. */
const growing = new Map<string, SubjectScan>();

/** Shows what has been seen so far, or lets go of it. */
export function showGrowing(sha256: string, look: SubjectScan | null): void {
  if (look) growing.set(sha256, look);
  else growing.delete(sha256);
}

/** What was seen in a film, once it has been looked at whole: the same bytes are never looked at twice. */
export async function readLook(storage: Storage, sha256: string): Promise<SubjectScan | undefined> {
  const text = await readFile(fileOf(storage, sha256), 'utf8').catch(() => undefined);
  if (text === undefined) return undefined;
  try {
    const parsed = subjectScanSchema.safeParse(JSON.parse(text));
    return parsed.success ? parsed.data : undefined;
  } catch {
    // Half a file is no file: the film is looked at again.
    return undefined;
  }
}

export async function writeLook(storage: Storage, sha256: string, look: SubjectScan): Promise<void> {
  await writeFileAtomic(fileOf(storage, sha256), JSON.stringify(look));
}

/** Forgets what was seen in a film, so that it is looked at again. */
export const forgetLook = (storage: Storage, sha256: string): Promise<void> =>
  rm(fileOf(storage, sha256), { force: true });

/** What was seen in a master, as the API shows it. */
export async function lookView(
  ws: Pick<Workspace, 'db' | 'storage'>,
  row: typeof masters.$inferSelect,
): Promise<LookView> {
  const of = row.shots?.length ?? 1;
  const view = (state: LookView['state'], look?: SubjectScan): LookView => ({
    masterId: row.id,
    state,
    looked: look?.shots.length ?? 0,
    of: Math.max(of, look?.shots.length ?? 0),
    detector: look?.detector ?? { kind: 'off' },
    shots: look?.shots ?? [],
    drawn: row.drawn,
  });
  const done = row.sha256 === null ? undefined : await readLook(ws.storage, row.sha256);
  if (done) return view('done', done);
  const [job] = await ws.db
    .select()
    .from(jobs)
    .where(sql`${jobs.subjectId} = ${row.id} and ${jobs.kind} = 'look'`)
    .orderBy(sql`${jobs.createdAt} desc`)
    .limit(1);
  if (!job) return view('not-looked');
  const look = row.sha256 === null ? undefined : growing.get(row.sha256);
  switch (job.state) {
    case 'queued':
      return view('waiting', look);
    case 'running':
      return view('looking', look);
    case 'failed':
      return view('failed', look);
    case 'cancelled':
    case 'done':
      // Somebody stopped it, or its file has gone since.
      return view('not-looked', look);
  }
}

/** Queues the looking at a master, unless it has been done or is on its way. */
export async function wantLook(ws: Workspace, masterId: string): Promise<void> {
  const [row] = await ws.db.select().from(masters).where(eq(masters.id, masterId));
  if (!row?.facts || row.state !== 'ready') return;
  const { state } = await lookView(ws, row);
  if (state === 'done' || state === 'waiting' || state === 'looking') return;
  await ws.runner.enqueue({
    kind: 'look',
    productionId: row.productionId,
    subjectId: row.id,
    label: row.name,
  });
  // Whoever has asked before was told that nobody looks.
  await tellLook(ws, row.id);
}
