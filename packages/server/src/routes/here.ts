import { Router, type Request, type Response } from 'express';
import { hereSchema } from '@mivvy/api';
import { bodyOf, route, whoOf, windowOf } from '../http/problems.ts';
import { steadyNow } from '../clocks.ts';
import type { Workspace } from '../workspace.ts';

/** A window that has not said for so long that it is here has gone, milliseconds. */
const goneAfterMs = 40_000;

/** Which version a window has open, and who sits before it. */
interface Here {
  versionId: string;
  name: string;
  at: number;
}

/** The route by which windows say which version they have open, and hear who else has. */
export function hereRoutes(_ws: Workspace): Router {
  const router = Router();
  const windows = new Map<string, Here>();
  router.post(
    '/here',
    route((req, res) => sayHere(windows, req, res)),
  );
  return router;
}

async function sayHere(windows: Map<string, Here>, req: Request, res: Response): Promise<void> {
  const { versionId } = bodyOf(hereSchema, req);
  const [own, name, now] = [windowOf(req), whoOf(req), steadyNow()];
  for (const [key, { at }] of windows) if (now - at > goneAfterMs) windows.delete(key);
  if (own !== null) {
    if (versionId === null) windows.delete(own);
    else windows.set(own, { versionId, name, at: now });
  }
  const others = [...windows]
    .filter(([key, here]) => key !== own && here.versionId === versionId)
    .map(([, here]) => here.name);
  res.json({ others: [...new Set(others)].sort() });
}
