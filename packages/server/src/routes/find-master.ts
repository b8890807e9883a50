import { eq } from 'drizzle-orm';
import type { MasterFacts } from '@mivvy/core';
import type { Writer } from '../db/database.ts';
import { masters } from '../db/schema.ts';
import { refuse } from '../http/problems.ts';

type MasterRow = typeof masters.$inferSelect;

/** A master's row; refuses the request where it is not there. */
export async function findMaster(db: Writer, id: string): Promise<MasterRow> {
  const [row] = await db.select().from(masters).where(eq(masters.id, id));
  return row ?? refuse(404, 'not-found', 'That master is not here any more.');
}

/** A master that could be read, with its facts; refuses the request where it could not. */
export async function findReadMaster(db: Writer, id: string): Promise<MasterRow & { facts: MasterFacts }> {
  const row = await findMaster(db, id);
  if (!row.facts)
    return refuse(409, 'master-failed', 'This master cannot be used.', row.problem?.sentence ?? '');
  return { ...row, facts: row.facts };
}
