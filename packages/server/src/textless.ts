import { and, eq, inArray, isNotNull, isNull, or } from 'drizzle-orm';
import { couldBeTextless, type MasterFacts, type Problem, type RenderPlan } from '@mivvy/core';
import type { Writer } from './db/database.ts';
import { jobs, masters, versions } from './db/schema.ts';
import { refuse } from './http/problems.ts';
import { tellProduction } from './tell.ts';
import type { Workspace } from './workspace.ts';

type MasterRow = typeof masters.$inferSelect;

/** A film with the one that is to be its textless master, both read through. */
export interface Pair {
  film: MasterRow & { facts: MasterFacts; sha256: string };
  textless: MasterRow & { facts: MasterFacts; sha256: string };
}

const isRead = (row: MasterRow): row is Pair['film'] =>
  row.state === 'ready' && row.facts !== null && row.sha256 !== null;

/** A textless master with its film; undefined where it is none, or one of the two has not been read. */
export async function pairOf(db: Writer, textlessId: string): Promise<Pair | undefined> {
  const [textless] = await db.select().from(masters).where(eq(masters.id, textlessId));
  if (!textless?.textlessOf || !isRead(textless)) return undefined;
  const [film] = await db.select().from(masters).where(eq(masters.id, textless.textlessOf));
  return film && isRead(film) ? { film, textless } : undefined;
}

/** The row of the film that a plan of a master's version is drawn from, by its sum; undefined where neither has it. */
export async function rowWithSum(
  db: Writer,
  master: MasterRow,
  sha256: string,
): Promise<MasterRow | undefined> {
  if (master.sha256 === sha256) return master;
  const [textless] = await db
    .select()
    .from(masters)
    .where(and(eq(masters.textlessOf, master.id), eq(masters.sha256, sha256)));
  return textless;
}

/** The row of the film that a master's version is drawn from by its plan, whether that has been summed or not. */
export const drawnRow = (db: Writer, master: MasterRow, plan: RenderPlan): Promise<MasterRow | undefined> =>
  plan.master.textless ? rowWithSum(db, master, plan.master.sha256) : Promise.resolve(master);

/**
 * Why a master cannot become the textless master of another, before their pictures are looked at; null where nothing
 * stands against it.
 */
export async function refusalToMatch(
  db: Writer,
  film: MasterRow,
  textless: MasterRow,
): Promise<Problem | null> {
  if (film.id === textless.id || film.productionId !== textless.productionId)
    return { code: 'not-found', sentence: 'That film is not one of this production’s others.', mend: '' };
  if (film.textlessOf)
    return { code: 'is-textless', sentence: `“${film.name}” is a textless master itself.`, mend: '' };
  const [other] = await db
    .select({ id: masters.id, name: masters.name, of: masters.textlessOf })
    .from(masters)
    .where(
      or(
        and(eq(masters.textlessOf, film.id), isNotNull(masters.textlessOf)),
        eq(masters.textlessOf, textless.id),
      ),
    );
  if (other && other.id !== textless.id)
    return {
      code: 'has-textless',
      sentence: `“${other.name}” is the textless master of ${other.of === film.id ? 'this film' : `“${textless.name}”`} already.`,
      mend: 'Let go of it first.',
    };
  const [made] = await db
    .select({ id: versions.id })
    .from(versions)
    .where(eq(versions.masterId, textless.id))
    .limit(1);
  if (made)
    return {
      code: 'has-versions',
      sentence: `“${textless.name}” has versions of its own.`,
      mend: 'Remove them first: versions belong to the film, and are drawn from its textless master where they ask for it.',
    };
  // While one of them is read, nothing is known of it; the matching will tell.
  if (!film.facts || !textless.facts) return null;
  const could = couldBeTextless(film.facts, textless.facts);
  return could.ok ? null : could.problem;
}

/** Refuses a request for versions of a textless master. */
export const refuseVersions = ({ name }: Pick<MasterRow, 'name'>): never =>
  refuse(
    409,
    'is-textless',
    `“${name}” is a textless master, which has no versions of its own.`,
    'Make them from its film: each can be drawn from the textless master.',
  );

/** Makes a master the textless master of another; {@link wantMatches} follows. */
export const setTextless = (tx: Writer, film: MasterRow, textless: MasterRow) =>
  tx.update(masters).set({ textlessOf: film.id, textlessProblem: null }).where(eq(masters.id, textless.id));

/** Lets a film's textless masters be masters of their own again. */
export async function letGoOfTextless(ws: Workspace, film: MasterRow): Promise<void> {
  const own = await ws.db.select({ id: masters.id }).from(masters).where(eq(masters.textlessOf, film.id));
  await ws.db
    .update(masters)
    .set({ textlessOf: null, textlessProblem: null })
    .where(eq(masters.textlessOf, film.id));
  await stopMatching(
    ws,
    own.map((row) => row.id),
  );
}

async function stopMatching(ws: Workspace, textlessIds: readonly string[]): Promise<void> {
  const rows = await ws.db
    .select({ id: jobs.id })
    .from(jobs)
    .where(and(inArray(jobs.subjectId, [...textlessIds]), eq(jobs.kind, 'match')));
  for (const { id } of rows) await ws.runner.cancel(id);
}

/**
 * Queues the matching of a master with its textless master, or with the film that it is one of, where both have been
 * read and what they are now has not been matched.
 */
export async function wantMatches(ws: Workspace, masterId: string): Promise<void> {
  const candidates = await ws.db
    .select({ id: masters.id, name: masters.name, productionId: masters.productionId })
    .from(masters)
    .where(
      or(eq(masters.textlessOf, masterId), and(eq(masters.id, masterId), isNotNull(masters.textlessOf))),
    );
  for (const { id, name, productionId } of candidates) {
    const job = await ws.db.transaction(async (tx) => {
      const pair = await pairOf(tx, id);
      if (!pair || isMatched(pair)) return undefined;
      const [open] = await tx
        .select({ id: jobs.id })
        .from(jobs)
        .where(
          and(eq(jobs.subjectId, id), eq(jobs.kind, 'match'), inArray(jobs.state, ['queued', 'running'])),
        );
      return open
        ? undefined
        : ws.runner.add(tx, { kind: 'match', productionId, subjectId: id, label: name });
    });
    if (job) ws.runner.announce([job]);
    await tellProduction(ws, productionId);
  }
}

/** Queues what a server that died has left unmatched. What was found not to be the same edit is not tried again. */
export async function wantOpenMatches(ws: Workspace): Promise<void> {
  const open = await ws.db
    .select({ id: masters.id })
    .from(masters)
    .where(and(isNotNull(masters.textlessOf), isNull(masters.textlessProblem)));
  for (const { id } of open) await wantMatches(ws, id);
}

/** What the two films are now has been matched, and they are the same edit. */
export const isMatched = ({ film, textless }: Pair): boolean =>
  film.textless?.of === film.sha256 && film.textless.sha256 === textless.sha256;
