import { and, desc, eq, inArray, lte, sql } from 'drizzle-orm';
import type { Database, Writer } from './db/database.ts';
import type { Memento } from './db/codecs.ts';
import { changes } from './db/schema.ts';

/** Whether a change can be taken back, and one taken back done again. */
export interface UndoState {
  undo: boolean;
  redo: boolean;
}
const nothing: UndoState = { undo: false, redo: false };

/** What a master's dressing is remembered by, apart from its shots and keeps. */
export const dressingUndoId = (masterId: string): string => `dressing-${masterId}`;

/** How many changes are remembered for one thing, and how many characters of them: a framing of hundreds of shots is long. */
const mostChanges = 200;
const mostCharacters = 4_000_000;

/** Remembers a change. What had been taken back before it can not be done again any more. */
export async function remember(
  db: Writer,
  subjectId: string,
  before: Memento,
  after: Memento,
  madeAt: string,
): Promise<void> {
  await db.delete(changes).where(and(eq(changes.subjectId, subjectId), eq(changes.undone, true)));
  await db.insert(changes).values({ subjectId, before, after, madeAt });
  const sizes = await db
    .select({ id: changes.id, size: sql<number>`length(${changes.before}) + length(${changes.after})` })
    .from(changes)
    .where(eq(changes.subjectId, subjectId))
    .orderBy(desc(changes.id));
  let characters = 0;
  // The newest is remembered however long it is.
  const firstOld = sizes.findIndex(({ size }, i) => {
    characters += size;
    return i >= mostChanges || (i > 0 && characters > mostCharacters);
  });
  if (firstOld > 0)
    await db
      .delete(changes)
      .where(and(eq(changes.subjectId, subjectId), lte(changes.id, sizes[firstOld]!.id)));
}

/** What the next undo or redo would restore, and a way to mark it as done. */
export async function recall(
  db: Writer,
  subjectId: string,
  direction: 'undo' | 'redo',
): Promise<{ state: Memento; done: () => Promise<void> } | undefined> {
  const back = direction === 'undo';
  const [row] = await db
    .select()
    .from(changes)
    .where(and(eq(changes.subjectId, subjectId), eq(changes.undone, !back)))
    .orderBy(back ? desc(changes.id) : changes.id)
    .limit(1);
  return (
    row && {
      state: back ? row.before : row.after,
      done: async () => void (await db.update(changes).set({ undone: back }).where(eq(changes.id, row.id))),
    }
  );
}

/** Forgets everything about something that is removed. */
export async function forgetChanges(db: Writer, subjectIds: readonly string[]): Promise<void> {
  if (subjectIds.length) await db.delete(changes).where(inArray(changes.subjectId, [...subjectIds]));
}

/** For some versions or masters, what can be taken back or done again. */
export async function undoStates(
  db: Database,
  subjectIds: readonly string[],
): Promise<(id: string) => UndoState> {
  if (subjectIds.length === 0) return () => nothing;
  const rows = await db
    .select({
      id: changes.subjectId,
      undo: sql<number>`sum(${changes.undone} = 0)`,
      redo: sql<number>`sum(${changes.undone} = 1)`,
    })
    .from(changes)
    .where(inArray(changes.subjectId, [...subjectIds]))
    .groupBy(changes.subjectId);
  const found = new Map(rows.map((r) => [r.id, { undo: r.undo > 0, redo: r.redo > 0 }]));
  return (id) => found.get(id) ?? nothing;
}
