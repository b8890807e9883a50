import { parse as parseCookies } from 'cookie';
import { create as contentDisposition } from 'content-disposition';
import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import express, { Router, type Request, type Response } from 'express';
import rateLimit from 'express-rate-limit';
import { and, asc, desc, eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { masterFrameAt, type Happening, type RenderPlan } from '@mivvy/core';
import { reviewAnswerSchema, reviewEntrySchema, reviewNoteSchema } from '@mivvy/api';
import { happenings, notes, type deliverables } from '../db/schema.ts';
import { lookAtDeliverable } from '../files/deliverable-file.ts';
import { happened, type Happened } from '../happenings.ts';
import { mediaTypes } from '../http/media-types.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { send } from '../http/send.ts';
import { fromStored } from '../storage.ts';
import { tellVersion } from '../tell.ts';
import { now, type Workspace } from '../workspace.ts';
import { closedBecause, linkOf, tryPassword, visited, type LinkRow } from './links.ts';
import { entryCookie } from './entry.ts';
import { fileBehind, reviewPage } from './page.ts';

/** So many secrets that open nothing may be tried from one address in a minute. */
const guessesAMinute = 20;
/** So many notes a link takes in an hour. */
const notesAnHour = 200;

/**
 * Everything that a review link opens, and nothing else: the page's contents, its files, answers and notes. A link's
 * secret is in its address; where it has a password, a signed cookie says that it was given.
 */
export function reviewRoutes(ws: Workspace): Router {
  /** Entries are signed with it: they end with the server. */
  const key = randomBytes(32);
  const signed = (link: LinkRow) =>
    createHmac('sha256', key).update(`${link.id} ${link.password}`).digest('base64url');
  const hasEntered = (req: Request, link: LinkRow) => {
    if (link.password === null) return true;
    const said = Buffer.from(parseCookies(req.headers.cookie ?? '')[entryCookie] ?? '');
    const wanted = Buffer.from(signed(link));
    return said.length === wanted.length && timingSafeEqual(said, wanted);
  };
  const browserOf = (req: Request) => req.get('user-agent') ?? 'a browser that says nothing of itself';

  /** The link of a request that opens and whose password was given; refuses the request where it is none such. */
  async function openLink(req: Request): Promise<LinkRow> {
    const link = await linkOf(ws.db, param(req, 'secret'));
    if (!link) refuse(404, 'no-link', 'This link opens nothing.', 'Ask whoever sent it for another.');
    const closed = closedBecause(link, new Date());
    if (closed) refuse(410, closed, 'This link has ended.', 'Ask whoever sent it for another.');
    if (!hasEntered(req, link)) refuse(401, 'password', 'This link asks for a password.');
    return link;
  }

  const router = Router();
  router.use((req, _res, next) => {
    const repeated = Object.entries(req.query).find(([, value]) => typeof value !== 'string');
    if (repeated) refuse(400, 'bad-request', `“${repeated[0]}” may be given once.`);
    next();
  });
  const slowGuesses = rateLimit({
    windowMs: 60_000,
    limit: guessesAMinute,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: (req, res) => {
      ws.log.warn({ from: req.ip }, 'many review links that open nothing were tried');
      res.status(429).json({ code: 'too-many', sentence: 'Too many tries.', mend: 'Wait a minute.' });
    },
  });
  // Only what opens nothing is counted: who has a link is not shut out by guesses from behind the same address.
  router.use('/:secret', async (req, res, next) => {
    if (await linkOf(ws.db, param(req, 'secret'))) return next();
    await slowGuesses(req, res, next);
  });
  router.get(
    '/:secret',
    route(async (req, res) => {
      const link = await linkOf(ws.db, param(req, 'secret'));
      const closed = link && closedBecause(link, new Date());
      if (link && closed) await visited(ws.db, link, browserOf(req), closed);
      const open = await openLink(req);
      await visited(ws.db, open, browserOf(req), 'opened');
      res.json(await reviewPage(ws, open));
    }),
  );
  router.post(
    '/:secret/enter',
    express.json({ limit: '4kb' }),
    route(async (req, res) => {
      const link = await linkOf(ws.db, param(req, 'secret'));
      if (!link || closedBecause(link, new Date())) return void (await openLink(req));
      const { password } = bodyOf(reviewEntrySchema, req);
      const found = await tryPassword(ws.db, link, password, new Date(), req.ip ?? '');
      if (found === 'locked') {
        await visited(ws.db, link, browserOf(req), 'locked');
        refuse(429, 'locked', 'Too many wrong passwords.', 'Try again in a quarter of an hour.');
      }
      if (found === 'wrong') {
        await visited(ws.db, link, browserOf(req), 'wrong-password');
        ws.log.warn({ link: link.id, from: req.ip }, 'a wrong password for a review link');
        refuse(401, 'wrong-password', 'That is not the password.');
      }
      res.cookie(entryCookie, signed(link), {
        httpOnly: true,
        sameSite: 'strict',
        path: `/api/review/${param(req, 'secret')}`,
        maxAge: Date.parse(link.endsAt) - Date.now(),
      });
      res.status(204).end();
    }),
  );
  router.get(
    '/:secret/files/:id',
    route(async (req, res) => {
      const link = await openLink(req);
      const file = await fileBehind(ws, link, param(req));
      if (!file) refuse(404, 'gone', 'That film is not here any more.', 'Load the page again.');
      if ((await lookAtDeliverable(ws, file, { wait: true })) !== 'same')
        refuse(409, 'gone', 'That film cannot be shown just now.', 'Ask whoever sent the link.');
      const keep = req.query.keep === '1';
      if (keep && !link.mayFetch) refuse(403, 'not-to-keep', 'Films behind this link are for looking only.');
      await send(res, fromStored(ws.storage, file.path), {
        'Content-Type': mediaTypes[file.plan.container],
        'Content-Disposition': contentDisposition(file.fileName, { type: keep ? 'attachment' : 'inline' }),
        'Cache-Control': 'private, no-cache',
      });
    }),
  );
  router.post(
    '/:secret/answers',
    express.json({ limit: '4kb' }),
    route((req, res) => takeAnswer(ws, openLink, req, res)),
  );
  router.post(
    '/:secret/notes',
    // What is refused uses up nothing of what a client may do.
    async (req, _res, next) => {
      await openLink(req);
      next();
    },
    rateLimit({
      skipFailedRequests: true,
      windowMs: 3600_000,
      limit: notesAnHour,
      keyGenerator: (req) => String(req.params.secret),
      legacyHeaders: false,
      handler: (_req, res) =>
        void res
          .status(429)
          .json({ code: 'too-many', sentence: 'That is enough notes for an hour.', mend: 'Go on later.' }),
    }),
    express.json({ limit: '16kb' }),
    route((req, res) => takeNote(ws, openLink, req, res)),
  );
  return router;
}

type Opener = (req: Request) => Promise<LinkRow>;

/** The file that an answer or a note is about; refuses one that was made anew since it was looked at. */
async function fileSeen(
  ws: Workspace,
  link: LinkRow,
  { deliverableId, sha256 }: { deliverableId: string; sha256: string },
) {
  const file = await fileBehind(ws, link, deliverableId);
  if (file?.sha256 !== sha256)
    refuse(
      409,
      'made-anew',
      'A new film has taken this one’s place meanwhile.',
      'Load the page again and look at the new one; your words are still here.',
    );
  return file;
}

/** What somebody behind a link said of a file, as a fact. */
const saidOf = (
  link: LinkRow,
  file: typeof deliverables.$inferSelect,
  by: string,
  what: Happening,
): Happened => ({
  by,
  productionId: link.productionId,
  versionId: file.versionId,
  deliverableId: file.id,
  sha256: file.sha256,
  linkId: link.id,
  what,
});

/** Takes an answer to the bytes that were looked at. Who answers the same as holds already changes nothing. */
async function takeAnswer(ws: Workspace, openLink: Opener, req: Request, res: Response): Promise<void> {
  const link = await openLink(req);
  const said = bodyOf(reviewAnswerSchema, req);
  const file = await fileSeen(ws, link, said);
  // What cannot be seen now cannot be approved.
  if (said.answer === 'approved' && (await lookAtDeliverable(ws, file, { wait: true })) !== 'same')
    refuse(409, 'gone', 'That film cannot be shown just now.', 'Ask whoever sent the link.');
  await ws.db.transaction(async (tx) => {
    const [last] = await tx
      .select()
      .from(happenings)
      .where(and(eq(happenings.deliverableId, file.id), eq(happenings.sha256, file.sha256)))
      .orderBy(desc(happenings.id))
      .limit(1);
    const kind = said.answer === 'withdrawn' ? ('answer-withdrawn' as const) : said.answer;
    if (last?.what.kind === kind && last.by === said.by) return;
    await happened(tx, [saidOf(link, file, said.by, { kind, file: file.fileName })]);
  });
  await tellVersion(ws, file.versionId);
  res.json(await reviewPage(ws, link));
}

/** The master's frame that a delivered frame shows. */
const masterFrameOf = (plan: RenderPlan, frame: number): number | null =>
  frame < plan.frames ? masterFrameAt(plan, frame) : null;

async function takeNote(ws: Workspace, openLink: Opener, req: Request, res: Response): Promise<void> {
  const link = await openLink(req);
  const { answers, ...said } = bodyOf(reviewNoteSchema, req);
  const file = await fileSeen(ws, link, said);
  if (said.frame >= file.plan.frames) refuse(400, 'bad-request', 'The film has no such frame.');
  if (answers !== undefined) {
    const [note] = await ws.db.select().from(notes).where(eq(notes.id, answers)).orderBy(asc(notes.id));
    if (!note || !link.versionIds.includes(note.versionId))
      refuse(404, 'not-found', 'That note is not here any more.');
  }
  await ws.db.transaction(async (tx) => {
    await tx.insert(notes).values({
      id: nanoid(10),
      productionId: link.productionId,
      versionId: file.versionId,
      deliverableId: file.id,
      sha256: file.sha256,
      answers: answers ?? null,
      frame: said.frame,
      masterFrame: masterFrameOf(file.plan, said.frame),
      x: said.x,
      y: said.y,
      words: said.words,
      by: said.by,
      linkId: link.id,
      createdAt: now(),
    });
    const { words, frame } = said;
    await happened(tx, [saidOf(link, file, said.by, { kind: 'note', words, frame })]);
  });
  await tellVersion(ws, file.versionId);
  res.json(await reviewPage(ws, link));
}
