import { and, inArray, isNull, sql } from 'drizzle-orm';
import type { Note } from '@mivvy/api';
import type { Writer } from '../db/database.ts';
import { notes } from '../db/schema.ts';

/** How many notes of some versions are still open. */
export async function openNotesOf(db: Writer, versionIds: readonly string[]): Promise<Map<string, number>> {
  const rows = await db
    .select({ versionId: notes.versionId, count: sql<number>`count(*)` })
    .from(notes)
    .where(and(inArray(notes.versionId, [...versionIds]), isNull(notes.answers), isNull(notes.doneAt)))
    .groupBy(notes.versionId);
  return new Map(rows.map((row) => [row.versionId, row.count]));
}

/** The notes to some versions' files, oldest first, each with what was answered to it. */
export async function notesOf(db: Writer, versionIds: readonly string[]): Promise<Note[]> {
  const rows = await db
    .select()
    .from(notes)
    .where(inArray(notes.versionId, [...versionIds]))
    // As they were written, whatever the clock said then.
    .orderBy(sql`${notes}.rowid`);
  return rows
    .filter((row) => row.answers === null)
    .map(({ productionId: _of, linkId, answers: _none, ...note }) => ({
      ...note,
      fromClient: linkId !== null,
      answers: rows
        .filter((row) => row.answers === note.id)
        .map((row) => ({
          id: row.id,
          words: row.words,
          by: row.by,
          fromClient: row.linkId !== null,
          createdAt: row.createdAt,
        })),
    }));
}
