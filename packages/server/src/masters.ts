import { mkdir, rename } from 'node:fs/promises';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import sanitize from 'sanitize-filename';
import { browserPlays } from '@mivvy/core';
import { probeMaster } from '@mivvy/media';
import type { Master } from '@mivvy/api';
import { masters, productions } from './db/schema.ts';
import { filmName, toStored } from './storage.ts';
import { toMaster } from './views.ts';
import { now, type Workspace } from './workspace.ts';

/** A film that has arrived. */
export interface Arrival {
  productionId: string;
  fileName: string;
  origin: 'upload' | 'inbox';
  /** Where it lies now. An upload is moved from there; a film in the inbox stays. */
  path: string;
}

/**
 * Takes a film into a production: its headers are read at once, so that it can be proofed and framed, and a job reads
 * it through. A file that cannot be used is listed too, with the reason.
 */
export async function takeMaster(ws: Workspace, arrival: Arrival): Promise<Master> {
  const id = nanoid(10);
  let path = arrival.path;
  if (arrival.origin === 'upload') {
    const dir = join(ws.storage.originals, id);
    await mkdir(dir, { recursive: true });
    path = join(dir, sanitize(arrival.fileName).slice(-200) || 'film');
    await rename(arrival.path, path);
  }
  const probed = await probeMaster(path);
  const [row] = await ws.db.insert(masters).values({
    id, productionId: arrival.productionId, name: filmName(arrival.fileName), fileName: arrival.fileName, origin: arrival.origin,
    path: toStored(ws.storage, path), bytes: probed.ok ? probed.value.bytes : 0, createdAt: now(), stills: 0,
    state: probed.ok ? 'ready' : 'failed', facts: probed.ok ? probed.value : null, problem: probed.ok ? null : probed.problem,
    proxy: probed.ok && !browserPlays(probed.value) ? 'wanted' : 'not-needed',
  }).returning();
  await ws.db.update(productions).set({ updatedAt: now() }).where(eq(productions.id, arrival.productionId));
  const job = probed.ok ? await ws.runner.enqueue({ kind: 'ingest', productionId: arrival.productionId, subjectId: id, label: row!.name }) : undefined;
  ws.events.tell({ kind: 'production', productionId: arrival.productionId });
  ws.events.tell({ kind: 'productions' });
  return toMaster(row!, job);
}
