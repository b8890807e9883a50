import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Router, type Request, type Response } from 'express';
import { nanoid } from 'nanoid';
import PQueue from 'p-queue';
import { deliveredSpan, stripPlan, type RenderPlan, type Result } from '@mivvy/core';
import { effortsAskedSchema, stripAskedSchema, type Strip, type StripAsked } from '@mivvy/api';
import { drawStrip, encodeStrip, measureEfforts } from '@mivvy/media';
import { mediaTypes } from '../http/media-types.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { planWithMaster } from '../plan-with-master.ts';
import { writePreferences } from '../preferences.ts';
import { graphicPath } from '../storage.ts';
import { now, type Workspace } from '../workspace.ts';

/** Strips need much of the machine: one at a time, the others wait. */
const encoding = new PQueue({ concurrency: 1 });
/** A strip's length, and that of what efforts are measured on, seconds. */
const stripSeconds = 5;
const measuredSeconds = 3;
/** So many strips can still be looked at; older ones go. */
const mostKept = 4;

/** A strip that can be looked at. */
interface KeptStrip {
  folder: string;
  container: RenderPlan['container'];
}
const wayNames = ['first', 'second'] as const;

/** Routes of test strips: a few seconds encoded as a version would be, before all of it is. */
export function stripRoutes(ws: Workspace): Router {
  const router = Router();
  const kept = new Map<string, KeptStrip>();
  router.post(
    '/versions/:id/strip',
    route((req, res) => makeStrip(ws, kept, req, res)),
  );
  router.get(
    '/strips/:id/:film',
    route((req, res) => sendFilm(kept, req, res)),
  );
  router.post(
    '/efforts',
    route((req, res) => measure(ws, req, res)),
  );
  return router;
}

/** What was made, or the request refused in the problem's words. */
function made<T>(result: Result<T>): T {
  if (result.ok) return result.value;
  const { code, sentence, mend } = result.problem;
  return refuse(code === 'disk-full' ? 507 : 422, code, sentence, mend);
}

/** Runs something long for whoever asked; when they leave it is stopped and their folder goes. */
async function forAsker(
  ws: Workspace,
  res: Response,
  work: (folder: string, signal: AbortSignal) => Promise<'kept' | 'done'>,
): Promise<void> {
  const folder = join(ws.storage.work, `strip-${nanoid(8)}`);
  const gone = new AbortController();
  res.once('close', () => gone.abort());
  let end: 'kept' | 'done' = 'done';
  try {
    end = await encoding.add(() => work(folder, gone.signal), { throwOnTimeout: true });
  } catch (error) {
    // Whoever asked has left: there is nobody to tell.
    if (!gone.signal.aborted) throw error;
  } finally {
    if (end === 'done') await rm(folder, { recursive: true, force: true });
  }
}

async function makeStrip(
  ws: Workspace,
  kept: Map<string, KeptStrip>,
  req: Request,
  res: Response,
): Promise<void> {
  const asked = bodyOf(stripAskedSchema, req);
  const { plan: whole, masterPath } = await planWithMaster(ws, param(req));
  if (asked.from >= whole.frames)
    refuse(422, 'no-frame', 'The version has ended by then.', 'Choose an earlier place.');
  await forAsker(ws, res, async (folder, signal) => {
    const plan = stripPlan(whole, deliveredSpan(whole, asked.from, stripSeconds));
    const options = {
      masterPath,
      folder,
      graphicPath: (what: Parameters<typeof graphicPath>[1]) => graphicPath(ws.storage, what),
      signal,
    };
    const drawn = made(await drawStrip(plan, options));
    const ways: Strip['ways'] = [];
    for (const [i, way] of asked.ways.entries()) {
      const { path: _path, ...measured } = made(
        await encodeStrip(inWay(plan, way), { name: wayNames[i]!, effort: way.effort, drawn }, options),
      );
      ways.push({ ...way, ...measured });
    }
    const id = nanoid(10);
    kept.set(id, { folder, container: plan.container });
    for (const [old, strip] of [...kept].slice(0, -mostKept)) {
      kept.delete(old);
      await rm(strip.folder, { recursive: true, force: true });
    }
    const { frames, rate, frame: frameSize } = plan;
    res.json({ id, from: asked.from, frames, rate, frameSize, ways } satisfies Strip);
    return 'kept';
  });
}

/** A strip's plan with the sharpening of one way of making it. */
function inWay({ sharpen: _sharpen, ...plan }: RenderPlan, way: StripAsked['ways'][number]): RenderPlan {
  return way.sharpen === null ? plan : { ...plan, sharpen: way.sharpen };
}

async function sendFilm(kept: ReadonlyMap<string, KeptStrip>, req: Request, res: Response): Promise<void> {
  const strip = kept.get(param(req));
  const film = param(req, 'film');
  const isWay = (wayNames as readonly string[]).includes(film);
  if (!strip || !(isWay || film === 'drawn'))
    return refuse(404, 'not-found', 'That strip is not here any more.', 'Make it again.');
  const container = isWay ? strip.container : 'mp4';
  await send(res, join(strip.folder, `${film}.${container}`), {
    'Content-Type': mediaTypes[container],
    'Cache-Control': 'no-store',
  });
}

async function measure(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { versionId } = bodyOf(effortsAskedSchema, req);
  const { plan: whole, masterPath, master } = await planWithMaster(ws, versionId);
  await forAsker(ws, res, async (folder, signal) => {
    // From the middle: films begin and end with less to see.
    const plan = stripPlan(whole, deliveredSpan(whole, Math.floor(whole.frames / 2), measuredSeconds));
    const gains = made(
      await measureEfforts(plan, {
        masterPath,
        folder,
        graphicPath: (what) => graphicPath(ws.storage, what),
        signal,
      }),
    );
    const effortMeasured = { at: now(), film: master.name, codec: plan.video.codec, gains };
    const next = await writePreferences(ws.db, { effortMeasured });
    ws.events.tell({ kind: 'workspace' });
    res.json(next);
    return 'done';
  });
}
