import type { Request, Response, Router } from 'express';
import { eq } from 'drizzle-orm';
import { machineChangeSchema } from '@mivvy/api';
import { machines } from '../db/schema.ts';
import { bodyOf, param, refuse } from '../http/problems.ts';
import { machinesView } from '../views/machines.ts';
import type { Workspace } from '../workspace.ts';
import { answering } from './people/answering.ts';

/** Routes of the machines that make exports: what each does; letting one finish and take nothing more; removing it. */
export function machineRoutes(ws: Workspace): Router {
  const { router, on } = answering(ws);
  on('get', '/machines', tell);
  on('patch', '/machines/:id', change);
  on('delete', '/machines/:id', remove);
  return router;
}

async function tell(ws: Workspace, _req: Request, res: Response): Promise<void> {
  res.json(await machinesView(ws));
}

async function change(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { draining, atOnce } = bodyOf(machineChangeSchema, req);
  const changed = {
    ...(draining === undefined ? {} : { draining }),
    // Somebody has looked at it and lets it work again.
    ...(draining === false ? { trouble: null } : {}),
    ...(atOnce === undefined ? {} : { atOnce }),
  };
  const which = eq(machines.id, param(req));
  const [row] = await (Object.keys(changed).length
    ? ws.db.update(machines).set(changed).where(which).returning()
    : ws.db.select().from(machines).where(which));
  if (!row) refuse(404, 'not-found', 'That machine is not here any more.');
  ws.events.tell({ kind: 'machines' });
  const shown = (await machinesView(ws)).machines.find((machine) => machine.id === row.id);
  res.json(shown);
}

async function remove(ws: Workspace, req: Request, res: Response): Promise<void> {
  const [row] = await ws.db
    .delete(machines)
    .where(eq(machines.id, param(req)))
    .returning();
  if (!row) refuse(404, 'not-found', 'That machine is not here any more.');
  ws.events.tell({ kind: 'machines' });
  res.status(204).end();
}
