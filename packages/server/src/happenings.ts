import { and, asc, eq, inArray, sql } from 'drizzle-orm';
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
 * Writes down what happened, with the rows that it changed, and works out anew what became of the bytes that it
 * happened to. A file that is made again, byte for byte, is what those bytes were before.
 */
export async function happened(tx: Writer, all: readonly Happened[]): Promise<void> {
  if (all.length === 0) return;
  await tx.insert(happenings).values(all.map((one) => ({ at: now(), ...one })));
  const touched = new Map<string, Bytes>();
  for (const { what, versionId, sha256 } of all)
    if (versionId && sha256 && (isFact(what.kind) || what.kind === 'made'))
      touched.set(`${versionId} ${sha256}`, { versionId, sha256 });
  for (const bytes of touched.values()) await settleHandover(tx, bytes);
}

/** Some bytes that were made for a version, as often as that was. */
interface Bytes {
  versionId: string;
  sha256: string;
}

/** Works out what became of a version's bytes from everything that happened to them. */
async function settleHandover(tx: Writer, { versionId, sha256 }: Bytes): Promise<void> {
  const rows = await tx
    .select({ what: happenings.what })
    .from(happenings)
    .where(and(eq(happenings.versionId, versionId), eq(happenings.sha256, sha256)))
    .orderBy(asc(happenings.id));
  const facts = rows.flatMap(({ what }) => (isFact(what.kind) ? [{ kind: what.kind, sha256 }] : []));
  await tx
    .update(deliverables)
    .set({ handover: handoverOf(sha256, facts) })
    .where(and(eq(deliverables.versionId, versionId), eq(deliverables.sha256, sha256)));
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

/** The approvals that hold of the bytes of some files, by the files' ids. */
export async function approvalsOf(
  db: Writer,
  deliverableIds: readonly string[],
): Promise<Map<string, { by: string; at: string }>> {
  const rows = await db
    .select({ id: deliverables.id, by: happenings.by, at: happenings.at, what: happenings.what })
    .from(deliverables)
    .innerJoin(
      happenings,
      and(eq(happenings.versionId, deliverables.versionId), eq(happenings.sha256, deliverables.sha256)),
    )
    .where(inArray(deliverables.id, [...deliverableIds]))
    .orderBy(asc(happenings.id));
  const found = new Map<string, { by: string; at: string }>();
  for (const { id, by, at, what } of rows) {
    if (what.kind === 'approved') found.set(id, { by: by || 'Somebody', at });
    if (what.kind === 'answer-withdrawn' || what.kind === 'changes-asked') found.delete(id);
  }
  return found;
}
