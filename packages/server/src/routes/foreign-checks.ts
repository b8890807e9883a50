import { createWriteStream } from 'node:fs';
import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { Router, type Request, type Response } from 'express';
import { nanoid } from 'nanoid';
import PQueue from 'p-queue';
import {
  checkFile,
  fail,
  ok,
  reportPage,
  wantedAlone,
  type CheckReport,
  type PlacedOutlet,
  type RenderPlan,
  type Result,
} from '@mivvy/core';
import { countFrames, measureFrom, probeMaster, readHead, sha256File, type FileHead } from '@mivvy/media';
import { refuse, route, queryText } from '../http/problems.ts';
import { checkedByJob } from '../checking.ts';
import { planWithMaster, type PlanWithMaster } from '../plan-with-master.ts';
import type { Workspace } from '../workspace.ts';

/** Measuring needs much of the machine: one file at a time, the others wait. */
const checking = new PQueue({ concurrency: 1 });
/** So much room is left on the disk beside a file that comes in to be checked, bytes. */
const roomToSpare = 200_000_000;
const unreadable = fail<never>(
  'not-checked',
  'That file holds no picture that can be read.',
  'Choose a finished film.',
);

/** The route that checks a file which was made elsewhere; nothing of it is kept. */
export function foreignCheckRoutes(ws: Workspace): Router {
  const router = Router();
  router.post(
    '/checks',
    route((req, res) => checkForeign(ws, req, res)),
  );
  return router;
}

/** What a foreign file is held against: a version with its film, or a placement alone. */
type Against = { place: PlacedOutlet; version: PlanWithMaster | null };

async function readAgainst(ws: Workspace, req: Request): Promise<Against> {
  const versionId = queryText(req, 'version');
  if (versionId !== undefined) {
    const version = await planWithMaster(ws, versionId);
    return { place: version.place, version };
  }
  const id = queryText(req, 'placement') ?? '';
  const place = ws.specs.find(id);
  return place
    ? { place, version: null }
    : refuse(404, 'not-found', `The spec book has no placement “${id}”.`);
}

/** Measures a file and holds it against a placement alone. */
async function reportAlone(
  head: FileHead,
  { placement }: PlacedOutlet,
  signal: AbortSignal,
): Promise<Result<{ plan: RenderPlan; report: CheckReport }>> {
  const measured = await measureFrom(head, signal);
  if (!measured.ok) return unreadable;
  const quick = await probeMaster(head.path, signal);
  const facts = quick.ok ? await countFrames(head.path, quick.value, signal) : quick;
  if (!facts.ok) return facts;
  const wanted = wantedAlone(facts.value, placement);
  return ok({ plan: wanted.plan, report: checkFile(wanted, measured.value, { placement }) });
}

/** Measures a file and holds it against what is wanted. */
async function reportOn(
  ws: Workspace,
  file: { path: string; sha256: string; name: string },
  { place, version }: Against,
  signal: AbortSignal,
): Promise<Result<{ plan: RenderPlan; report: CheckReport }>> {
  const head = await readHead(file.path, signal);
  if (!head.ok) return unreadable;
  if (!version) return checking.add(() => reportAlone(head.value, place, signal), { throwOnTimeout: true });
  const { plan, masterPath } = version;
  const order = { file, plan, placement: place.placement, masterPath };
  const report = await checkedByJob(ws, { version: version.version, name: file.name }, order, signal);
  return report.ok ? ok({ plan, report: report.value }) : report;
}

async function checkForeign(ws: Workspace, req: Request, res: Response): Promise<void> {
  const against = await readAgainst(ws, req);
  const bytes = Number(req.get('content-length') ?? 0);
  if (bytes + roomToSpare > (await ws.freeBytes()))
    refuse(
      507,
      'disk-full',
      'There is no room on the disk for that file.',
      'Make room, then check it again.',
    );
  const folder = join(ws.storage.work, `check-${nanoid(8)}`);
  const gone = new AbortController();
  res.once('close', () => gone.abort());
  try {
    await mkdir(folder, { recursive: true });
    const path = join(folder, 'file');
    await pipeline(req, createWriteStream(path));
    const file = queryText(req, 'name')?.slice(0, 255) ?? 'file';
    const sha256 = await sha256File(path, gone.signal);
    const made = await reportOn(ws, { path, sha256, name: file }, against, gone.signal);
    if (!made.ok) refuse(422, made.problem.code, made.problem.sentence, made.problem.mend);
    const { plan, report } = made.value;
    const { outlet, placement } = against.place;
    const place = `${outlet.name}, ${placement.name}`;
    const page = reportPage({
      file,
      sha256,
      place,
      master: against.version?.master.name ?? null,
      plan,
      report,
    });
    res.json({ file, sha256, place, passed: report.passed, checks: report.checks, rate: plan.rate, page });
  } catch (error) {
    // Whoever asked has left: there is nobody to tell.
    if (!gone.signal.aborted) throw error;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
