import { shotSpans, type SubjectScan } from '@mivvy/core';
import type { LookOrderForMachine } from '@mivvy/api';
import { lookedAt } from '../follow-version.ts';
import { lookOrder, type LookOrder } from '../jobs/look.ts';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import { writeLook } from '../looks.ts';
import { tellLook } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import { lying } from './lying.ts';
import { ownerOf, type MachineRow } from './machines.ts';

/** What a film is looked at with on another machine. */
export async function lookFor(
  ws: Workspace,
  row: JobRow,
  { path, sha256, facts, shots }: LookOrder,
  base: string,
): Promise<LookOrderForMachine> {
  return {
    kind: 'look',
    jobId: row.id,
    facts,
    shots: [...shots],
    detector: ws.detector !== false,
    film: await lying(ws, { path, sha256, address: `${base}/film` }),
  };
}

/** Takes in what a machine has seen in a film: all of its shots as they are now, or it does not count. */
export async function takeBackLook(
  ws: Workspace,
  machine: MachineRow,
  row: JobRow,
  scan: SubjectScan,
): Promise<boolean> {
  const owner = ownerOf(machine);
  const ordered = await lookOrder(ws, row);
  if (!ordered.ok)
    return (await ws.runner.end(row, owner, { state: 'failed', problem: ordered.problem })) !== undefined;
  if (ordered.value) {
    const { sha256, facts, shots } = ordered.value;
    const wanted = shotSpans(shots, facts.video.frames).map(({ from, to }) => `${from} ${to}`);
    const whole = scan.shots.map(({ from, to }) => `${from} ${to}`).join() === wanted.join();
    if (!whole) {
      await ws.runner.end(row, owner, { state: 'dropped' });
      return false;
    }
    // By the sum of the film's bytes: written twice it is the same.
    await writeLook(ws.storage, sha256, scan);
  }
  const ended = await ws.runner.end(row, owner, { state: 'done' });
  await lookedAt(ws, row.subjectId);
  await tellLook(ws, row.subjectId);
  return ended !== undefined;
}
