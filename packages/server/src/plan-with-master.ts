import { eq } from 'drizzle-orm';
import type { PlacedOutlet, RenderPlan } from '@mivvy/core';
import { cuts, masters } from './db/schema.ts';
import { openMaster } from './files/master-file.ts';
import { refuse } from './http/problems.ts';
import { planOf } from './plans.ts';
import { findVersion } from './routes/find.ts';
import { drawnRow } from './textless.ts';
import type { Workspace } from './workspace.ts';

/** A version's plan as it stands, with the file that it would be made from. */
export interface PlanWithMaster {
  version: { id: string; productionId: string };
  plan: RenderPlan;
  place: PlacedOutlet;
  masterPath: string;
  master: { name: string };
}

/** Finds them; refuses the request where the master is not read, not there, or not the one that was read. */
export async function planWithMaster(ws: Workspace, versionId: string): Promise<PlanWithMaster> {
  const { version } = await findVersion(ws.db, versionId);
  const place = ws.specs.of(version);
  const [master] = await ws.db.select().from(masters).where(eq(masters.id, version.masterId));
  const [cut] = version.cutId ? await ws.db.select().from(cuts).where(eq(cuts.id, version.cutId)) : [];
  const planned = master && planOf(ws, version, master, cut);
  if (!place || !master || !planned)
    return refuse(
      409,
      'no-plan',
      'The version’s master has not been read yet.',
      'Try again when it has been.',
    );
  const row = await drawnRow(ws.db, master, planned.plan);
  if (!row) return refuse(409, 'no-film', 'The film that it is drawn from is not here any more.');
  const film = await openMaster(ws, row);
  if (!film.ok) return refuse(409, film.problem.code, film.problem.sentence, film.problem.mend);
  return { version, plan: planned.plan, place, masterPath: film.value, master: { name: master.name } };
}
