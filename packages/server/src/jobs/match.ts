import { and, eq } from 'drizzle-orm';
import { ok, type Result } from '@mivvy/core';
import { matchTextless, type ReadFilm } from '@mivvy/media';
import { masters } from '../db/schema.ts';
import { openMaster } from '../files/master-file.ts';
import { isMatched, pairOf, type Pair } from '../textless.ts';
import { tellProduction } from '../tell.ts';
import type { Workspace } from '../workspace.ts';
import type { JobContext, JobKindWork, JobRow } from './runner.ts';

type Ws = Pick<Workspace, 'db' | 'storage' | 'events'>;

/** Matches a textless master with its film, picture by picture. Running it again is harmless. */
export function matchWork(ws: Ws): JobKindWork {
  return { run: (context) => matchPair(ws, context) };
}

/** What a matching is done with. */
export interface MatchOrder {
  pair: Pair;
  film: ReadFilm;
  textless: ReadFilm;
}

/** Null where its films were removed, replaced or matched meanwhile. */
export async function matchOrder(ws: Ws, job: JobRow): Promise<Result<MatchOrder | null>> {
  const pair = await pairOf(ws.db, job.subjectId);
  // Removed, let go of or replaced meanwhile; whatever is read next asks again.
  if (!pair || isMatched(pair)) return ok(null);
  const { film, textless } = pair;
  const [one, other] = [await openMaster(ws, film), await openMaster(ws, textless)];
  if (!one.ok) return one;
  if (!other.ok) return other;
  return ok({
    pair,
    film: { path: one.value, facts: film.facts, sha256: film.sha256 },
    textless: { path: other.value, facts: textless.facts, sha256: textless.sha256 },
  });
}

async function matchPair(ws: Ws, { job, signal, progress }: JobContext): Promise<Result<void>> {
  const ordered = await matchOrder(ws, job);
  if (!ordered.ok || !ordered.value) return ordered.ok ? ok(undefined) : ordered;
  const { pair, film, textless } = ordered.value;
  const stage = `matching it with “${pair.film.name}”`;
  progress({ stage, fraction: 0 });
  const found = await matchTextless(film, textless, {
    signal,
    onFraction: (fraction) => progress({ stage, fraction }),
  });
  await keepMatch(ws, pair, found);
  await tellProduction(ws, job.productionId);
  // That the two are not the same edit is an answer, and not a job that failed.
  return ok(undefined);
}

/** Writes what came of it, as long as both rows are still about the films that were matched. */
export async function keepMatch(
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
