import { Router, type Request, type Response } from 'express';
import { route } from '../../http/problems.ts';
import type { Workspace } from '../../workspace.ts';

type Answer = (ws: Workspace, request: Request, response: Response) => Promise<void>;

/** A router, and a way to name what answers at an address of it. */
export function answering(ws: Workspace) {
  const router = Router();
  const on = (method: 'get' | 'post' | 'patch' | 'delete', path: string, answer: Answer) =>
    router[method](
      path,
      route((request, response) => answer(ws, request, response)),
    );
  return { router, on };
}
