import { and, eq } from 'drizzle-orm';
import { ok, type Result } from '@mivvy/core';
import { matchTextless } from '@mivvy/media';
import { masters } from '../db/schema.ts';
import { openMaster } from '../files/master-file.ts';
import { isMatched, pairOf, type Pair } from '../textless.ts';
import { tellProduction } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import type { JobContext, JobKindWork } from './runner.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'events'>;

/** Matches a textless master with its film, picture by picture. Running it again is harmless. */
export function matchWork(ws: Ws): JobKindWork {
  return { run: (context) => matchPair(ws, context) };
}

async function matchPair(ws: Ws, { job, signal, progress }: JobContext): Promise<Result<void>> {
  const pair = await pairOf(ws.db, job.subjectId);
  // Removed, let go of or replaced meanwhile; whatever is read next asks again.
  if (!pair || isMatched(pair)) return ok(undefined);
  const { film, textless } = pair;
  const stage = `matching it with “${film.name}”`;
  progress({ stage, fraction: 0 });
  const [one, other] = [await openMaster(ws, film), await openMaster(ws, textless)];
  if (!one.ok) return one;
  if (!other.ok) return other;
  const found = await matchTextless(
    { path: one.value, facts: film.facts, sha256: film.sha256 },
    { path: other.value, facts: textless.facts, sha256: textless.sha256 },
    { signal, onFraction: (fraction) => progress({ stage, fraction }) },
  );
  await keep(ws, pair, found);
  await tellProduction(ws, job.productionId);
  // That the two are not the same edit is an answer, and not a job that failed.
  return ok(undefined);
}

/** Writes what came of it, as long as both rows are still about the films that were matched. */
async function keep(
  ws: Ws,
  { film, textless }: Pair,
  found: Awaited<ReturnType<typeof matchTextless>>,
): Promise<void> {
  await ws.db.transaction(async (tx) => {
    const now = await pairOf(tx, textless.id);
    if (now?.film.sha256 !== film.sha256 || now.textless.sha256 !== textless.sha256) return;
    if (now.film.id !== film.id) return;
    await tx
      .update(masters)
      .set({ textlessProblem: found.ok ? null : found.problem })
      .where(eq(masters.id, textless.id));
    await tx
      .update(masters)
      .set({
        textless: found.ok
          ? {
              masterId: textless.id,
              name: textless.name,
              sha256: textless.sha256,
              facts: textless.facts,
              of: film.sha256,
              differs: found.value,
            }
          : null,
      })
      .where(and(eq(masters.id, film.id), eq(masters.sha256, film.sha256)));
  });
}
