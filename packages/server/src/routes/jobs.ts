import { readFile } from 'node:fs/promises';
import { Router } from 'express';
import { eq } from 'drizzle-orm';
import { jobs } from '../db/schema.ts';
import { param, refuse, route } from '../http/problems.ts';
import { logHeading } from '../jobs/export.ts';
import { toJob } from '../jobs/runner.ts';
import { logPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';

/** The end of a long log is what tells why; characters. */
const mostLog = 400_000;

/** Routes of jobs: stopping one, starting one again, and what its tools have said. */
export function jobRoutes(ws: Workspace): Router {
  const router = Router();
  const { db, events } = ws;

  router.post(
    '/jobs/:id/cancel',
    route(async (req, res) => {
      const row = await ws.runner.cancel(param(req));
      if (!row) refuse(409, 'not-running', 'That job is not running any more.');
      events.tell({ kind: 'production', productionId: row.productionId });
      res.json(toJob(row));
    }),
  );

  router.post(
    '/jobs/:id/retry',
    route(async (req, res) => {
      const row = await ws.runner.retry(param(req));
      if (!row) refuse(409, 'not-ended', 'That job has not failed, so it cannot be started again.');
      events.tell({ kind: 'production', productionId: row.productionId });
      res.json(toJob(row));
    }),
  );

  router.get(
    '/jobs/:id/log',
    route(async (req, res) => {
      const [row] = await db
        .select()
        .from(jobs)
        .where(eq(jobs.id, param(req)));
      if (!row) refuse(404, 'not-found', 'That job is not here any more.');
      const log = await readFile(logPath(ws.storage, row.id), 'utf8').catch((error: NodeJS.ErrnoException) =>
        error.code === 'ENOENT'
          ? 'The tools have said nothing yet.\n'
          : `The log is there and could not be read (${error.code ?? 'no reason given'}).\n`,
      );
      const shown =
        log.length > mostLog
          ? `… the first ${log.length - mostLog} characters are left out\n${log.slice(-mostLog)}`
          : log;
      // The data folder's place on this machine is nobody's business.
      res.type('text/plain').send(logHeading(row.problem) + shown.replaceAll(ws.storage.root, '…'));
    }),
  );

  return router;
}
