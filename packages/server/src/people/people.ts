import { addHours } from 'date-fns';
import { and, asc, count, desc, eq, gt, isNotNull, ne, sql } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { fail, ok, type Result } from '@mivvy/core';
import type { Person, Role } from '@mivvy/api';
import type { Database, Writer } from '../db/database.ts';
import { people, sessions, tokens } from '../db/schema.ts';
import { now } from '../workspace.ts';
import { hashPassword, isPassword } from './password.ts';
import { hashOf, newSecret } from '../secrets.ts';
import { forgetCodes, takeCode } from './second-factor.ts';
import type { PersonRow } from './row.ts';

/** How long a one-time link lets in, hours. */
export const linkHours = 24;
/** Wrong passwords in a row after which none is looked at for a while, and for how long, milliseconds. */
const mostWrong = 5;
const lockedMs = 15 * 60_000;

const keyOf = (name: string) => name.normalize('NFKC').trim().toLocaleLowerCase('en');

/** A person as the API shows them. */
export const toPerson = (row: PersonRow): Person => ({
  id: row.id,
  name: row.name,
  role: row.role,
  joined: row.password !== null,
  linkEndsAt: row.linkHash !== null && row.linkEndsAt! > now() ? row.linkEndsAt : null,
  codesSince: row.codesSince,
  lastSeenAt: row.lastSeenAt,
  createdAt: row.createdAt,
});

/** Everybody, by name. */
export const listPeople = (db: Writer): Promise<PersonRow[]> =>
  db.select().from(people).orderBy(asc(people.nameKey));

export async function findPerson(db: Writer, id: string): Promise<PersonRow | undefined> {
  const [row] = await db.select().from(people).where(eq(people.id, id));
  return row;
}

const taken = (name: string) =>
  fail<never>('name-taken', `There is somebody called ${name} already.`, 'Choose another name.');

/** Adds somebody, who comes in by a link that opens once; its secret is told here and never again. */
export async function addPerson(
  db: Database,
  { name, role }: { name: string; role: Role },
): Promise<Result<{ person: PersonRow; secret: string }>> {
  const secret = newSecret();
  const [person] = await db
    .insert(people)
    .values({ id: nanoid(10), name, nameKey: keyOf(name), role, ...openLink(secret), createdAt: now() })
    .onConflictDoNothing()
    .returning();
  return person ? ok({ person, secret }) : taken(name);
}

const openLink = (secret: string) => ({
  linkHash: hashOf(secret),
  linkEndsAt: addHours(new Date(), linkHours).toISOString(),
});

/** A new link for somebody who lost theirs, or their password; the one before it opens no more. */
export async function renewLink(db: Writer, id: string): Promise<string> {
  const secret = newSecret();
  await db.update(people).set(openLink(secret)).where(eq(people.id, id));
  return secret;
}

/** Lets the last of those who run everything neither go nor step down. */
async function keepsARunner(tx: Writer, except: PersonRow): Promise<Result<void>> {
  if (except.role !== 'runs') return ok(undefined);
  const [others] = await tx
    .select({ n: count() })
    .from(people)
    // Whoever has not come in yet runs nothing.
    .where(and(eq(people.role, 'runs'), ne(people.id, except.id), isNotNull(people.password)));
  return others!.n > 0
    ? ok(undefined)
    : fail(
        'last-runner',
        `${except.name} is the only one who runs everything.`,
        'Let somebody else run it first.',
      );
}

/** Changes somebody's name or role. */
export const changePerson = (
  db: Database,
  row: PersonRow,
  { name, role }: { name?: string | undefined; role?: Role | undefined },
): Promise<Result<PersonRow>> =>
  db.transaction(async (tx) => {
    const may = role === undefined || role === 'runs' ? ok(undefined) : await keepsARunner(tx, row);
    if (!may.ok) return may;
    if (name !== undefined) {
      const [other] = await tx
        .select({ id: people.id })
        .from(people)
        .where(and(eq(people.nameKey, keyOf(name)), ne(people.id, row.id)));
      if (other) return taken(name);
    }
    const [changed] = await tx
      .update(people)
      .set({ ...(name === undefined ? {} : { name, nameKey: keyOf(name) }), ...(role ? { role } : {}) })
      .where(eq(people.id, row.id))
      .returning();
    return ok(changed!);
  });

/** Lets somebody go: their sessions and tokens go with them, what they did stays under their name. */
export const removePerson = (db: Database, row: PersonRow): Promise<Result<void>> =>
  db.transaction(async (tx) => {
    const may = await keepsARunner(tx, row);
    if (!may.ok) return may;
    await tx.delete(people).where(eq(people.id, row.id));
    return ok(undefined);
  });

/** Whether anybody could sign in. */
export async function anybody(db: Writer): Promise<boolean> {
  const [row] = await db.select({ id: people.id }).from(people).limit(1);
  return row !== undefined;
}

