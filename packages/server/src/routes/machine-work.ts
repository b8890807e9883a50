import type { Request, Response, Router } from 'express';
import {
  machineBeatSchema,
  machineEndSchema,
  machineJoinSchema,
  machinePartSchema,
  machineSessionHeader,
  machineTakeSchema,
  release,
} from '@mivvy/api';
import { locateTools } from '@mivvy/media';

import { eq } from 'drizzle-orm';
import { graphicKinds } from '@mivvy/core';
import { masters, versions } from '../db/schema.ts';
import { openMaster } from '../files/master-file.ts';
import { bodyOf, param, refuse } from '../http/problems.ts';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import { beatMs, join, machineBy, seen, type MachineRow } from '../machines/machines.ts';
import { endFor, heldJob, renewFor, takeFor } from '../machines/remote-jobs.ts';
import { takePart } from '../machines/remote-preparing.ts';
import { graphicPath } from '../storage.ts';
import { pairOf } from '../textless.ts';
import type { Workspace } from '../workspace.ts';
import { answering } from './people/answering.ts';

/** Routes for render machines: joining, drawing a job by its ticket, its film, how far it is, and how it ended. */
export function machineWorkRoutes(ws: Workspace): Router {
  const { router, on } = answering(ws);
  on('post', '/machines/join', letIn);
  on('post', '/machines/:id/beat', beat);
  on('post', '/machines/:id/take', take);
  on('get', '/machines/:id/jobs/:job/film', sendFilm);
  on('get', '/machines/:id/jobs/:job/textless', sendTextless);
  on('get', '/machines/:id/jobs/:job/file', sendFile);
  on('post', '/machines/:id/jobs/:job/parts', part);
  on('get', '/machines/:id/jobs/:job/graphics/:kind/:sha256', sendGraphic);
  on('post', '/machines/:id/jobs/:job/end', end);
  return router;
}

async function letIn(ws: Workspace, req: Request, res: Response): Promise<void> {
  if (!ws.handed)
    refuse(
      409,
      'no-queue',
      'This workspace has no queue that other machines could draw from.',
      'Start it with --queue redis://…',
    );
  const tools = await locateTools();
  if (!tools.ok) refuse(503, tools.problem.code, tools.problem.sentence, tools.problem.mend);
  const joined = await join(ws.db, bodyOf(machineJoinSchema, req), { release, ffmpeg: tools.value.version });
  if (!joined.ok) refuse(409, joined.problem.code, joined.problem.sentence, joined.problem.mend);
  ws.events.tell({ kind: 'machines' });
  res.json({ id: joined.value.id, prefix: ws.handed.prefix, beatMs, proof: ws.shareProof });
}

/** The machine that asks. */
async function asking(ws: Workspace, req: Request): Promise<MachineRow> {
  const machine = await machineBy(ws.db, param(req), req.get(machineSessionHeader) ?? '');
  if (!machine.ok) refuse(410, machine.problem.code, machine.problem.sentence, machine.problem.mend);
  return machine.value;
}

/** The job that a machine holds and asks about. */
async function askedJob(ws: Workspace, req: Request): Promise<JobRow> {
  const row = await heldJob(ws, await asking(ws, req), param(req, 'job'));
  return row ?? refuse(409, 'not-yours', 'That job is not this machine’s any more.');
}

async function beat(ws: Workspace, req: Request, res: Response): Promise<void> {
  const machine = await asking(ws, req);
  const { jobs, ...said } = bodyOf(machineBeatSchema, req);
  await seen(ws.db, machine, said);
  if (!machine.draining && !said.trouble) ws.runner.machineTakes();
  const lost: string[] = [];
  for (const { id, progress } of jobs) if (!(await renewFor(ws, machine, id, progress))) lost.push(id);
  res.json({ draining: machine.draining, atOnce: machine.atOnce, lost });
}

async function take(ws: Workspace, req: Request, res: Response): Promise<void> {
  const machine = await asking(ws, req);
  const { ticket } = bodyOf(machineTakeSchema, req);
  res.json(await takeFor(ws, machine, ticket));
}

/** The master whose film a job needs. */
async function masterOf({ db }: Workspace, job: JobRow): Promise<typeof masters.$inferSelect | undefined> {
  if (job.kind === 'match') return (await pairOf(db, job.subjectId))?.film;
  if (job.kind !== 'export' && job.kind !== 'check')
    return (await db.select().from(masters).where(eq(masters.id, job.subjectId)))[0];
  const drawn = job.textless ? eq(masters.textlessOf, versions.masterId) : eq(masters.id, versions.masterId);
  const [found] = await db
    .select({ master: masters })
    .from(versions)
    .innerJoin(masters, drawn)
    .where(eq(versions.id, job.subjectId));
  return found?.master;
}

async function sendFilm(ws: Workspace, req: Request, res: Response): Promise<void> {
  await sendMaster(ws, await masterOf(ws, await askedJob(ws, req)), res);
}

async function sendTextless(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { kind, subjectId } = await askedJob(ws, req);
  await sendMaster(ws, kind === 'match' ? (await pairOf(ws.db, subjectId))?.textless : undefined, res);
}

/** The file that is to be checked; whoever asked for that may have left. */
async function sendFile(ws: Workspace, req: Request, res: Response): Promise<void> {
  const check = ws.checks.orderOf((await askedJob(ws, req)).id);
  if (!check) return refuse(404, 'not-found', 'Nobody waits for that file to be checked any more.');
  res.sendFile(check.file.path, { dotfiles: 'allow', cacheControl: false });
}

async function sendMaster(
  ws: Workspace,
  master: typeof masters.$inferSelect | undefined,
  res: Response,
): Promise<void> {
  if (!master) return refuse(404, 'not-found', 'That film was removed meanwhile.');
  const film = await openMaster(ws, master);
  if (!film.ok) return refuse(409, film.problem.code, film.problem.sentence, film.problem.mend);
  res.sendFile(film.value, { dotfiles: 'allow', cacheControl: false });
}

async function part(ws: Workspace, req: Request, res: Response): Promise<void> {
  const [machine, row] = [await asking(ws, req), await askedJob(ws, req)];
  const brought = bodyOf(machinePartSchema, req);
  res.json({ counted: row.kind === 'prepare' && (await takePart(ws, machine, row, brought)) });
}

async function sendGraphic(ws: Workspace, req: Request, res: Response): Promise<void> {
  await askedJob(ws, req);
  const [kind, sha256] = [param(req, 'kind'), param(req, 'sha256')];
  const known = graphicKinds.find((each) => each === kind);
  if (!known || !/^[0-9a-f]{64}$/.test(sha256)) return refuse(404, 'not-found', 'There is no such picture.');
  res.sendFile(graphicPath(ws.storage, { kind: known, sha256 }), { dotfiles: 'allow', cacheControl: false });
}

async function end(ws: Workspace, req: Request, res: Response): Promise<void> {
  const machine = await asking(ws, req);
  const ended = bodyOf(machineEndSchema, req);
  res.json({ counted: await endFor(ws, machine, param(req, 'job'), ended) });
}
