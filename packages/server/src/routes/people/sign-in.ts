import { stringifySetCookie } from 'cookie';
import { eq } from 'drizzle-orm';
import type { Request, Response, Router } from 'express';
import rateLimit from 'express-rate-limit';
import { joinSchema, passwordChangeSchema, signInSchema, type Me } from '@mivvy/api';
import { sessions } from '../../db/schema.ts';
import { bodyOf, refuse } from '../../http/problems.ts';
import { askerOf } from '../../people/asked.ts';
import { sessionHours, startSession } from '../../people/asker.ts';
import { cookieName } from '../../people/gate.ts';
import { changePassword, joinBy, whoHas, type PersonRow } from '../../people/people.ts';
import type { Workspace } from '../../workspace.ts';
import { answering } from './answering.ts';
import { asker } from './asker.ts';

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
  };
  res.set('Cache-Control', 'no-store').json(me);
}

/** Opens a session and hands its secret to the browser. */
async function letIn(ws: Workspace, req: Request, res: Response, person: PersonRow): Promise<void> {
  const secret = await startSession(ws.db, person.id, {
    browser: req.get('user-agent') ?? '',
    address: req.ip ?? '',
  });
  res
    .set('Set-Cookie', cookie(ws, secret, sessionHours * 3600))
    .set('Cache-Control', 'no-store')
    .json({ signIn: true, person: { id: person.id, name: person.name, role: person.role } } satisfies Me);
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
  const { name, password } = bodyOf(signInSchema, req);
  const person = await whoHas(ws.db, name, password);
  if (person === 'locked') {
    ws.log.warn({ from: req.ip }, 'a locked name was tried');
    return refuse(429, 'locked', 'Too many wrong passwords for that name.', 'Wait a quarter of an hour.');
  }
  if (person === 'wrong') {
    ws.log.warn({ from: req.ip }, 'a wrong name or password');
    return refuse(403, 'wrong', 'That name and password do not belong together.', 'Try again.');
  }
  await letIn(ws, req, res, person);
}

async function join(ws: Workspace, req: Request, res: Response): Promise<void> {
  if (!ws.access.signIn) asker(req);
  const { secret, password } = bodyOf(joinSchema, req);
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
  const ended = await changePassword(ws.db, { personId: person.id, old, password, session: by.id });
  if (!ended) refuse(403, 'wrong', 'The old password is not right.', 'Try again.');
  ws.live.cutOff(ended);
  res.status(204).end();
}
