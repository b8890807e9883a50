import { eq } from 'drizzle-orm';
import {
  ok,
  oneShot,
  planMaster,
  type MasterFacts,
  type Result,
  type Shot,
  type SubjectScan,
} from '@mivvy/core';
import { lookAtFilm, sha256File } from '@mivvy/media';
import { masters } from '../db/schema.ts';
import { readLook, showGrowing, writeLook } from '../looks.ts';
import { lookedAt } from '../follow-version.ts';
import { openMaster } from '../files/master-file.ts';
import { tellLook } from '../tell.ts';
import { steadyNow } from '../clocks.ts';
import type { Workspace } from '../workspace.ts';
import type { JobContext, JobKindWork, JobRow } from './runner.ts';

/** Looks at a master for subjects; every shot is shown as soon as it has been looked at. Running it again is harmless. */
export function lookWork(ws: Workspace, detector: boolean | string): JobKindWork {
  return {
    run: (context) => lookAtMaster(ws, detector, context),
  };
}

/** What a looking is done with. */
export interface LookOrder {
  row: typeof masters.$inferSelect;
  path: string;
  sha256: string;
  facts: MasterFacts;
  shots: readonly Shot[];
}

/** Null where its film was removed, or has been looked at already. */
export async function lookOrder(
  ws: Pick<Workspace, 'db' | 'storage' | 'events'>,
  job: JobRow,
): Promise<Result<LookOrder | null>> {
  const [row] = await ws.db.select().from(masters).where(eq(masters.id, job.subjectId));
  if (!row?.facts) return ok(null);
  const film = await openMaster(ws, row);
  if (!film.ok) return film;
  const sha256 = row.sha256 ?? (await sha256File(film.value));
  if (await readLook(ws.storage, sha256)) return ok(null);
  return ok({ row, path: film.value, sha256, facts: row.facts, shots: row.shots ?? oneShot });
}

async function lookAtMaster(
  ws: Workspace,
  detector: boolean | string,
  { job, signal, progress }: JobContext,
): Promise<Result<void>> {
  const ordered = await lookOrder(ws, job);
  if (!ordered.ok) return ordered;
  if (!ordered.value) {
    await lookedAt(ws, job.subjectId);
    return ok(undefined);
  }
  const { row, path, sha256, facts, shots } = ordered.value;
  const tell = () => void tellLook(ws, row.id).catch(() => undefined);
  const seen: SubjectScan = { version: 1, detector: { kind: 'off' }, shots: [] };
  showGrowing(sha256, seen);
  progress({ stage: 'looking for subjects', fraction: 0 });
  tell();
  let told = 0;
  try {
    const result = await lookAtFilm(path, facts, planMaster(facts, sha256), shots, {
      signal,
      detector,
      onShot: (look, note) => {
        seen.shots.push(look);
        seen.detector = note;
        progress({
          stage: `looking for subjects, shot ${seen.shots.length} of ${shots.length}`,
          fraction: look.to / facts.video.frames,
        });
        if (steadyNow() - told > 700) {
          told = steadyNow();
          tell();
        }
      },
    });
    if (!result.ok) return result;
    await writeLook(ws.storage, sha256, result.value);
    // Before it is told that all has been seen: whoever exports then exports what was framed by it.
    await lookedAt(ws, row.id);
    return ok(undefined);
  } finally {
    showGrowing(sha256, null);
    tell();
  }
}
