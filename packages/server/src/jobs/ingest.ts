import { mkdir, rm } from 'node:fs/promises';
import { dirname } from 'node:path';
import { eq } from 'drizzle-orm';
import { browserPlays, oneShot, planMaster, scrubsSlowly, shotSpans, type MasterFacts, type Result } from '@mivvy/core';
import { countFrames, findShots, makePoster, makeProxy, makeStill, measureLoudness, sha256File, stillHeight } from '@mivvy/media';
import { readAnalysis, writeAnalysis } from '../analysis.ts';
import { carryOver } from '../carry.ts';
import { masters } from '../db/schema.ts';
import { wantLook } from '../looks.ts';
import { fromStored, logPath, posterPath, proxyPath, stillPath } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import type { JobWork } from './runner.ts';

/** So many shots get their still while the film is read. */
const stillsAhead = 40;

/**
 * Reads a master through: frames counted, stills drawn, loudness measured, bytes summed, and a proxy made where
 * browsers cannot play it; looking for subjects comes after it, as a job of its own. Each fact is shown as soon as it is known; running it again is harmless.
 */
export function ingestWork(ws: Workspace, looking: 'at-once' | 'when-asked'): JobWork {
  return async ({ job, signal, progress }) => {
    const [row] = await ws.db.select().from(masters).where(eq(masters.id, job.subjectId));
    if (!row?.facts) return { ok: true, value: undefined }; // removed meanwhile
    const path = fromStored(ws.storage, row.path);
    const logFile = logPath(ws.storage, job.id);
    const save = async (change: Partial<typeof masters.$inferInsert>) => {
      await ws.db.update(masters).set(change).where(eq(masters.id, row.id));
      ws.events.tell({ kind: 'production', productionId: row.productionId });
    };
    const failed = async (result: Extract<Result<unknown>, { ok: false }>): Promise<Result<void>> => {
      await save({ state: 'failed', problem: result.problem });
      return result;
    };

    progress({ stage: 'counting frames', fraction: 0.02 });
    const counted = await countFrames(path, row.facts, signal);
    if (!counted.ok) return failed(counted);
    let facts: MasterFacts = counted.value;
    const proxyWanted = !browserPlays(facts);
    const proxyHelps = !proxyWanted && scrubsSlowly(facts);
    await save({ facts, state: 'ready', proxy: proxyWanted ? 'wanted' : proxyHelps ? 'helpful' : 'not-needed' });

    progress({ stage: 'summing bytes', fraction: 0.1 });
    const sha256 = await sha256File(path, signal);
    await save({ sha256 });

    progress({ stage: 'drawing a poster', fraction: 0.2 });
    const poster = await makePoster(path, facts, posterPath(ws.storage, row.id), { signal, logFile, nice: true });
    // A film whose poster cannot be drawn can still be worked on.
    if (poster.ok) await save({ hasPoster: true });

    progress({ stage: 'finding shots', fraction: 0.25 });
    let found = await readAnalysis(ws.storage, sha256);
    if (!found) {
      const looked = await findShots(path, facts, planMaster(facts, sha256), { signal, onFraction: (fraction) => progress({ stage: 'finding shots', fraction: 0.25 + fraction * 0.2 }) });
      // A film whose shots cannot be found is one shot, and can be cut by hand.
      if (looked.ok) await writeAnalysis(ws.storage, sha256, (found = looked.value));
    }
    const [newest] = await ws.db.select().from(masters).where(eq(masters.id, row.id));
    if (newest && newest.shots === null) {
      await save({ shots: found?.shots ?? [...oneShot], revision: newest.revision + 1 });
      const [cut] = await ws.db.select().from(masters).where(eq(masters.id, row.id));
      if (cut?.before) {
        await carryOver(ws, cut, cut.before);
        ws.events.tell({ kind: 'production', productionId: row.productionId });
      }
    }

    if (facts.audio) {
      progress({ stage: 'measuring loudness', fraction: 0.45 });
      const loudness = await measureLoudness(path, facts.audio.streamIndex, signal, logFile);
      if (!loudness.ok) return failed(loudness);
      facts = { ...facts, audio: { ...facts.audio, loudness: loudness.value } };
      await save({ facts });
    }

    if (proxyWanted || proxyHelps) {
      const out = proxyPath(ws.storage, row.id);
      await rm(`${out}.part`, { force: true });
      const made = await makeProxy(path, facts, planMaster(facts, sha256), out, {
        signal, logFile, nice: true, onFraction: (fraction) => progress({ stage: 'making a proxy', fraction: 0.5 + fraction / 2 }),
      });
      await save({ proxy: made.ok ? 'made' : proxyHelps ? 'not-needed' : 'failed' });
      if (!made.ok && !proxyHelps) return made;
    }
    // The shots' stills are drawn ahead, so that a production opens at once; the rest follow when they are looked at.
    const shots = newest?.shots ?? found?.shots ?? oneShot;
    await mkdir(dirname(stillPath(ws.storage, row.id, row.take, 0)), { recursive: true });
    for (const [i, span] of shotSpans(shots, facts.video.frames).slice(0, stillsAhead).entries()) {
      signal.throwIfAborted();
      progress({ stage: 'drawing stills', fraction: 0.9 + (0.1 * i) / stillsAhead });
      const middle = Math.floor((span.from + span.to) / 2);
      await makeStill(path, facts, middle, stillHeight, stillPath(ws.storage, row.id, row.take, middle), { signal, nice: true });
    }
    if (looking === 'at-once') await wantLook(ws, row.id);
    return { ok: true, value: undefined };
  };
}
