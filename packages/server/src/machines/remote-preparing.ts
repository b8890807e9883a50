import { open, readFile } from 'node:fs/promises';
import { fail, fps, looksEvery, ok, thumbBytes, type Result } from '@mivvy/core';
import { countFrames, probeMaster, type PreparedPart } from '@mivvy/media';
import type { Brought, MachinePart, PrepareOrderForMachine } from '@mivvy/api';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import { maxAttempts } from '../jobs/runner.ts';
import {
  placeForStills,
  prepared,
  prepareOrder,
  takeInPart,
  type PrepareOrder,
  type ReadMaster,
} from '../preparing.ts';
import { proxyPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { broughtWrong, dropBrought, isWhole, putInPlace, uploadPath } from './brought.ts';
import { lying } from './lying.ts';
import { ownerOf, takeOutOfService, type MachineRow } from './machines.ts';

/** What a film is prepared with on another machine: what is missing of it. */
export async function prepareFor(
  ws: Workspace,
  row: JobRow,
  { path, what: { sha256, shots, ...what } }: PrepareOrder,
  base: string,
): Promise<PrepareOrderForMachine> {
  return {
    kind: 'prepare',
    jobId: row.id,
    ...what,
    shots: shots && [...shots],
    film: await lying(ws, { path, sha256, address: `${base}/film` }),
  };
}

const filesOf = (part: MachinePart): Brought[] => {
  switch (part.part) {
    case 'shots':
      return part.found ? [part.found.looks] : [];
    case 'loudness':
      return [];
    case 'still':
      return [part.still];
    case 'proxy':
      return part.proxy ? [part.proxy] : [];
  }
};

/** Takes in one thing that a machine found or made of a film, and says whether it counted. */
export async function takePart(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  part: MachinePart,
): Promise<boolean> {
  const drop = async () => void (await ws.runner.end(row, ownerOf(machine), { state: 'dropped' }));
  try {
    const ordered = await prepareOrder(ws, row);
    if (!ordered.ok || !ordered.value) return false;
    const film = ordered.value.row;
    const lacking = (part.part === 'shots' && !part.found) || (part.part === 'proxy' && !part.proxy);
    // What cannot be done on one machine may be that machine's fault: another tries.
    if (lacking && row.attempts < maxAttempts) return (await drop(), false);
    const whole = await isWhole(ws, filesOf(part));
    const here = whole.ok ? await inPlace(ws, film, part) : whole;
    if (!here.ok) {
      await takeOutOfService(ws, machine.id, here.problem);
      await drop();
      return false;
    }
    await takeInPart(ws, film, here.value);
    return true;
  } finally {
    await dropBrought(ws, filesOf(part));
  }
}

/** Takes back a film of which every part was brought; what is still missing then is prepared again. */
export async function takeBackPrepared(ws: Workspace, machine: MachineRow, row: JobRow): Promise<boolean> {
  const owner = ownerOf(machine);
  const ordered = await prepareOrder(ws, row);
  if (!ordered.ok)
    return (await ws.runner.end(row, owner, { state: 'failed', problem: ordered.problem })) !== undefined;
  const { what, row: film } = ordered.value ?? {};
  const missing = what && (film?.shots == null || what.measure || what.copy !== 'no');
  const ended = await ws.runner.end(row, owner, { state: missing ? 'dropped' : 'done' });
  if (missing || !ended) return false;
  await prepared(ws, row.subjectId);
  return true;
}

const wrong = (what: string): Result<never> =>
  fail(
    broughtWrong,
    `It brought back ${what}, so it was thrown away.`,
    'Look at that machine’s log. Once it is mended, let it take work again.',
  );

/** Puts what was brought where it belongs, if it is what was asked for. */
async function inPlace(ws: Workspace, film: ReadMaster, part: MachinePart): Promise<Result<PreparedPart>> {
  const { frames, rate } = film.facts.video;
  switch (part.part) {
    case 'shots': {
      if (!part.found) return ok({ part: 'shots', found: null });
      const { shots, every, looks } = part.found;
      const data = await readFile(uploadPath(ws, looks));
      const whole = data.length % thumbBytes === 0 && every === looksEvery(fps(rate));
      if (!whole || shots.at(-1)!.from >= frames) return wrong('shots that are not those of the film');
      return ok({ part: 'shots', found: { shots, looks: { every, data } } });
    }
    case 'loudness':
      return ok(part);
    case 'still': {
      if (part.frame >= frames || !(await isJpeg(uploadPath(ws, part.still))))
        return wrong('a still that is none');
      const path = (await placeForStills(ws, film))(part.frame);
      await putInPlace(ws, part.still, path);
      return ok({ part: 'still', frame: part.frame, path });
    }
    case 'proxy': {
      if (!part.proxy) return ok({ part: 'proxy', path: null });
      const quick = await probeMaster(uploadPath(ws, part.proxy));
      const counted = quick.ok ? await countFrames(uploadPath(ws, part.proxy), quick.value) : quick;
      if (!counted.ok || counted.value.video.frames !== frames)
        return wrong('a proof copy that has not the frames of the film');
      const path = proxyPath(ws.storage, film.id);
      await putInPlace(ws, part.proxy, path);
      return ok({ part: 'proxy', path });
    }
  }
}

/** Whether a file begins as every JPEG does (ITU-T T.81, B.2.1: start of image). */
async function isJpeg(path: string): Promise<boolean> {
  const file = await open(path);
  try {
    const { buffer } = await file.read(Buffer.alloc(2), 0, 2, 0);
    return buffer.readUInt16BE() === 0xffd8;
  } finally {
    await file.close();
  }
}
