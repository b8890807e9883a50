import { subMinutes } from 'date-fns';
import { lt } from 'drizzle-orm';
import type { Request } from 'express';
import { sessions } from '../db/schema.ts';
import type { Workspace } from '../workspace.ts';

/** A page asks with it while nobody touches it: what it asks by itself does not keep anybody signed in. */
const unattendedHeader = 'X-Unattended';

/** Whether somebody who sits at a browser asks, and not the page by itself, or its stream of events that opens again. */
export const isAttended = (request: Request): boolean =>
  request.get(unattendedHeader) === undefined && request.path !== '/events';

/** Signs out browsers that nobody has used for so many minutes (OWASP ASVS 3.3.2), and cuts off what still goes to them. */
export async function endIdleSessions(ws: Pick<Workspace, 'db' | 'live' | 'access'>): Promise<void> {
  const { idleMinutes } = ws.access;
  if (idleMinutes === null) return;
  const since = subMinutes(new Date(), idleMinutes).toISOString();
  const ended = await ws.db
    .delete(sessions)
    .where(lt(sessions.lastSeenAt, since))
    .returning({ id: sessions.id });
  ws.live.cutOff(ended.map(({ id }) => id));
}
