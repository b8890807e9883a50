import { readdir, readFile, rm, stat } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import { and, asc, desc, eq, isNull, lt, notInArray, or, sql } from 'drizzle-orm';
import * as z from 'zod';
import { freeName, nameKey } from '@mivvy/core';
import { sha256File } from '@mivvy/media';
import {
  arrivals,
  changes,
  cuts,
  deliverables,
  dispatches,
  jobs,
  masters,
  productions,
  versions,
} from '../db/schema.ts';
import { settleArrivals, takeUpload } from '../masters.ts';
import { deliverablePath, filesOfExport, fromStored, toStored } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { sweepDoomed } from './doomed.ts';
import { markOf } from './known-file.ts';
import { moveFile } from './move-file.ts';

/** Uploads that are not ended are kept so long, so that they can go on after a break; milliseconds. */
export const keepUnfinishedMs = 7 * 24 * 3600 * 1000;

/** What the upload store notes beside each upload. */
const uploadNoteSchema = z.object({
  id: z.string(),
  size: z.number().optional(),
  metadata: z.record(z.string(), z.string().nullable()).optional(),
  creation_date: z.string().optional(),
});

/**
 * Puts a data folder right before anything runs in it: what a release before this one confused, what a crash left half
 * done, and what belongs to nothing any more. The folder is held by this process alone.
 */
export async function putRight(ws: Workspace): Promise<void> {
  await sweepDoomed(ws);
  await sweepWork(ws);
  await namesOfTheirOwn(ws);
  await placesOfTheirOwn(ws);
  await settleArrivals(ws);
  await endWholeUploads(ws);
  await adoptOriginals(ws);
  await sweepUploads(ws);
  await sweepWithoutRows(ws);
  await readingsThatNobodyDoes(ws);
}

/** What a file is called until it is whole: here and in releases before, behind its own name. */
const isHalfWritten = (name: string) => /\.(part|\d{6,})$/.test(name);

/** What deliverables' files are called on the disk. Whatever else somebody has laid there stays. */
const ownFile = /^[\w-]{10}\.(mp4|mov|webm|jpg|png)$/;

const names = (dir: string): Promise<string[]> => readdir(dir).catch(() => []);
const remove = (path: string) => rm(path, { recursive: true, force: true });

/** Working folders: whatever lies there belonged to a job of a process that is no more. */
async function sweepWork({ storage }: Workspace): Promise<void> {
  for (const entry of await names(storage.work)) await remove(join(storage.work, entry));
}

/** Deliverables from before names were unique get their key; where two have one, the later is called differently. */
async function namesOfTheirOwn(ws: Workspace): Promise<void> {
  await ws.db.transaction(async (tx) => {
    const rows = await tx
      .select({
        id: deliverables.id,
        productionId: deliverables.productionId,
        fileName: deliverables.fileName,
      })
      .from(deliverables)
      .where(isNull(deliverables.nameKey))
      .orderBy(asc(deliverables.madeAt), asc(deliverables.id));
    const taken = new Map<string, Set<string>>();
    for (const row of rows) {
      let keys = taken.get(row.productionId);
      if (!keys) {
        const known = await tx
          .select({ key: deliverables.nameKey })
          .from(deliverables)
          .where(eq(deliverables.productionId, row.productionId));
        taken.set(row.productionId, (keys = new Set(known.flatMap((k) => (k.key === null ? [] : [k.key])))));
      }
      const fileName = freeName(row.fileName, keys);
      keys.add(nameKey(fileName));
      await tx
        .update(deliverables)
        .set({ fileName, nameKey: nameKey(fileName) })
        .where(eq(deliverables.id, row.id));
    }
  });
}

/**
 * Files that lie under their names, as they did before, move to places of their own. A file that several rows point at
 * goes to the newest whose sum it has; the others' files are gone, and that is what they then say.
 */
async function placesOfTheirOwn(ws: Workspace): Promise<void> {
  const { db, storage } = ws;
  const rows = await db
    .select({
      id: deliverables.id,
      productionId: deliverables.productionId,
      path: deliverables.path,
      bytes: deliverables.bytes,
      sha256: deliverables.sha256,
      container: sql<string>`coalesce(json_extract(${deliverables.plan}, '$.value.container'), json_extract(${deliverables.plan}, '$.container'))`,
    })
    .from(deliverables)
    .where(sql`${deliverables.path} not like '%/' || ${deliverables.id} || '.%'`)
    .orderBy(desc(deliverables.madeAt));
  const byPath = new Map<string, typeof rows>();
  for (const row of rows) byPath.set(row.path, [...(byPath.get(row.path) ?? []), row]);
  for (const [path, sharing] of byPath) {
    const from = fromStored(storage, path);
    const mark = await markOf(from);
    const candidates = sharing.filter((row) => row.bytes === mark?.bytes);
    const sum = candidates.length && sharing.length > 1 ? await sha256File(from).catch(() => null) : null;
    const owner = sharing.length === 1 ? sharing[0] : candidates.find((row) => row.sha256 === sum);
    for (const row of sharing) {
      const to = deliverablePath(storage, row.productionId, row.id, row.container);
      if (row === owner && mark) await moveFile(from, to);
      await db
        .update(deliverables)
        .set({ path: toStored(storage, to), ...(row === owner && sum ? { mark: await markOf(to) } : {}) })
        .where(eq(deliverables.id, row.id));
    }
    if (sharing.length > 1)
      ws.log.warn(
        { path, rows: sharing.length, kept: owner?.id ?? null },
        'several files had one place; those without a file say so',
      );
  }
}

