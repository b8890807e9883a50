import { mkdir, readdir, readFile, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { differenceInMilliseconds } from 'date-fns';
import * as z from 'zod';
import { graphicsShown, ok, type Problem, type Result } from '@mivvy/core';
import { sha256File } from '@mivvy/media';
import type { ExportOrderForMachine, Lying, MachineEnd } from '@mivvy/api';
import { diskFullProblem, isDiskFull } from '../disk/full.ts';
import { exportOrder } from '../jobs/export-order.ts';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import { dropMade, newPlace, takeIn } from '../jobs/take-in.ts';
import { graphicPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { broughtWrong, judge } from './judge.ts';
import { ownerOf, takeOutOfService, type MachineRow } from './machines.ts';
import { placeInShare } from './share-proof.ts';

type Done = Extract<MachineEnd['ending'], { state: 'done' }>;

/** A file that a machine needs, as it is told of it. */
export async function lying(
  { storage }: Pick<Workspace, 'storage'>,
  of: { path: string; sha256: string; address: string },
): Promise<Lying> {
  return { ...of, bytes: (await stat(of.path)).size, path: placeInShare(storage, of.path) };
}

/** What an export is made of on another machine; null where its version was removed. */
export async function exportFor(
  ws: Workspace,
  row: JobRow,
  base: string,
): Promise<Result<ExportOrderForMachine | null>> {
  const ordered = await exportOrder(ws, row);
  if (!ordered.ok || !ordered.value) return ordered.ok ? ok(null) : ordered;
  const { plan, placement, masterPath } = ordered.value;
  const graphics = [];
  for (const { kind, sha256 } of graphicsShown(plan.layers ?? [])) {
    const path = graphicPath(ws.storage, { kind, sha256 });
    const address = `${base}/graphics/${kind}/${sha256}`;
    graphics.push({ kind, ...(await lying(ws, { path, sha256, address })) });
  }
  return ok({
    kind: 'export',
    jobId: row.id,
    plan,
    placement,
    effort: row.effort,
    film: await lying(ws, { path: masterPath, sha256: plan.master.sha256, address: `${base}/film` }),
    graphics,
  });
}

/** Takes in what a machine brought back. */
export async function takeBackExport(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  ending: Done,
): Promise<boolean> {
  const owner = ownerOf(machine);
  const ordered = await exportOrder(ws, row);
  if (!ordered.ok || !ordered.value) {
    const end = ordered.ok
      ? ({ state: 'done' } as const)
      : ({ state: 'failed', problem: ordered.problem } as const);
    return (await ws.runner.end(row, owner, end)) !== undefined;
  }
  const order = ordered.value;
  const right = await isWhole(ws, ending);
  const judged = right.ok
    ? await judge(ws, order, { path: uploadPath(ws, ending.film.upload), report: ending.report })
    : right;
  if (!judged.ok) {
    // What keeps the server from looking at it is not the machine's fault.
    if (judged.problem.code === broughtWrong) {
      await takeOutOfService(ws.db, machine.id, judged.problem);
      ws.events.tell({ kind: 'machines' });
    }
    await ws.runner.end(row, owner, { state: 'dropped' });
    return false;
  }
  const { id, outPath } = newPlace(ws, order);
  try {
    await mkdir(dirname(outPath), { recursive: true });
    await rename(uploadPath(ws, ending.film.upload), outPath);
    if (ending.cover)
      await rename(
        uploadPath(ws, ending.cover.upload),
        `${outPath.slice(0, -order.plan.container.length)}${ending.cover.ending}`,
      );
    const made = {
      id,
      outPath,
      bytes: ending.film.bytes,
      sha256: ending.film.sha256,
      coverSha256: ending.cover?.sha256 ?? null,
      report: ending.report,
      effort: row.effort,
      tookSeconds: Math.max(0, differenceInMilliseconds(new Date(), new Date(row.startedAt!))) / 1000,
      madeOn: machine.name,
    };
    // Its row is written with the job's end, or not at all: whoever lost the job meanwhile has made nothing.
    const done = await ws.runner.end(row, owner, { state: 'done' }, (tx) => takeIn(tx, ws, order, made));
    if (!done) await dropMade(outPath);
    return done !== undefined;
  } catch (error) {
    await dropMade(outPath);
    const problem: Problem | null = isDiskFull(error) ? diskFullProblem : null;
    if (problem) ws.disk.met();
    await ws.runner.end(row, owner, problem ? { state: 'failed', problem } : { state: 'dropped' });
    throw error;
  }
}

const uploadPath = ({ storage }: Pick<Workspace, 'storage'>, id: string): string =>
  join(storage.results, basename(id));

/** Removes what a machine has brought, whatever became of it. */
export async function dropBrought(ws: Workspace, { film, cover }: Done): Promise<void> {
  for (const brought of [film, ...(cover ? [cover] : [])]) await dropUpload(ws, brought.upload);
}

/** What the uploads tell of themselves, as much of it as is read here. */
const uploadSchema = z.object({ metadata: z.object({ job: z.string() }) });

/** Removes what other machines have begun to bring for a job that is made: they lost it on the way, and nothing asks for it. */
export async function dropBegun(ws: Workspace, jobId: string): Promise<void> {
  for (const name of await readdir(ws.storage.results)) {
    if (!name.endsWith('.json')) continue;
    const text = await readFile(join(ws.storage.results, name), 'utf8').catch(() => '{}');
    const read = uploadSchema.safeParse(parsed(text));
    if (read.success && read.data.metadata.job === jobId) await dropUpload(ws, basename(name, '.json'));
  }
}

/** JSON, or nothing where it was being written. */
function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

async function dropUpload(ws: Workspace, id: string): Promise<void> {
  for (const path of [uploadPath(ws, id), `${uploadPath(ws, id)}.json`]) await rm(path, { force: true });
}

/** Whether every byte that a machine says it brought is here. */
async function isWhole(ws: Workspace, { film, cover }: Done): Promise<Result<void>> {
  for (const brought of [film, ...(cover ? [cover] : [])]) {
    const path = uploadPath(ws, brought.upload);
    const there = await stat(path).catch(() => null);
    const same = there?.size === brought.bytes && (await sha256File(path)) === brought.sha256;
    if (!same)
      return {
        ok: false,
        problem: {
          code: broughtWrong,
          sentence:
            'It brought back a file that is not the one whose sum it named, so the file was thrown away.',
          mend: 'Look at its disk and its network. Once that is mended, let it take work again.',
        },
      };
  }
  return ok(undefined);
}
