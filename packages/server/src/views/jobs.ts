import { desc, eq } from 'drizzle-orm';
import type { Job } from '@mivvy/api';
import { jobs } from '../db/schema.ts';
import { jobColumns } from '../jobs/runner.ts';
import type { Workspace } from '../workspace.ts';

/** So many jobs of a production are kept once they have ended, and so many are listed. */
export const mostJobs = 200;

/** A production's jobs, newest first. */
export async function jobsOf(ws: Pick<Workspace, 'db'>, productionId: string): Promise<Job[]> {
  return ws.db
    .select(jobColumns)
    .from(jobs)
    .where(eq(jobs.productionId, productionId))
    .orderBy(desc(jobs.createdAt), desc(jobs.id))
    .limit(mostJobs);
}
