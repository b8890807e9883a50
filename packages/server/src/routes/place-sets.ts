import { Router, type Request, type Response } from 'express';
import { and, eq, ne } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { newPlaceSetSchema, placeSetChangeSchema } from '@mivvy/api';
import { placeSets } from '../db/schema.ts';
import { bodyOf, param, refuse, route } from '../http/problems.ts';
import { allPlaceSets } from '../place-sets.ts';
import { now, type Workspace } from '../workspace.ts';

/** Routes of the sets in which placements are taken. */
export function placeSetRoutes(ws: Workspace): Router {
  const router = Router();
  const answer = async (res: Response) => res.json(await allPlaceSets(ws.db));
  const tell = () => ws.events.tell({ kind: 'workspace' });
  /** Named sets can be changed; the one that was taken last is kept by itself. */
  const find = async (req: Request) => {
    const [row] = await ws.db
      .select()
      .from(placeSets)
      .where(and(eq(placeSets.id, param(req)), ne(placeSets.id, 'last')));
    return row ?? refuse(404, 'not-found', 'That set of places is not here any more.');
  };
  const nameIsFree = async (name: string, except: string) => {
    const same = await ws.db.select().from(placeSets).where(ne(placeSets.id, except));
    if (same.some((set) => set.name.toLowerCase() === name.toLowerCase()))
      refuse(409, 'name-taken', `There is a set called “${name}” already.`, 'Give this one another name.');
  };

  router.get(
    '/place-sets',
    route((_req, res) => answer(res)),
  );
  router.post(
    '/place-sets',
    route(async (req, res) => {
      const { name, placementIds } = bodyOf(newPlaceSetSchema, req);
      await nameIsFree(name, '');
      await ws.db.insert(placeSets).values({ id: nanoid(10), name, placementIds, usedAt: now() });
      tell();
      await answer(res);
    }),
  );
  router.patch(
    '/place-sets/:id',
    route(async (req, res) => {
      const { id } = await find(req);
      const change = bodyOf(placeSetChangeSchema, req);
      if (change.name !== undefined) await nameIsFree(change.name, id);
      if (Object.keys(change).length) await ws.db.update(placeSets).set(change).where(eq(placeSets.id, id));
      tell();
      await answer(res);
    }),
  );
  router.delete(
    '/place-sets/:id',
    route(async (req, res) => {
      const { id } = await find(req);
      await ws.db.delete(placeSets).where(eq(placeSets.id, id));
      tell();
      res.status(204).end();
    }),
  );
  return router;
}
