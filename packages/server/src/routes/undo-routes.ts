import type { Request, Router } from 'express';
import type { Writer } from '../db/database.ts';
import type { Memento } from '../db/codecs.ts';
import { recall } from '../history.ts';
import { param, route, whoOf } from '../http/problems.ts';
import type { Workspace } from '../workspace.ts';

/** What can be taken back of one kind of thing. */
export interface Undoable<Row extends { id: string }> {
  /** Finds the thing; refuses the request where it is not there. */
  find: (id: string) => Promise<Row>;
  /** Writes what it was, for who asks. Called inside the transaction that marks the change as taken back, or as done again. */
  restore: (tx: Writer, row: Row, state: Memento, by: string) => Promise<void>;
  /** Tells of the change and is what the request is answered with. Called after the transaction. */
  answer: (request: Request, row: Row, state: Memento | undefined) => Promise<unknown>;
}

/** The routes that take the last change of a thing back, or do it again. Where there is none, nothing changes. */
export function undoRoutes<Row extends { id: string }>(
  router: Router,
  { db }: Pick<Workspace, 'db'>,
  address: `/${string}/:id${string}`,
  { find, restore, answer }: Undoable<Row>,
): void {
  for (const direction of ['undo', 'redo'] as const) {
    router.post(
      `${address}/${direction}`,
      route(async (req, res) => {
        const row = await find(param(req));
        const state = await db.transaction(async (tx) => {
          const found = await recall(tx, row.id, direction);
          if (!found) return undefined;
          await restore(tx, row, found.state, whoOf(req));
          await found.done();
          return found.state;
        });
        res.json(await answer(req, row, state));
      }),
    );
  }
}
