import { randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import { addDays } from 'date-fns';
import { and, desc, eq, inArray } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import { nanoid } from 'nanoid';
import PQueue from 'p-queue';
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

/**
 * Most passwords that can be tried for a link in a quarter of an hour, from one address and from all together. A stranger's
 * guesses do not lock out other addresses until the second limit is reached.
 */
const mostTries = { fromOneAddress: 5, fromAll: 60 };
const lockedMs = 15 * 60_000;
/** Links and addresses that are remembered at most. */
const mostRemembered = 20_000;
/** Hashing takes 128 MB and a core for a moment: two at once, so that serving films goes on. */
const hashing = new PQueue({ concurrency: 2 });

/** So many visits of a link are listed. */
const mostVisits = 50;

async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(saltBytes);
  const hash = await derive(password.normalize('NFKC'), salt, hashBytes, cost);
  return `${salt.toString('base64url')}.${hash.toString('base64url')}`;
}

async function isPassword(kept: string, tried: string): Promise<boolean> {
  const [salt = '', hash = ''] = kept.split('.');
  const found = await hashing.add(
    () => derive(tried.normalize('NFKC'), Buffer.from(salt, 'base64url'), hashBytes, cost),
    { throwOnTimeout: true },
  );
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

const triesOf = new WeakMap<Database, LRUCache<string, { tries: number; since: number }>>();

/** Counts a try before anything is done for it. False where there were too many; then it is not counted. */
function reserveTry(db: Database, keys: readonly [string, number][], at: Date): boolean {
  const known =
    triesOf.get(db) ?? new LRUCache<string, { tries: number; since: number }>({ max: mostRemembered });
  triesOf.set(db, known);
  const counts = keys.map(([key, most]) => {
    const there = known.get(key);
    const counted =
      there && at.getTime() - there.since < lockedMs ? there : { tries: 0, since: at.getTime() };
    return { key, most, counted };
  });
  if (counts.some(({ counted, most }) => counted.tries >= most)) return false;
  for (const { key, counted } of counts) known.set(key, { ...counted, tries: counted.tries + 1 });
  return true;
}

/**
 * Tries a password. Each try is counted before it is hashed, so that of many at once no more are looked at than of as many
 * one after the other.
 *
 * @param from the address that it comes from
 */
export async function tryPassword(
  db: Database,
  link: LinkRow,
  password: string,
  at: Date,
  from: string,
): Promise<'right' | 'wrong' | 'locked'> {
  const here = `${link.id} ${from}`;
  const keys: [string, number][] = [
    [here, mostTries.fromOneAddress],
    [link.id, mostTries.fromAll],
  ];
  if (!reserveTry(db, keys, at)) return 'locked';
  const right = link.password !== null && (await isPassword(link.password, password));
  if (right) triesOf.get(db)?.delete(here);
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
