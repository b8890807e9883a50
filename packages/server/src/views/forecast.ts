import { desc, eq } from 'drizzle-orm';
import { forecast, type MadeFile } from '@mivvy/core';
import type { VersionForecast } from '@mivvy/api';
import { cuts, deliverables, masters, versions } from '../db/schema.ts';
import { planOf } from '../plans.ts';
import { readPreferences } from '../preferences.ts';
import type { Workspace } from '../workspace.ts';

/** It is learnt from so many of the files that were made last, whichever production they belong to. */
const learntFrom = 120;

/** What each version of a production is expected to become, where its master has been read. */
export async function forecastsOf(
  ws: Pick<Workspace, 'db' | 'specs' | 'letters'>,
  productionId: string,
): Promise<VersionForecast[]> {
  const made: MadeFile[] = await ws.db
    .select({
      plan: deliverables.plan,
      bytes: deliverables.bytes,
      tookSeconds: deliverables.tookSeconds,
      effort: deliverables.effort,
    })
    .from(deliverables)
    .orderBy(desc(deliverables.madeAt))
    .limit(learntFrom);
  const { effort } = await readPreferences(ws.db);
  const rows = await ws.db
    .select({ version: versions, master: masters, cut: cuts })
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .leftJoin(cuts, eq(cuts.id, versions.cutId))
    .where(eq(versions.productionId, productionId));
  return rows.flatMap(({ version, master, cut }) => {
    const planned = planOf(ws, version, master, cut ?? undefined);
    if (!planned) return [];
    return [{ versionId: version.id, frame: planned.plan.frame, ...forecast(made, planned.plan, effort) }];
  });
}
