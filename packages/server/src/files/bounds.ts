import { and, desc, eq, inArray, notInArray } from 'drizzle-orm';
import { jobs } from '../db/schema.ts';
import { logPath } from '../storage.ts';
import { mostJobs } from '../views/jobs.ts';
import type { Workspace } from '../workspace.ts';
import { doom, sweepDoomed } from './doomed.ts';

const active = ['queued', 'running'] as const;

/** Lets go of jobs that ended long ago, with their logs: each production keeps its newest. */
export async function forgetOldJobs(ws: Workspace): Promise<void> {
  const used = await ws.db.selectDistinct({ id: jobs.productionId }).from(jobs);
  for (const { id } of used) {
    const goes = await ws.db.transaction(async (tx) => {
      const ended = await tx
        .select({ id: jobs.id })
        .from(jobs)
        .where(and(eq(jobs.productionId, id), notInArray(jobs.state, [...active])))
        .orderBy(desc(jobs.createdAt), desc(jobs.id));
      const ids = ended.slice(mostJobs).map((job) => job.id);
      if (ids.length === 0) return [];
      await tx.delete(jobs).where(inArray(jobs.id, ids));
      const paths = ids.map((jobId) => logPath(ws.storage, jobId));
      await doom(tx, ws, paths);
      return paths;
    });
    await sweepDoomed(ws, goes);
  }
}
