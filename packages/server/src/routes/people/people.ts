import { eq } from 'drizzle-orm';
import type { Request, Response, Router } from 'express';
import type { Result } from '@mivvy/core';
import { newPersonSchema, personChangeSchema } from '@mivvy/api';
import { sessions, tokens } from '../../db/schema.ts';
import { bodyOf, param, refuse } from '../../http/problems.ts';
import {
  addPerson,
  changePerson,
  findPerson,
  listPeople,
  removePerson,
  renewLink,
  toPerson,
} from '../../people/people.ts';
import type { Workspace } from '../../workspace.ts';
import { answering } from './answering.ts';
import { asker } from './asker.ts';
import type { PersonRow } from '../../people/row.ts';

/** Routes of who may come in. */
export function peopleRoutes(ws: Workspace): Router {
  const { router, on } = answering(ws);
  on('get', '/people', tellPeople);
  on('post', '/people', welcome);
  on('patch', '/people/:id', change);
  on('delete', '/people/:id', letGo);
  on('post', '/people/:id/link', linkAnew);
  return router;
}

/** What was done, or the request refused in the problem's words. */
function done<T>(result: Result<T>): T {
  if (result.ok) return result.value;
  const { code, sentence, mend } = result.problem;
  return refuse(409, code, sentence, mend);
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
