import { and, asc, eq, inArray, isNotNull, sql } from 'drizzle-orm';
import { format } from 'date-fns';
import { handoverOf, type FileFact, type Happening } from '@mivvy/core';
import type { Writer } from './db/database.ts';
import { deliverables, happenings } from './db/schema.ts';
import { now } from './workspace.ts';

/** Something that happened, and to what. */
export interface Happened {
  by: string;
  productionId: string;
  versionId?: string | null;
  deliverableId?: string | null;
  sha256?: string | null;
  linkId?: string | null;
  what: Happening;
}

/** Those kinds of happenings that say what became of a file's bytes. */
const factKinds: readonly FileFact['kind'][] = [
  'shown',
  'approved',
  'changes-asked',
  'answer-withdrawn',
  'sent',
  'live',
  'taken-down',
];
const isFact = (kind: Happening['kind']): kind is FileFact['kind'] =>
  (factKinds as readonly string[]).includes(kind);

/**
 * Writes down what happened, with the rows that it changed, and works out anew what became of the files that it
 * happened to.
 */
export async function happened(tx: Writer, all: readonly Happened[]): Promise<void> {
  if (all.length === 0) return;
  await tx.insert(happenings).values(all.map((one) => ({ at: now(), ...one })));
  const files = all.flatMap((one) => (isFact(one.what.kind) && one.deliverableId ? [one.deliverableId] : []));
  for (const id of new Set(files)) await settleHandover(tx, id);
}

/** Works out what became of a file from everything that happened to it. */
async function settleHandover(tx: Writer, deliverableId: string): Promise<void> {
  const [file] = await tx
    .select({ sha256: deliverables.sha256 })
    .from(deliverables)
    .where(eq(deliverables.id, deliverableId));
  if (!file) return;
  const rows = await tx
    .select({ sha256: happenings.sha256, what: happenings.what })
    .from(happenings)
    .where(and(eq(happenings.deliverableId, deliverableId), isNotNull(happenings.sha256)))
    .orderBy(asc(happenings.id));
  const facts = rows.flatMap(({ sha256, what }) =>
    isFact(what.kind) && sha256 !== null ? [{ kind: what.kind, sha256 }] : [],
  );
  await tx
    .update(deliverables)
    .set({ handover: handoverOf(file.sha256, facts) })
    .where(eq(deliverables.id, deliverableId));
}

/** The newest happening of each of some versions, by their ids. */
export async function lastOf(
  db: Writer,
  versionIds: readonly string[],
): Promise<Map<string, typeof happenings.$inferSelect>> {
  const newest = sql`${happenings.id} = (select max(h.id) from happenings h where h.version_id = ${happenings.versionId})`;
  const rows = await db
    .select()
    .from(happenings)
    .where(and(inArray(happenings.versionId, [...versionIds]), newest));
  return new Map(rows.map((row) => [row.versionId!, row]));
}

/** A moment's day, as a sentence names it. */
export function dayWords(at: string): string {
  return format(new Date(at), 'd MMM');
}

/** The approvals that hold of some files, by their ids. */
export async function approvalsOf(
  db: Writer,
  deliverableIds: readonly string[],
): Promise<Map<string, { by: string; at: string }>> {
  const rows = await db
    .select({
      deliverableId: happenings.deliverableId,
      by: happenings.by,
      at: happenings.at,
      what: happenings.what,
    })
    .from(happenings)
    .where(inArray(happenings.deliverableId, [...deliverableIds]))
    .orderBy(asc(happenings.id));
  const found = new Map<string, { by: string; at: string }>();
  for (const { deliverableId, by, at, what } of rows) {
    if (what.kind === 'approved') found.set(deliverableId!, { by: by || 'Somebody', at });
    if (what.kind === 'answer-withdrawn' || what.kind === 'changes-asked') found.delete(deliverableId!);
  }
  return found;
}
