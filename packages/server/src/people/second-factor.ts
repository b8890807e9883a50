import { randomBytes } from 'node:crypto';
import { and, count, eq, isNotNull, isNull, lt, or } from 'drizzle-orm';
import { Secret, TOTP } from 'otpauth';
import type { SecondFactor } from '@mivvy/api';
import type { Database, Writer } from '../db/database.ts';
import { people, spareCodes } from '../db/schema.ts';
import { hashOf } from '../secrets.ts';
import { now } from '../workspace.ts';
import type { PersonRow } from './row.ts';

/** Bytes of what codes are made of: 160 bits, as RFC 4226 (section 4, R6) recommends. */
const secretBytes = 20;
/** Half minutes that a phone's clock may be off, either way (RFC 6238, section 5.2, takes one). */
const clockSlack = 1;
const spareCount = 10;
/** Bytes of a spare code: 120 bits, so that a plain hash of it is enough. */
const spareBytes = 15;
const spareGroups = /.{6}/g;

/**
 * The codes of a second factor: six digits that change with every half minute, by RFC 6238 with SHA-1, which is what
 * apps on phones can be relied on to make.
 */
const codesOf = (secret: Secret, label = '') =>
  new TOTP({ issuer: 'Mivvy', label, algorithm: 'SHA1', digits: 6, period: 30, secret });

/** The half minute of which a code is, within the slack of a clock; null where it is of none. */
export function stepOf(codeSecret: string, code: string, at = Date.now()): number | null {
  const codes = codesOf(Secret.fromBase32(codeSecret));
  const off = codes.validate({ token: code, timestamp: at, window: clockSlack });
  return off === null ? null : codes.counter({ timestamp: at }) + off;
}

/** Begins to set up a second factor, in the place of one that was begun and not ended. */
export async function proposeCodes(
  db: Database,
  person: PersonRow,
): Promise<{ address: string; secret: string } | null> {
  const secret = new Secret({ size: secretBytes });
  const [begun] = await db
    .update(people)
    .set({ codeSecret: secret.base32, codeStep: null })
    .where(and(eq(people.id, person.id), isNull(people.codesSince)))
    .returning({ id: people.id });
  return begun ? { address: codesOf(secret, person.name).toString(), secret: secret.base32 } : null;
}

/** Takes the code of a half minute once; of two who tell it at the same time one. */
async function takeStep(db: Writer, person: PersonRow, code: string): Promise<boolean> {
  const step = person.codeSecret === null ? null : stepOf(person.codeSecret, code);
  if (step === null) return false;
  const taken = await db
    .update(people)
    .set({ codeStep: step })
    .where(
      and(
        eq(people.id, person.id),
        eq(people.codeSecret, person.codeSecret!),
        or(isNull(people.codeStep), lt(people.codeStep, step)),
      ),
    )
    .returning({ id: people.id });
  return taken.length > 0;
}

/** Letters that are read aloud and typed without doubt: base 32 of RFC 4648. */
const newSpareCode = () => new Secret({ buffer: new Uint8Array(randomBytes(spareBytes)).buffer }).base32;

/** Turns a second factor on by a code of it, and tells the spare codes; null where the code is none of its. */
export async function turnCodesOn(db: Database, person: PersonRow, code: string): Promise<string[] | null> {
  return db.transaction(async (tx) => {
    if (person.codesSince !== null || !(await takeStep(tx, person, code))) return null;
    const codes = Array.from({ length: spareCount }, newSpareCode);
    await tx.update(people).set({ codesSince: now() }).where(eq(people.id, person.id));
    await tx.delete(spareCodes).where(eq(spareCodes.personId, person.id));
    await tx
      .insert(spareCodes)
      .values(codes.map((each) => ({ personId: person.id, codeHash: hashOf(each) })));
    return codes.map((each) => each.match(spareGroups)!.join('-'));
  });
}

/** Whether a code lets somebody in beside their password: one of their second factor, or a spare one. Each does once. */
export async function takeCode(db: Database, person: PersonRow, code: string): Promise<boolean> {
  if (await takeStep(db, person, code)) return true;
  const spent = await db
    .delete(spareCodes)
    .where(and(eq(spareCodes.personId, person.id), eq(spareCodes.codeHash, hashOf(code))))
    .returning({ personId: spareCodes.personId });
  return spent.length > 0;
}

/** Ends somebody's second factor: no code is asked for any more. */
export async function forgetCodes(db: Writer, personId: string): Promise<void> {
  await db
    .update(people)
    .set({ codeSecret: null, codesSince: null, codeStep: null })
    .where(and(eq(people.id, personId), isNotNull(people.codeSecret)));
  await db.delete(spareCodes).where(eq(spareCodes.personId, personId));
}

/** What somebody may know of their own second factor. */
export async function secondFactorOf(db: Writer, person: PersonRow): Promise<SecondFactor> {
  const [left] = await db.select({ n: count() }).from(spareCodes).where(eq(spareCodes.personId, person.id));
  return { since: person.codesSince, spareCodes: left!.n };
}