async function uploadNotes({ storage }: Pick<Workspace, 'storage'>) {
  const found: { id: string; note: z.infer<typeof uploadNoteSchema>; bytes: number | null }[] = [];
  for (const entry of await names(storage.uploads)) {
    if (!entry.endsWith('.json')) continue;
    const text = await readFile(join(storage.uploads, entry), 'utf8').catch(() => '');
    const note = uploadNoteSchema.safeParse(parsed(text));
    const id = entry.slice(0, -'.json'.length);
    const info = await stat(join(storage.uploads, id)).catch(() => null);
    if (note.success) found.push({ id, note: note.data, bytes: info?.size ?? null });
  }
  return found;
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

/** Uploads whose last byte came in before the server died become masters now. */
async function endWholeUploads(ws: Workspace): Promise<void> {
  for (const { id, note, bytes } of await uploadNotes(ws)) {
    if (bytes === null || bytes !== note.size || bytes === 0) continue;
    await endUpload(ws, id, note.metadata ?? {}, bytes).catch((error: unknown) =>
      ws.log.error({ err: error, upload: id }, 'an upload that is whole could not be taken'),
    );
  }
}

/** Turns an upload into a master and forgets the store's note about it. */
export async function endUpload(
  ws: Workspace,
  id: string,
  metadata: Record<string, string | null>,
  bytes: number,
): Promise<void> {
  const { productionId, filename, replaces } = metadata;
  await takeUpload(ws, {
    id,
    path: join(ws.storage.uploads, id),
    productionId: productionId ?? '',
    fileName: filename ?? 'film',
    bytes,
    replaces: replaces ?? undefined,
  });
  await rm(join(ws.storage.uploads, `${id}.json`), { force: true });
}

/**
 * Films among the originals that no row knows: an upload that an earlier release had moved when it died still has its
 * note, and goes on from there; any other is laid into the inbox, from where it can be brought in again.
 */
async function adoptOriginals(ws: Workspace): Promise<void> {
  const { db, storage } = ws;
  const known = new Set(
    [
      ...(await db.select({ path: masters.path }).from(masters)),
      ...(await db.select({ path: arrivals.path }).from(arrivals)),
    ].map((row) => fromStored(storage, row.path)),
  );
  const ids = new Set((await db.select({ id: masters.id }).from(masters)).map((row) => row.id));
  const notes = (await uploadNotes(ws)).filter((upload) => upload.bytes === null);
  for (const folder of await names(storage.originals)) {
    for (const file of await filesBelow(join(storage.originals, folder))) {
      if (known.has(file)) continue;
      // An older film of a master that is there.
      if (ids.has(folder)) {
        await remove(file);
        continue;
      }
      const mark = await markOf(file);
      const upload = notes.find(({ note }) => note.size === mark?.bytes && !!note.metadata?.productionId);
      if (upload) {
        await moveFile(file, join(storage.uploads, upload.id));
        await endUpload(ws, upload.id, upload.note.metadata ?? {}, mark?.bytes ?? 0).catch((error: unknown) =>
          ws.log.error({ err: error, file }, 'a film that was found could not be taken'),
        );
      } else {
        await layIntoInbox(ws, file);
      }
    }
    await removeEmpty(join(storage.originals, folder));
  }
}

async function filesBelow(path: string): Promise<string[]> {
  const entries = await readdir(path, { recursive: true, withFileTypes: true }).catch(() => []);
  return entries.filter((entry) => entry.isFile()).map((entry) => join(entry.parentPath, entry.name));
}

async function removeEmpty(path: string): Promise<void> {
  if ((await filesBelow(path)).length === 0) await remove(path);
}

async function layIntoInbox(ws: Workspace, file: string): Promise<void> {
  for (const inbox of ws.storage.inboxes) {
    const taken = new Set((await names(inbox)).map(nameKey));
    const to = join(inbox, freeName(basename(file), taken));
    const moved = await moveFile(file, to).then(
      () => true,
      () => false,
    );
    if (!moved) continue;
    ws.log.warn({ file: basename(to) }, 'a film that belonged to nothing was laid into the inbox');
    return;
  }
  ws.log.warn({ file }, 'a film belongs to nothing, and no inbox takes it');
}

/** Removes uploads that were given up, and those of productions that are gone. */
export async function sweepUploads(ws: Pick<Workspace, 'db' | 'storage' | 'log'>): Promise<void> {
  const { db, storage } = ws;
  const there = new Set((await db.select({ id: productions.id }).from(productions)).map((row) => row.id));
  const noted = new Set<string>();
  for (const { id, note } of await uploadNotes(ws)) {
    const born =
      Date.parse(note.creation_date ?? '') ||
      (await stat(join(storage.uploads, `${id}.json`)).catch(() => null))?.mtimeMs ||
      0;
    const over = Date.now() - born > keepUnfinishedMs;
    if (over || !there.has(note.metadata?.productionId ?? '')) {
      await remove(join(storage.uploads, id));
      await remove(join(storage.uploads, `${id}.json`));
    } else noted.add(id);
  }
  const old = new Date(Date.now() - keepUnfinishedMs).toISOString();
  await db.delete(arrivals).where(and(eq(arrivals.settled, true), lt(arrivals.createdAt, old)));
  const waiting = new Set(
    (await db.select({ id: arrivals.uploadId }).from(arrivals).where(eq(arrivals.settled, false))).map(
      (row) => row.id,
    ),
  );
  for (const entry of await names(storage.uploads)) {
    const id = entry.replace(/\.json$/, '');
    if (noted.has(id) || waiting.has(id)) continue;
    // An upload that begins at this moment writes its bytes before its note.
    const age = Date.now() - ((await stat(join(storage.uploads, entry)).catch(() => null))?.mtimeMs ?? 0);
    if (age > 60_000) await remove(join(storage.uploads, entry));
  }
}

/** Rows and files that belong to nothing any more. */
async function sweepWithoutRows(ws: Workspace): Promise<void> {
  const { db, storage } = ws;
  const subjects = [
    db.select({ id: versions.id }).from(versions),
    db.select({ id: masters.id }).from(masters),
    db.select({ id: cuts.id }).from(cuts),
    db.select({ id: dispatches.id }).from(dispatches),
  ] as const;
  await db.delete(changes).where(and(...subjects.map((ids) => notInArray(changes.subjectId, ids))));
  await db.delete(jobs).where(and(...subjects.map((ids) => notInArray(jobs.subjectId, ids))));

  const masterIds = new Map(
    (await db.select({ id: masters.id, fileGeneration: masters.fileGeneration }).from(masters)).map((row) => [
      row.id,
      row.fileGeneration,
    ]),
  );
  const jobIds = new Set((await db.select({ id: jobs.id }).from(jobs)).map((row) => row.id));
  const files = new Set(
    (await db.select({ path: deliverables.path }).from(deliverables)).flatMap((row) =>
      filesOfExport(fromStored(storage, row.path)),
    ),
  );
  const idOf = (name: string) => basename(name).split('.')[0]!;
  for (const name of await names(storage.logs))
    if (name !== 'server.log' && !jobIds.has(idOf(name))) await remove(join(storage.logs, name));
  for (const name of await names(storage.proxies))
    if (!masterIds.has(idOf(name)) || name.endsWith('.part')) await remove(join(storage.proxies, name));
  for (const name of await names(storage.stills)) {
    const fileGeneration = masterIds.get(idOf(name));
    if (fileGeneration === undefined || name.includes('.part.')) await remove(join(storage.stills, name));
    else if (!extname(name)) {
      for (const still of await names(join(storage.stills, name))) {
        if (still.includes('.part.') || Number(still.split('-')[0]) !== fileGeneration)
          await remove(join(storage.stills, name, still));
      }
    }
  }
  for (const name of await names(storage.analysis))
    if (isHalfWritten(name)) await remove(join(storage.analysis, name));
  for (const name of await names(storage.specs))
    if (isHalfWritten(name)) await remove(join(storage.specs, name));
  for (const folder of await names(storage.exports)) {
    for (const file of await filesBelow(join(storage.exports, folder)))
      if (!files.has(file) && ownFile.test(basename(file))) await remove(file);
    await removeEmpty(join(storage.exports, folder));
  }
}

/** Films that nobody is reading and that have not been read through: begun again where it was never said why not. */
async function readingsThatNobodyDoes(ws: Workspace): Promise<void> {
  const reading = ws.db
    .select({ id: jobs.subjectId })
    .from(jobs)
    .where(and(eq(jobs.kind, 'ingest'), or(eq(jobs.state, 'queued'), eq(jobs.state, 'running'))));
  const left = await ws.db
    .select()
    .from(masters)
    .where(and(eq(masters.state, 'ready'), isNull(masters.sha256), notInArray(masters.id, reading)));
  for (const row of left)
    await ws.runner.add(ws.db, {
      kind: 'ingest',
      productionId: row.productionId,
      subjectId: row.id,
      label: row.name,
    });
}
