import { and, eq, sql } from 'drizzle-orm';
import type { Framing } from '@mivvy/core';
import type { Writer } from './db/database.ts';
import { versions } from './db/schema.ts';
import { remember } from './history.ts';
import { refuse } from './http/problems.ts';
import { now } from './workspace.ts';

/**
 * Frames a version anew and remembers what it was, and who did it. Only who knows the newest revision gets through.
 *
 * @param by who framed it; empty where nobody said, or nobody did
 */
export async function saveFraming(
  tx: Writer,
  id: string,
  revision: number,
  framing: Framing,
  by: string,
): Promise<typeof versions.$inferSelect> {
  const [before] = await tx.select().from(versions).where(eq(versions.id, id));
  const at = now();
  // One statement decides between two browsers.
  const [row] = await tx
    .update(versions)
    .set({ framing, framedBy: by, framedAt: at, revision: sql`${versions.revision} + 1`, updatedAt: at })
    .where(and(eq(versions.id, id), eq(versions.revision, revision)))
    .returning();
  if (!before) refuse(404, 'not-found', 'That version is not here any more.');
  if (!row)
    refuse(
      409,
      'changed-elsewhere',
      before.framedBy
        ? `This version was changed by ${before.framedBy} meanwhile.`
        : 'This version was changed in another window meanwhile.',
      'The newest framing is shown now; put yours on top if you still want it.',
    );
  await remember(tx, id, { framing: before.framing }, { framing }, at);
  return row;
}
