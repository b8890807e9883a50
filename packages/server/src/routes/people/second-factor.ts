import type { Request, Response, Router } from 'express';
import { ownCodeSchema, ownPasswordSchema } from '@mivvy/api';
import { bodyOf, refuse } from '../../http/problems.ts';
import { endSessionsOf, isOwnPassword } from '../../people/people.ts';
import { forgetCodes, proposeCodes, secondFactorOf, turnCodesOn } from '../../people/second-factor.ts';
import type { Workspace } from '../../workspace.ts';
import { answering } from './answering.ts';
import { asker } from './asker.ts';
import type { PersonRow } from '../../people/row.ts';

/** Routes of one's own second factor: codes that are asked for beside the password. */
export function secondFactorRoutes(ws: Workspace): Router {
  const { router, on } = answering(ws);
  on('get', '/second-factor', tell);
  on('post', '/second-factor', propose);
  on('post', '/second-factor/on', turnOn);
  on('post', '/second-factor/off', turnOff);
  return router;
}

async function tell(ws: Workspace, req: Request, res: Response): Promise<void> {
  res.set('Cache-Control', 'no-store').json(await secondFactorOf(ws.db, asker(req).person));
}

/** Who asks by a browser; a script has no phone. */
function atBrowser(req: Request): { person: PersonRow; session: string } {
  const { person, by } = asker(req);
  if (by.kind !== 'session')
    refuse(403, 'not-yours', 'A token sets up no second factor.', 'Sign in with a browser.');
  return { person, session: by.id };
}

/** Whoever finds a browser open can neither put their own phone in the place of its owner's, nor do without. */
async function knowsPassword(ws: Workspace, req: Request): Promise<PersonRow> {
  const { person } = atBrowser(req);
  const { password } = bodyOf(ownPasswordSchema, req);
  if (!(await isOwnPassword(ws.db, person.id, password)))
    refuse(403, 'wrong', 'The password is not right.', 'Try again.');
  return person;
}

async function propose(ws: Workspace, req: Request, res: Response): Promise<void> {
  const proposed = await proposeCodes(ws.db, await knowsPassword(ws, req));
  if (!proposed)
    return refuse(409, 'has-one', 'There is a second factor already.', 'Turn it off, then set up another.');
  res.set('Cache-Control', 'no-store').json(proposed);
}

async function turnOn(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { person, session } = atBrowser(req);
  const codes = await turnCodesOn(ws.db, person, bodyOf(ownCodeSchema, req).code);
  if (!codes)
    return refuse(403, 'wrong-code', 'That code is not right.', 'Wait for the next one, and type that.');
  // Browsers that came in by the password alone are out.
  ws.live.cutOff(await endSessionsOf(ws.db, person.id, session));
  res.set('Cache-Control', 'no-store').json({ spareCodes: codes });
}

async function turnOff(ws: Workspace, req: Request, res: Response): Promise<void> {
  const person = await knowsPassword(ws, req);
  await forgetCodes(ws.db, person.id);
  res.status(204).end();
}
