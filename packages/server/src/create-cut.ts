import { nanoid } from 'nanoid';
import type { Played } from '@mivvy/core';
import type { Writer } from './db/database.ts';
import { cuts, type masters } from './db/schema.ts';
import { now } from './workspace.ts';

/** Adds a cut to a master; its id is the answer. The spans must have been checked. */
export async function createCut(
  db: Writer,
  master: typeof masters.$inferSelect,
  { name, kept, pace, joinMs }: Played & { name: string },
): Promise<string> {
  const id = nanoid(10);
  await db.insert(cuts).values({
    id,
    productionId: master.productionId,
    masterId: master.id,
    name,
    kept: [...kept],
    pace,
    joinMs,
    createdAt: now(),
  });
  return id;
}
