import { eq } from 'drizzle-orm';
import type { MasterFacts } from '@mivvy/core';
import type { Writer } from '../db/database.ts';
import { cuts, masters, productions, versions } from '../db/schema.ts';
import { refuse } from '../http/problems.ts';

type MasterRow = typeof masters.$inferSelect;
type VersionRow = typeof versions.$inferSelect;
type CutRow = typeof cuts.$inferSelect;
type ProductionRow = typeof productions.$inferSelect;

/** A production's row; refuses the request where it is not there. */
export async function findProduction(db: Writer, id: string): Promise<ProductionRow> {
  const [row] = await db.select().from(productions).where(eq(productions.id, id));
  return (
    row ?? refuse(404, 'not-found', 'That production is not here any more.', 'Go back to all productions.')
  );
}

/** A master's row; refuses the request where it is not there. */
export async function findMaster(db: Writer, id: string): Promise<MasterRow> {
  const [row] = await db.select().from(masters).where(eq(masters.id, id));
  return row ?? refuse(404, 'not-found', 'That master is not here any more.');
}

/** A master whose facts are known. */
export type ReadMasterRow = MasterRow & { facts: MasterFacts };

/** A master that could be read, with its facts; refuses the request where it could not. */
export async function findReadMaster(db: Writer, id: string): Promise<ReadMasterRow> {
  return readMaster(await findMaster(db, id));
}

/** The same of a row that is there; refuses the request where the film could not be read. */
export function readMaster(row: MasterRow): ReadMasterRow {
  if (!row.facts)
    return refuse(409, 'master-failed', 'This master cannot be used.', row.problem?.sentence ?? '');
  return { ...row, facts: row.facts };
}

/** A version's row with its master's; refuses the request where it is not there. */
export async function findVersion(
  db: Writer,
  id: string,
): Promise<{ version: VersionRow; master: MasterRow }> {
  const [row] = await db
    .select()
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .where(eq(versions.id, id));
  return row
    ? { version: row.versions, master: row.masters }
    : refuse(404, 'not-found', 'That version is not here any more.');
}

/** A cut's row with its master's; refuses the request where it is not there. */
export async function findCut(db: Writer, id: string): Promise<{ cut: CutRow; master: ReadMasterRow }> {
  const [cut] = await db.select().from(cuts).where(eq(cuts.id, id));
  if (!cut) return refuse(404, 'not-found', 'That cut is not here any more.');
  return { cut, master: await findReadMaster(db, cut.masterId) };
}
