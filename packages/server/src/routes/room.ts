import type { Request, Response, Router } from 'express';
import { clearRoomSchema, roomRuleSchema } from '@mivvy/api';
import { bodyOf, queryOf, whoOf } from '../http/problems.ts';
import { clearByRule, roomView } from '../room.ts';
import type { Workspace } from '../workspace.ts';
import { answering } from './people/answering.ts';

/** Routes of the room on the disk: what lies there, what would go by a rule, and letting it go. */
export function roomRoutes(ws: Workspace): Router {
  const { router, on } = answering(ws);
  on('get', '/room', tell);
  on('post', '/room/clear', clear);
  return router;
}

async function tell(ws: Workspace, req: Request, res: Response): Promise<void> {
  res.json(await roomView(ws, queryOf(roomRuleSchema, req)));
}

async function clear(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { what, productionIds, ...rule } = bodyOf(clearRoomSchema, req);
  res.json({ productions: await clearByRule(ws, rule, { what, productionIds }, whoOf(req)) });
}
