import { addDays } from 'date-fns';
import { and, desc, eq } from 'drizzle-orm';
import type { Request, Response, Router } from 'express';
import { nanoid } from 'nanoid';
import { newTokenSchema, type Token } from '@mivvy/api';
import { people, sessions, tokens } from '../../db/schema.ts';
import { bodyOf, param, refuse } from '../../http/problems.ts';
import { lesser, tokenPrefix } from '../../people/asker.ts';
import { listTokens } from '../../people/people.ts';
import { hashOf, newSecret } from '../../secrets.ts';
import { now, type Workspace } from '../../workspace.ts';
import { answering } from './answering.ts';
import { asker } from './asker.ts';

/** Routes of what people come in by: browsers that are signed in, and tokens of scripts. */
export function keyRoutes(ws: Workspace): Router {
  const { router, on } = answering(ws);
  on('get', '/sessions', tellSessions);
  on('delete', '/sessions/:id', endSession);
  on('get', '/tokens', tellTokens);
  on('post', '/tokens', makeToken);
  on('delete', '/tokens/:id', revoke);
  return router;
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
      role: lesser(wanted.holder === 'machine' ? 'works' : wanted.role, role),
      holder: wanted.holder,
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
