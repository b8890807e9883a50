import { addHours, differenceInSeconds } from 'date-fns';
import { and, eq, gt, lt } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { roles, type Role } from '@mivvy/api';
import type { Database } from '../db/database.ts';
import { people, sessions, tokens } from '../db/schema.ts';
import { now } from '../workspace.ts';
import { hashOf, newSecret } from '../secrets.ts';
import type { PersonRow } from './row.ts';

/** After so many hours a browser has to be signed in anew (OWASP ASVS 3.3.2). */
export const sessionHours = 12;
/** That somebody is here is written down no more often, seconds. */
const seenEverySeconds = 60;

/** What tokens begin with, so that one which leaks is recognised for what it is. */
export const tokenPrefix = 'mivvy-token-';

/** Who asks: a person by a browser or a script, and what they may do. */
export interface Asker {
  person: PersonRow;
  role: Role;
  /** The session or the token that they ask by. */
  by: { kind: 'session' | 'token'; id: string };
  /** A render machine opens nothing but what such a machine needs. */
  machine: boolean;
}

/** The lesser of two roles. */
export const lesser = (a: Role, b: Role): Role => roles[Math.max(roles.indexOf(a), roles.indexOf(b))]!;

/** Signs a browser in; the secret is for its cookie, and kept nowhere. */
export async function startSession(
  db: Database,
  personId: string,
  of: { browser: string; address: string },
): Promise<string> {
  const secret = newSecret();
  await db.delete(sessions).where(lt(sessions.endsAt, now()));
  await db.update(people).set({ lastSeenAt: now() }).where(eq(people.id, personId));
  await db.insert(sessions).values({
    id: nanoid(10),
    secretHash: hashOf(secret),
    personId,
    browser: of.browser.slice(0, 120),
    address: of.address,
    createdAt: now(),
    lastSeenAt: now(),
    endsAt: addHours(new Date(), sessionHours).toISOString(),
  });
  return secret;
}

const stale = (seen: string | null) =>
  seen === null || differenceInSeconds(new Date(), new Date(seen)) >= seenEverySeconds;

/**
 * Who asks by a cookie's secret; null where it opens nothing, or nothing any more.
 *
 * @param attended somebody sits there: their session is in use
 */
export async function askerBySession(db: Database, secret: string, attended: boolean): Promise<Asker | null> {
  const [found] = await db
    .select()
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .where(and(eq(sessions.secretHash, hashOf(secret)), gt(sessions.endsAt, now())));
  if (!found) return null;
  if (attended && stale(found.sessions.lastSeenAt)) {
    await db.update(sessions).set({ lastSeenAt: now() }).where(eq(sessions.id, found.sessions.id));
    await db.update(people).set({ lastSeenAt: now() }).where(eq(people.id, found.people.id));
  }
  return {
    person: found.people,
    role: found.people.role,
    by: { kind: 'session', id: found.sessions.id },
    machine: false,
  };
}

/** Who asks by a token; null where it opens nothing, or nothing any more. */
export async function askerByToken(db: Database, secret: string): Promise<Asker | null> {
  const [found] = await db
    .select()
    .from(tokens)
    .innerJoin(people, eq(people.id, tokens.personId))
    .where(and(eq(tokens.secretHash, hashOf(secret)), gt(tokens.endsAt, now())));
  if (!found) return null;
  if (stale(found.tokens.lastUsedAt))
    await db.update(tokens).set({ lastUsedAt: now() }).where(eq(tokens.id, found.tokens.id));
  return {
    person: found.people,
    role: lesser(found.tokens.role, found.people.role),
    by: { kind: 'token', id: found.tokens.id },
    machine: found.tokens.holder === 'machine',
  };
}
