import { stringifySetCookie } from 'cookie';
import { addDays } from 'date-fns';
import { and, desc, eq } from 'drizzle-orm';
import { Router, type Request, type Response } from 'express';
import rateLimit from 'express-rate-limit';
import { nanoid } from 'nanoid';
import type { Result } from '@mivvy/core';
import {
  joinSchema,
  newPersonSchema,
  newTokenSchema,
  passwordChangeSchema,
  personChangeSchema,
  signInSchema,
  type Me,
  type Token,
} from '@mivvy/api';
import { people, sessions, tokens } from '../db/schema.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { askerOf } from '../people/asked.ts';
import { lesser, sessionHours, startSession, tokenPrefix, type Asker } from '../people/asker.ts';
import { cookieName } from '../people/gate.ts';
import {
  addPerson,
  changePassword,
  changePerson,
  findPerson,
  joinBy,
  listPeople,
  listTokens,
  removePerson,
  renewLink,
  toPerson,
  whoHas,
  type PersonRow,
} from '../people/people.ts';
import { hashOf, newSecret } from '../people/secrets.ts';
import { now, type Workspace } from '../workspace.ts';

/** Tries to come in that failed, from one address, in a quarter of an hour. */
const mostFailures = 30;

/** Routes of who may come in: signing in and out, people, their browsers and their tokens. */
export function peopleRoutes(ws: Workspace): Router {
  const router = Router();
  const slowGuesses = rateLimit({
    windowMs: 15 * 60_000,
    limit: mostFailures,
    skipSuccessfulRequests: true,
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
  const on = (
    method: 'get' | 'post' | 'patch' | 'delete',
    path: string,
    answer: (ws: Workspace, req: Request, res: Response) => Promise<void>,
  ) =>
    router[method](
      path,
      route((req, res) => answer(ws, req, res)),
    );
  on('get', '/me', tellMe);
  router.post(['/sign-in', '/join'], slowGuesses);
  on('post', '/sign-in', signIn);
  on('post', '/join', join);
  on('post', '/sign-out', signOut);
  on('post', '/password', newPassword);
  on('get', '/people', tellPeople);
  on('post', '/people', welcome);
  on('patch', '/people/:id', change);
  on('delete', '/people/:id', letGo);
  on('post', '/people/:id/link', linkAnew);
  on('get', '/sessions', tellSessions);
  on('delete', '/sessions/:id', endSession);
  on('get', '/tokens', tellTokens);
  on('post', '/tokens', makeToken);
  on('delete', '/tokens/:id', revoke);
  return router;
}

/** What was done, or the request refused in the problem's words. */
function done<T>(result: Result<T>): T {
  if (result.ok) return result.value;
  const { code, sentence, mend } = result.problem;
  return refuse(409, code, sentence, mend);
}

/** Who asks; where nobody signs in there is nobody to be. */
const asker = (req: Request): Asker =>
  askerOf(req) ??
  refuse(
    409,
    'no-sign-in',
    'Nobody signs in to this workspace: it is open to this machine alone.',
    'Start it with MIVVY_HOST or MIVVY_SIGN_IN to have people.',
  );

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
  const person = await joinBy(ws.db, secret, password);
  if (!person)
    return refuse(
      403,
      'link-closed',
      'That link opens nothing: it was used, or has ended.',
      'Ask for another.',
    );
  await letIn(ws, req, res, person);
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

async function tellPeople(ws: Workspace, _req: Request, res: Response): Promise<void> {
  res.json((await listPeople(ws.db)).map(toPerson));
}

/** A link by which somebody chooses a password. Its secret comes after the #, which browsers send nowhere. */
const linkOf = (ws: Workspace, secret: string) => `${ws.access.address ?? ''}/join#${secret}`;

async function welcome(ws: Workspace, req: Request, res: Response): Promise<void> {
  asker(req);
  const { person, secret } = done(await addPerson(ws.db, bodyOf(newPersonSchema, req)));
  res.set('Cache-Control', 'no-store').json({ person: toPerson(person), link: linkOf(ws, secret) });
}

async function personOf(ws: Workspace, req: Request): Promise<PersonRow> {
  return (
    (await findPerson(ws.db, param(req))) ?? refuse(404, 'not-found', 'That person is not here any more.')
  );
}

async function change(ws: Workspace, req: Request, res: Response): Promise<void> {
  const changed = done(await changePerson(ws.db, await personOf(ws, req), bodyOf(personChangeSchema, req)));
  res.json(toPerson(changed));
}

/** Sessions and tokens that are somebody's. */
async function keysOf(ws: Workspace, personId: string): Promise<string[]> {
  const own = await ws.db.select({ id: sessions.id }).from(sessions).where(eq(sessions.personId, personId));
  const scripts = await ws.db.select({ id: tokens.id }).from(tokens).where(eq(tokens.personId, personId));
  return [...own, ...scripts].map((row) => row.id);
}

async function letGo(ws: Workspace, req: Request, res: Response): Promise<void> {
  const person = await personOf(ws, req);
  const keys = await keysOf(ws, person.id);
  done(await removePerson(ws.db, person));
  ws.live.cutOff(keys, res);
  res.status(204).end();
}

async function linkAnew(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id } = await personOf(ws, req);
  const secret = await renewLink(ws.db, id);
  const person = await findPerson(ws.db, id);
  res.set('Cache-Control', 'no-store').json({ person: toPerson(person!), link: linkOf(ws, secret) });
}

async function tellSessions(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { person, role, by } = asker(req);
  const rows = await ws.db
    .select({ session: sessions, name: people.name })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .where(role === 'runs' ? undefined : eq(sessions.personId, person.id))
    .orderBy(desc(sessions.lastSeenAt));
  res.json(
    rows.map(({ session: { secretHash: _hash, personId: _person, ...shown }, name }) => ({
      ...shown,
      person: name,
      own: shown.id === by.id,
    })),
  );
}

async function endSession(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { person, role } = asker(req);
  const gone = await ws.db
    .delete(sessions)
    .where(and(eq(sessions.id, param(req)), role === 'runs' ? undefined : eq(sessions.personId, person.id)))
    .returning({ id: sessions.id });
  if (gone.length === 0) refuse(404, 'not-found', 'That session has ended.');
  ws.live.cutOff([param(req)], res);
  res.status(204).end();
}

const toToken = ({ token, person }: Awaited<ReturnType<typeof listTokens>>[number]): Token => {
  const { secretHash: _hash, personId: _person, ...shown } = token;
  return { ...shown, person };
};

async function tellTokens(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { person, role } = asker(req);
  const rows = await listTokens(ws.db, role === 'runs' ? undefined : person.id);
  res.json(rows.map(toToken));
}

async function makeToken(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { person, role, by } = asker(req);
  if (by.kind !== 'session') refuse(403, 'not-yours', 'A token makes no tokens.', 'Sign in with a browser.');
  const wanted = bodyOf(newTokenSchema, req);
  const secret = `${tokenPrefix}${newSecret()}`;
  const [token] = await ws.db
    .insert(tokens)
    .values({
      id: nanoid(10),
      secretHash: hashOf(secret),
      personId: person.id,
      name: wanted.name,
      role: lesser(wanted.role, role),
      createdAt: now(),
      endsAt: addDays(new Date(), wanted.days).toISOString(),
    })
    .returning();
  res
    .set('Cache-Control', 'no-store')
    .json({ token: toToken({ token: token!, person: person.name }), secret });
}

async function revoke(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { person, role } = asker(req);
  const gone = await ws.db
    .delete(tokens)
    .where(and(eq(tokens.id, param(req)), role === 'runs' ? undefined : eq(tokens.personId, person.id)))
    .returning({ id: tokens.id });
  if (gone.length === 0) refuse(404, 'not-found', 'That token is not here any more.');
  ws.live.cutOff([param(req)], res);
  res.status(204).end();
}
