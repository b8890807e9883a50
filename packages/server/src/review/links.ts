import { randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import { addDays } from 'date-fns';
import { and, desc, eq, inArray, sql } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import type { ReviewLink } from '@mivvy/api';
import type { Database, Writer } from '../db/database.ts';
import { deliverables, reviewLinks, reviewVisits } from '../db/schema.ts';
import { isNewest } from '../files/look-at-files.ts';
import { happened } from '../happenings.ts';
import { hashOf, newSecret } from '../secrets.ts';
import { now } from '../workspace.ts';

export type LinkRow = typeof reviewLinks.$inferSelect;

const derive = promisify(scrypt) as (
  password: string,
  salt: Buffer,
  length: number,
  cost: { N: number; r: number; p: number; maxmem: number },
) => Promise<Buffer>;
/** OWASP's password storage cheat sheet for scrypt (N 2^17, r 8, p 1), from memory; it takes 128 MB for a moment. */
const cost = { N: 2 ** 17, r: 8, p: 1, maxmem: 256 * 1024 * 1024 };
const saltBytes = 16;
const hashBytes = 32;

/** Wrong passwords in a row after which none is looked at for a while, and for how long, milliseconds. */
const mostWrong = 5;
const lockedMs = 15 * 60_000;
/** So many visits of a link are listed. */
const mostVisits = 50;

async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(saltBytes);
  const hash = await derive(password.normalize('NFKC'), salt, hashBytes, cost);
  return `${salt.toString('base64url')}.${hash.toString('base64url')}`;
}

async function isPassword(kept: string, tried: string): Promise<boolean> {
  const [salt = '', hash = ''] = kept.split('.');
  const found = await derive(tried.normalize('NFKC'), Buffer.from(salt, 'base64url'), hashBytes, cost);
  return timingSafeEqual(found, Buffer.from(hash, 'base64url'));
}

/** Makes a link and lays the versions' newest files before whoever opens it. Its secret is told here and never again. */
export async function makeLink(
  db: Database,
  of: {
    productionId: string;
    name: string;
    versionIds: readonly string[];
    days: number;
    mayFetch: boolean;
    password: string | undefined;
    by: string;
  },
): Promise<{ link: LinkRow; secret: string }> {
  const secret = newSecret();
  const password = of.password === undefined ? null : await hashPassword(of.password);
  const link = await db.transaction(async (tx) => {
    const [row] = await tx
      .insert(reviewLinks)
      .values({
        id: nanoid(10),
        productionId: of.productionId,
        name: of.name,
        tokenHash: hashOf(secret),
        versionIds: [...of.versionIds],
        password,
        mayFetch: of.mayFetch,
        endsAt: addDays(new Date(), of.days).toISOString(),
        by: of.by,
        createdAt: now(),
      })
      .returning();
    await showFiles(tx, row!);
    return row!;
  });
  return { link, secret };
}

/** Writes down that the newest files of a link's versions lie before whoever opens it, those of them that passed. */
export async function showFiles(tx: Writer, link: LinkRow): Promise<void> {
  const files = await tx
    .select()
    .from(deliverables)
    .where(and(inArray(deliverables.versionId, link.versionIds), isNewest));
  await happened(
    tx,
    files
      .filter((file) => file.passed && file.handover === 'none')
      .map((file) => ({
        by: link.by,
        productionId: link.productionId,
        versionId: file.versionId,
        deliverableId: file.id,
        sha256: file.sha256,
        linkId: link.id,
        what: { kind: 'shown' as const, link: link.name, file: file.fileName },
      })),
  );
}

/** What a link's secret opens; null where no link has it. */
export async function linkOf(db: Database, secret: string): Promise<LinkRow | null> {
  const [row] = await db
    .select()
    .from(reviewLinks)
    .where(eq(reviewLinks.tokenHash, hashOf(secret)));
  return row ?? null;
}

/** Why a link does not open any more; null where it does. */
export function closedBecause(link: LinkRow, at: Date): 'ended' | 'revoked' | null {
  if (link.revokedAt !== null) return 'revoked';
  return new Date(link.endsAt) <= at ? 'ended' : null;
}

/** Tries a password. Too many wrong ones lock the link for a while, for everybody: a right one is not looked at then. */
export async function tryPassword(
  db: Database,
  link: LinkRow,
  password: string,
  at: Date,
): Promise<'right' | 'wrong' | 'locked'> {
  if (link.lockedUntil !== null && new Date(link.lockedUntil) > at) return 'locked';
  const right = link.password !== null && (await isPassword(link.password, password));
  // The database counts: of tries at the same time each counts.
  const [counted] = await db
    .update(reviewLinks)
    .set({ wrongPasswords: right ? 0 : sql`${reviewLinks.wrongPasswords} + 1` })
    .where(eq(reviewLinks.id, link.id))
    .returning({ wrong: reviewLinks.wrongPasswords });
  if ((counted?.wrong ?? 0) >= mostWrong)
    await db
      .update(reviewLinks)
      .set({ wrongPasswords: 0, lockedUntil: new Date(at.getTime() + lockedMs).toISOString() })
      .where(eq(reviewLinks.id, link.id));
  return right ? 'right' : 'wrong';
}

/** Writes down that somebody opened a link, or tried to. */
export async function visited(
  db: Database,
  link: LinkRow,
  browser: string,
  outcome: (typeof reviewVisits.$inferSelect)['outcome'],
): Promise<void> {
  await db
    .insert(reviewVisits)
    .values({ linkId: link.id, at: now(), browser: browser.slice(0, 160), outcome });
}

/** A production's links, newest first, with their last visits. */
export async function linksOf(db: Database, productionId: string): Promise<ReviewLink[]> {
  const rows = await db
    .select()
    .from(reviewLinks)
    .where(eq(reviewLinks.productionId, productionId))
    .orderBy(desc(reviewLinks.createdAt));
  return Promise.all(rows.map((row) => linkView(db, row)));
}

export async function linkView(db: Database, row: LinkRow): Promise<ReviewLink> {
  const visits = await db
    .select({ at: reviewVisits.at, browser: reviewVisits.browser, outcome: reviewVisits.outcome })
    .from(reviewVisits)
    .where(eq(reviewVisits.linkId, row.id))
    .orderBy(desc(reviewVisits.id))
    .limit(mostVisits);
  const {
    tokenHash: _hash,
    password,
    wrongPasswords: _wrong,
    lockedUntil: _locked,
    productionId: _of,
    ...link
  } = row;
  return { ...link, hasPassword: password !== null, visits };
}

/** Lays a file that was made anew before whoever has an open link to its version. */
export async function showToOpenLinks(tx: Writer, productionId: string, versionId: string): Promise<void> {
  const links = await tx.select().from(reviewLinks).where(eq(reviewLinks.productionId, productionId));
  for (const link of links)
    if (link.versionIds.includes(versionId) && closedBecause(link, new Date()) === null) {
      await showFiles(tx, { ...link, versionIds: [versionId] });
      return;
    }
}
