import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { count, eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { bytesLabel, deliverableName, fail, makePlan, ok, planFingerprint, playedWithin, problemLine, refusal, troublesOf } from '@mivvy/core';
import { deliver } from '@mivvy/media';
import { deliverables, masters, productions, versions } from '../db/schema.ts';
import { fromStored, logPath, toStored } from '../storage.ts';
import { now, type Workspace } from '../workspace.ts';
import type { JobWork } from './runner.ts';

/** Room an export needs on the disk beyond its own size: two encodes and the sound, in bytes. */
const spareBytes = 200_000_000;

/** Exports one version: its plan as it stood when it was asked for, the file, its measurement, and its row. */
export function exportWork(ws: Pick<Workspace, 'db' | 'storage' | 'specs' | 'freeBytes'>): JobWork {
  return async ({ job, signal, progress }) => {
    const find = () => ws.db.select().from(versions).innerJoin(masters, eq(masters.id, versions.masterId)).innerJoin(productions, eq(productions.id, versions.productionId)).where(eq(versions.id, job.subjectId));
    let [found] = await find();
    // An export may be asked for while its master is still being read; it goes on by itself.
    while (found && found.masters.state !== 'failed' && !found.masters.sha256) {
      progress({ stage: 'waiting for the master to be read', fraction: 0 });
      await setTimeout(500, undefined, { signal });
      [found] = await find();
    }
    if (!found) return ok(undefined); // removed meanwhile
    const { versions: version, masters: master, productions: production } = found;
    const place = ws.specs.find(version.placementId);
    if (!place) return fail('no-placement', 'The spec book no longer holds this placement.', 'Add the spec book file again, or choose another place.');
    if (!master.facts || !master.sha256) return fail('master-failed', 'The master cannot be used.', 'Its own page says why; bring it in again.');

    const planned = makePlan({ facts: master.facts, sha256: master.sha256, placement: place.placement, framing: job.framing ?? version.framing, ...playedWithin(job.cut, master.facts.video.frames) });
    const fault = refusal(troublesOf(planned, place.placement));
    if (fault) return fail('refused', fault.sentence, fault.mend);
    const { plan, budget } = planned;
    const needed = (budget.expectedBytes ?? 0) * 2 + spareBytes;
    const free = await ws.freeBytes();
    if (free < needed) {
      return fail('disk-full', `The disk has ${bytesLabel(free)} free and this export needs about ${bytesLabel(needed)}.`, 'Free some space and start it again; nothing was touched.');
    }

    const [made] = await ws.db.select({ n: count() }).from(deliverables).where(eq(deliverables.versionId, version.id));
    const making = (made?.n ?? 0) + 1;
    const fileName = deliverableName({ production: production.name, master: master.name, placementId: version.placementId, frame: plan.frame, rate: plan.rate, container: plan.container, making });
    const outPath = join(ws.storage.exports, production.id, fileName);
    const started = Date.now();
    const result = await deliver(plan, {
      masterPath: fromStored(ws.storage, master.path), outPath, workDir: join(ws.storage.work, job.id), logFile: logPath(ws.storage, job.id), signal, nice: true,
      onProgress: ({ stage, ...rest }) => progress({ stage: stage === 'analyse' ? 'first pass' : stage === 'encode' ? 'encoding' : 'measuring', ...rest }),
    });
    if (!result.ok) return result;
    const { report, bytes, sha256 } = result.value;
    // The row follows the rename: after a crash between the two, the job runs again and writes the same name.
    await ws.db.insert(deliverables).values({
      id: nanoid(10), versionId: version.id, productionId: production.id, fileName, path: toStored(ws.storage, outPath), bytes, sha256,
      fingerprint: planFingerprint(plan), plan, report, passed: report.passed, making, tookSeconds: (Date.now() - started) / 1000, madeAt: now(),
    });
    return ok(undefined);
  };
}

/** A job's log for a person, led by what went wrong. */
export function logHeading(problem: Parameters<typeof problemLine>[0] | null): string {
  return problem ? `${problemLine(problem)}\n\n` : '';
}
