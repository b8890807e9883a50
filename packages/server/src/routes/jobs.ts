import { open } from 'node:fs/promises';
import { Router } from 'express';
import { eq } from 'drizzle-orm';
import { jobMoveSchema } from '@mivvy/api';
import { ownFaultCode } from '@mivvy/core';
import { faultReport } from '@mivvy/media';
import { jobs } from '../db/schema.ts';
import { bodyOf, param, refuse, route, windowOf } from '../http/problems.ts';
import { logHeading } from '../jobs/export.ts';
import { jobColumns, toJob } from '../jobs/runner.ts';
import { logPath } from '../storage.ts';
import { tellProduction } from '../tell.ts';
import { jobsOf } from '../views/jobs.ts';
import type { Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** The end of a long log is what tells why; bytes. */
const mostLog = 400_000;

/** Routes of jobs: a production's, stopping one, starting one again, and what its tools have said. */
export function jobRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/productions/:id/jobs',
    route(async (req, res) => {
      const { id } = await findProduction(ws.db, param(req));
      res.json(await jobsOf(ws, id));
    }),
  );

  router.post(
    '/jobs/:id/cancel',
    route(async (req, res) => {
      const row = await ws.runner.cancel(param(req));
      if (!row) refuse(409, 'not-running', 'That job is not running any more.');
      await tellProduction(ws, row.productionId, windowOf(req));
      res.json(toJob(row));
    }),
  );

  router.post(
    '/jobs/:id/move',
    route(async (req, res) => {
      const { before } = bodyOf(jobMoveSchema, req);
      const rows = await ws.runner.move(param(req), before);
      if (rows.length === 0) refuse(409, 'not-waiting', 'That job does not wait any more.');
      res.json(rows.map(toJob));
    }),
  );

  router.post(
    '/jobs/:id/retry',
    route(async (req, res) => {
      const row = await ws.runner.retry(param(req));
      if (!row) refuse(409, 'not-ended', 'That job has not failed, so it cannot be started again.');
      await tellProduction(ws, row.productionId, windowOf(req));
      res.json(toJob(row));
    }),
  );

  router.get(
    '/jobs/:id/log',
    route(async (req, res) => {
      const [row] = await ws.db
        .select(jobColumns)
        .from(jobs)
        .where(eq(jobs.id, param(req)));
      if (!row) refuse(404, 'not-found', 'That job is not here any more.');
      const log = await endOf(logPath(ws.storage, row.id));
      // The data folder's place on this machine is nobody's business.
      res.type('text/plain').send(logHeading(row.problem) + log.replaceAll(ws.storage.root, '…'));
    }),
  );

  router.get(
    '/jobs/:id/fault-report',
    route(async (req, res) => {
      const [row] = await ws.db
        .select()
        .from(jobs)
        .where(eq(jobs.id, param(req)));
      if (row?.problem?.code !== ownFaultCode)
        refuse(404, 'not-found', 'That job did not stop by a fault of Mivvy.');
      const { problem, asked } = row;
      const report = await faultReport({
        problem,
        plan: asked?.plan ?? null,
        placement: asked?.placement ?? null,
        logFile: logPath(ws.storage, row.id),
        folders: [ws.storage.root],
      });
      res.attachment(`mivvy-fault-${row.id}.json`).type('json').send(report);
    }),
  );

  return router;
}

/** The end of a log; nothing of a long one is read but that. */
async function endOf(path: string): Promise<string> {
  try {
    await using file = await open(path);
    const { size } = await file.stat();
    const start = Math.max(0, size - mostLog);
    const { buffer, bytesRead } = await file.read(Buffer.alloc(size - start), 0, size - start, start);
    const end = buffer.toString('utf8', 0, bytesRead);
    return start > 0 ? `… the first ${start} bytes are left out\n${end}` : end;
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    return code === 'ENOENT'
      ? 'The tools have said nothing yet.\n'
      : `The log is there and could not be read (${code ?? 'no reason given'}).\n`;
  }
}
