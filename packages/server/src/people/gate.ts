import { parse as parseCookies } from 'cookie';
import type { Request, RequestHandler } from 'express';
import { roles } from '@mivvy/api';
import type { Workspace } from '../workspace.ts';
import { askedBy } from './asked.ts';
import { askerBySession, askerByToken, tokenPrefix, type Asker } from './asker.ts';
import type { Access } from './access.ts';
import { isAttended } from './idle.ts';
import { isForMachines, isForSettingUp, neededFor } from './rights.ts';
import type { PersonRow } from './row.ts';

/** The cookie of a signed-in browser. Over TLS its name binds it to this host and to TLS (RFC 6265bis, “__Host-”). */
export const cookieName = ({ secure }: Pick<Access, 'secure'>) =>
  secure ? '__Host-mivvy-person' : 'mivvy-person';

async function findAsker(ws: Workspace, request: Request): Promise<Asker | null> {
  const bearer = /^Bearer (\S+)$/i.exec(request.headers.authorization ?? '')?.[1];
  if (bearer !== undefined) return bearer.startsWith(tokenPrefix) ? askerByToken(ws.db, bearer) : null;
  const secret = parseCookies(request.headers.cookie ?? '')[cookieName(ws.access)];
  return secret === undefined ? null : askerBySession(ws.db, secret, isAttended(request));
}

/** Nothing but a second factor can be set up until there is one: the workspace asks for it of people like them. */
export const mustSetUpCodes = ({ secondFactor }: Access, person: PersonRow): boolean =>
  person.codesSince === null &&
  (secondFactor === 'everybody' || (secondFactor === 'runs' && person.role === 'runs'));

/** Lets nobody through who may not what they ask for; without sign-in everybody may everything. */
export function gate(ws: Workspace): RequestHandler {
  return async (request, response, next) => {
    if (!ws.access.signIn) return next();
    const needed = neededFor(request.method, request.path);
    const asker = await findAsker(ws, request);
    if (asker) {
      askedBy(request, asker);
      ws.live.add(asker.by.id, response);
    }
    if (needed === 'nobody') return next();
    if (!asker)
      return void response
        .status(401)
        .set('WWW-Authenticate', 'Bearer')
        .json({ code: 'sign-in', sentence: 'Nobody is signed in here.', mend: 'Sign in, then go on.' });
    if (asker.machine && !isForMachines(request.path))
      return void response.status(403).json({
        code: 'not-yours',
        sentence: 'This token is a render machine’s and opens nothing but what such a machine needs.',
        mend: 'Make another for scripts.',
      });
    // Tokens are not asked: whoever made one was.
    if (
      asker.by.kind === 'session' &&
      mustSetUpCodes(ws.access, asker.person) &&
      !isForSettingUp(request.path)
    )
      return void response.status(403).json({
        code: 'second-factor-wanted',
        sentence: 'This workspace asks for a second factor beside the password.',
        mend: 'Set one up, then go on.',
      });
    if (needed !== 'anybody' && roles.indexOf(asker.role) > roles.indexOf(needed))
      return void response.status(403).json({
        code: 'not-yours',
        sentence:
          needed === 'runs'
            ? 'Only people who run everything may do that.'
            : 'You may look at everything here and change nothing.',
        mend: 'Ask somebody who runs this workspace.',
      });
    next();
  };
}
