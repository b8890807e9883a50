import { stringifySetCookie } from 'cookie';
import { eq } from 'drizzle-orm';
import type { Request, Response, Router } from 'express';
import rateLimit from 'express-rate-limit';
import { guessesOf, joinSchema, passwordChangeSchema, signInSchema, tooEasy, type Me } from '@mivvy/api';
import { sessions } from '../../db/schema.ts';
import { bodyOf, refuse } from '../../http/problems.ts';
import { askerOf } from '../../people/asked.ts';
import { sessionHours, startSession } from '../../people/asker.ts';
import { cookieName, mustSetUpCodes } from '../../people/gate.ts';
import { changePassword, joinBy, personByLink, whoHas, type NotIn } from '../../people/people.ts';
import type { Workspace } from '../../workspace.ts';
import { answering } from './answering.ts';
import { asker } from './asker.ts';
import type { PersonRow } from '../../people/row.ts';

/** Tries to come in that failed, from one address, in a quarter of an hour. */
const mostFailures = 30;

/** Routes of coming in and going: by a password, by a one-time link, out again. */
export function signInRoutes(ws: Workspace): Router {
  const { router, on } = answering(ws);
  const slowGuesses = rateLimit({
    windowMs: 15 * 60_000,
    limit: mostFailures,
    skipSuccessfulRequests: true,
    // Who claims to ask through a proxy that is not trusted is counted by their own address.
    validate: { xForwardedForHeader: false },
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: (req, res) => {
      ws.log.warn({ from: req.ip }, 'many tries to sign in failed');
      res.status(429).json({
        code: 'too-many',
        sentence: 'Too many tries from here.',
        mend: 'Wait a quarter of an hour.',
      });
    },
  });
  on('get', '/me', tellMe);
  router.post(['/sign-in', '/join'], slowGuesses);
  on('post', '/sign-in', signIn);
  on('post', '/join', join);
  on('post', '/sign-out', signOut);
  on('post', '/password', newPassword);
  return router;
}

async function tellMe(ws: Workspace, req: Request, res: Response): Promise<void> {
  const who = askerOf(req);
  const me: Me = {
    signIn: ws.access.signIn,
    person: who ? { id: who.person.id, name: who.person.name, role: who.role } : null,
    mustSetUpCodes: who?.by.kind === 'session' && mustSetUpCodes(ws.access, who.person),
  };
  res.set('Cache-Control', 'no-store').json(me);
}

/** Opens a session, hands its secret to the browser, and tells it who is in. */
async function letIn(ws: Workspace, req: Request, res: Response, person: PersonRow): Promise<void> {
  const secret = await startSession(ws.db, person.id, {
    browser: req.get('user-agent') ?? '',
    address: req.ip ?? '',
  });
  res
    .set('Set-Cookie', cookie(ws, secret, sessionHours * 3600))
    .set('Cache-Control', 'no-store')
    .json({
      signIn: true,
      person: { id: person.id, name: person.name, role: person.role },
      mustSetUpCodes: mustSetUpCodes(ws.access, person),
    } satisfies Me);
}

const cookie = (ws: Workspace, value: string, seconds: number): string =>
  stringifySetCookie({
    name: cookieName(ws.access),
    value,
    maxAge: seconds,
    path: '/',
    httpOnly: true,
    sameSite: 'strict',
    secure: ws.access.secure,
  });

async function signIn(ws: Workspace, req: Request, res: Response): Promise<void> {
  if (!ws.access.signIn) asker(req);
  const { name, password, code } = bodyOf(signInSchema, req);
  const person = await whoHas(ws.db, name, { password, code });
  if (typeof person === 'string') return notIn(ws, req, person);
  await letIn(ws, req, res, person);
}

/** What is said to who was not let in, and what the log keeps of it. */
const refusals: Record<NotIn, { status: number; log: string; sentence: string; mend: string }> = {
  wrong: {
    status: 403,
    log: 'a wrong name or password',
    sentence: 'That name and password do not belong together.',
    mend: 'Try again.',
  },
  locked: {
    status: 429,
    log: 'a locked name was tried',
    sentence: 'Too many wrong passwords or codes for that name.',
    mend: 'Wait a quarter of an hour.',
  },
  'code-wanted': {
    status: 403,
    log: 'a code was asked for',
    sentence: 'A code is wanted beside the password.',
    mend: 'Read it off your app, or use a spare one.',
  },
  'wrong-code': {
    status: 403,
    log: 'a wrong code',
    sentence: 'That code opens nothing: it is not right, or was used.',
    mend: 'Wait for the next one, or use a spare one.',
  },
};

function notIn(ws: Workspace, req: Request, why: NotIn): never {
  const { status, log, sentence, mend } = refusals[why];
  ws.log.warn({ from: req.ip }, log);
  return refuse(status, why, sentence, mend);
}

/** Lets nobody choose a password that is guessed easily. */
async function refuseEasy(password: string, name: string): Promise<void> {
  const guesses = await guessesOf(password, name);
  if (!guesses.enough) refuse(400, 'easily-guessed', tooEasy(guesses), 'Choose another, such as a sentence.');
}

async function join(ws: Workspace, req: Request, res: Response): Promise<void> {
  if (!ws.access.signIn) asker(req);
  const { secret, password } = bodyOf(joinSchema, req);
  const named = await personByLink(ws.db, secret);
  if (named) await refuseEasy(password, named.name);
  const joined = await joinBy(ws.db, secret, password);
  if (!joined)
    return refuse(
      403,
      'link-closed',
      'That link opens nothing: it was used, or has ended.',
      'Ask for another.',
    );
  ws.live.cutOff(joined.ended);
  await letIn(ws, req, res, joined.person);
}

async function signOut(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { by } = asker(req);
  if (by.kind === 'session') await ws.db.delete(sessions).where(eq(sessions.id, by.id));
  ws.live.cutOff([by.id], res);
  res
    .set('Set-Cookie', cookie(ws, '', 0))
    .set('Clear-Site-Data', '"storage"')
    .status(204)
    .end();
}

async function newPassword(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { person, by } = asker(req);
  const { old, password } = bodyOf(passwordChangeSchema, req);
  if (by.kind !== 'session')
    refuse(403, 'not-yours', 'A token changes no password.', 'Sign in with a browser.');
  await refuseEasy(password, person.name);
  const ended = await changePassword(ws.db, { personId: person.id, old, password, session: by.id });
  if (!ended) refuse(403, 'wrong', 'The old password is not right.', 'Try again.');
  ws.live.cutOff(ended);
  res.status(204).end();
}