/** Whose a one-time link is, while it opens something. */
export async function personByLink(db: Writer, secret: string): Promise<PersonRow | undefined> {
  const [person] = await db
    .select()
    .from(people)
    .where(and(eq(people.linkHash, hashOf(secret)), gt(people.linkEndsAt, now())));
  return person;
}

/** Opens a one-time link with the password that is chosen by it, and tells the sessions that end by that; null where it opens nothing. */
export async function joinBy(
  db: Database,
  secret: string,
  password: string,
): Promise<{ person: PersonRow; ended: string[] } | null> {
  const kept = await hashPassword(password);
  return db.transaction(async (tx) => {
    const [person] = await tx
      .update(people)
      .set({ password: kept, linkHash: null, linkEndsAt: null, wrongPasswords: 0, lockedUntil: null })
      .where(and(eq(people.linkHash, hashOf(secret)), gt(people.linkEndsAt, now())))
      .returning();
    if (!person) return null;
    // Who lost their phone comes in by a link too: their second factor ends, and is set up anew.
    await forgetCodes(tx, person.id);
    // Whoever knew the old password, or had a browser open by it, is out.
    return { person: (await findPerson(tx, person.id))!, ended: await endSessionsOf(tx, person.id) };
  });
}

/** Ends every session of somebody, but one where it is named. */
export async function endSessionsOf(tx: Writer, personId: string, but?: string): Promise<string[]> {
  const gone = await tx
    .delete(sessions)
    .where(and(eq(sessions.personId, personId), but === undefined ? undefined : ne(sessions.id, but)))
    .returning({ id: sessions.id });
  return gone.map((row) => row.id);
}

/** What came of a try to sign in, where it let nobody in. */
export type NotIn =
  | 'wrong'
  /** Too many wrong tries: none is looked at for a while, the right one neither. */
  | 'locked'
  /** The password was right; a code of the second factor is wanted beside it. */
  | 'code-wanted'
  | 'wrong-code';

/** Whether a password, and a code where one is asked for, are somebody's. Nothing is counted here. */
async function tried(
  db: Database,
  person: PersonRow | undefined,
  { password, code }: { password: string; code: string | undefined },
): Promise<'right' | Exclude<NotIn, 'locked'>> {
  if (!(await isPassword(person?.password ?? null, password)) || !person) return 'wrong';
  if (person.codesSince === null) return 'right';
  if (code === undefined) return 'code-wanted';
  return (await takeCode(db, person, code)) ? 'right' : 'wrong-code';
}

/** Counts wrong tries: after some in a row none is looked at for a while. A right one of both begins anew. */
async function countTry(db: Database, person: PersonRow, right: boolean): Promise<void> {
  // The database counts: of tries at the same time each counts.
  const [counted] = await db
    .update(people)
    .set({ wrongPasswords: right ? 0 : sql`${people.wrongPasswords} + 1` })
    .where(eq(people.id, person.id))
    .returning({ wrong: people.wrongPasswords });
  if ((counted?.wrong ?? 0) >= mostWrong)
    await db
      .update(people)
      .set({ wrongPasswords: 0, lockedUntil: new Date(Date.now() + lockedMs).toISOString() })
      .where(eq(people.id, person.id));
}

/** Who has a name and a password, and the second factor where they have one. */
export async function whoHas(
  db: Database,
  name: string,
  said: { password: string; code?: string | undefined },
): Promise<PersonRow | NotIn> {
  const [person] = await db
    .select()
    .from(people)
    .where(eq(people.nameKey, keyOf(name)));
  if (person?.lockedUntil && person.lockedUntil > now()) return 'locked';
  const came = await tried(db, person, { password: said.password, code: said.code });
  // A right password alone is neither: it ends no row of wrong codes, and is no guess.
  if (person && came !== 'code-wanted') await countTry(db, person, came === 'right');
  return came === 'right' ? person! : came;
}

/** Whether a password is that of somebody who is signed in; wrong ones count as they do at the door. */
export async function isOwnPassword(db: Database, personId: string, password: string): Promise<boolean> {
  const person = await findPerson(db, personId);
  if (!person) return false;
  const came = await whoHas(db, person.name, { password });
  return typeof came === 'object' || came === 'code-wanted';
}

/** Changes somebody's own password; their other browsers are signed out. Null where the old one is not right. */
export async function changePassword(
  db: Database,
  of: { personId: string; old: string; password: string; session: string | undefined },
): Promise<string[] | null> {
  if (!(await isOwnPassword(db, of.personId, of.old))) return null;
  const kept = await hashPassword(of.password);
  return db.transaction(async (tx) => {
    await tx.update(people).set({ password: kept }).where(eq(people.id, of.personId));
    return endSessionsOf(tx, of.personId, of.session);
  });
}

/** Tokens with whose they are, the newest first; of one person, or of all. */
export const listTokens = (db: Writer, personId?: string) =>
  db
    .select({ token: tokens, person: people.name })
    .from(tokens)
    .innerJoin(people, eq(people.id, tokens.personId))
    .where(personId === undefined ? undefined : eq(tokens.personId, personId))
    .orderBy(desc(tokens.createdAt));
