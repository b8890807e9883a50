import { Router, type Request, type Response } from 'express';
import { create as contentDisposition } from 'content-disposition';
import { stringify } from 'csv-stringify/sync';
import { addDays, format } from 'date-fns';
import { asc, desc, eq, inArray } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import type * as z from 'zod';
import { faultLine, happeningWords, waitsFor } from '@mivvy/core';
import {
  ledgerAddressSchema,
  ledgerQuerySchema,
  newLedgerViewSchema,
  trackingChangeSchema,
  type LedgerQuery,
} from '@mivvy/api';
import { happenings, ledgerViews, versions } from '../db/schema.ts';
import { dueCalendar } from '../due-calendar.ts';
import { happened } from '../happenings.ts';
import { bodyOf, param, refuse, route, whoOf, windowOf } from '../http/problems.ts';
import { tellProduction } from '../tell.ts';
import { attention, ledgerPage } from '../views/ledger.ts';
import { now, type Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** What other programs are given is whole, and no page of it. */
const everything = { from: 0, count: 1_000_000_000 };
/** So much of what happened is listed. */
const mostHappenings = 300;

/** Routes of the ledger: every deliverable of every production, when it is due and who has it. */
export function ledgerRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/ledger',
    route(async (req, res) => {
      const { query, page } = askedOf(req);
      res.json(await ledgerPage(ws, query, page));
    }),
  );
  router.get(
    '/ledger.csv',
    route((req, res) => sendTable(ws, req, res)),
  );
  router.get(
    '/due.ics',
    route(async (req, res) => {
      const { query } = askedOf(req);
      const { rows } = await ledgerPage(ws, query, everything);
      res.type('text/calendar; charset=utf-8').send(dueCalendar(rows, now()));
    }),
  );
  router.get(
    '/attention',
    route(async (_req, res) => {
      const today = new Date();
      res.json(await attention(ws, format(today, 'yyyy-MM-dd'), format(addDays(today, 1), 'yyyy-MM-dd')));
    }),
  );
  router.get(
    '/ledger/views',
    route(async (_req, res) => res.json(await viewsOf(ws))),
  );
  router.post(
    '/ledger/views',
    route(async (req, res) => {
      const { name, query } = bodyOf(newLedgerViewSchema, req);
      await ws.db.insert(ledgerViews).values({ id: nanoid(10), name, query, createdAt: now() });
      ws.events.tell({ kind: 'workspace' });
      res.json(await viewsOf(ws));
    }),
  );
  router.delete(
    '/ledger/views/:id',
    route(async (req, res) => {
      await ws.db.delete(ledgerViews).where(eq(ledgerViews.id, param(req)));
      ws.events.tell({ kind: 'workspace' });
      res.status(204).end();
    }),
  );
  router.patch(
    '/productions/:id/tracking',
    route((req, res) => changeTracking(ws, req, res)),
  );
  router.get(
    '/productions/:id/happenings',
    route(async (req, res) => {
      const { id } = await findProduction(ws.db, param(req));
      const rows = await ws.db
        .select()
        .from(happenings)
        .where(eq(happenings.productionId, id))
        .orderBy(desc(happenings.id))
        .limit(mostHappenings);
      res.json(rows.map(({ productionId: _of, linkId: _link, ...row }) => row));
    }),
  );
  return router;
}

/** What an address asks for, with its page; refuses what it does not understand. */
function askedOf(req: Request): {
  query: LedgerQuery;
  page: { from: number; count: number; folded: string[] };
} {
  const parsed: z.ZodSafeParseResult<z.infer<typeof ledgerAddressSchema>> = ledgerAddressSchema.safeParse(
    req.query,
  );
  if (!parsed.success) return refuse(400, 'bad-request', `${faultLine(parsed.error)}.`);
  const { from, count, folded = [], ...asked } = parsed.data;
  return { query: ledgerQuerySchema.parse(asked), page: { from, count, folded } };
}

const viewsOf = async (ws: Workspace) => {
  const rows = await ws.db.select().from(ledgerViews).orderBy(asc(ledgerViews.createdAt));
  return rows.map(({ id, name, query }) => ({ id, name, query }));
};

/** Signs that a spreadsheet would take for a formula are kept from being one (OWASP's advice on CSV injection, from memory). */
const asText = (value: string | null): string =>
  value && /^[=+\-@\t\r]/.test(value) ? `'${value}` : (value ?? '');

async function sendTable(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { query } = askedOf(req);
  const { rows } = await ledgerPage(ws, query, everything);
  const table = stringify(
    rows.map((row) =>
      [
        row.production,
        row.client,
        row.master,
        row.cut,
        row.outlet,
        row.placement,
        row.fileName,
        row.stage,
        row.dueOn,
        row.holder,
        waitsFor[row.stage],
        row.last && happeningWords(row.last.what),
        row.last?.at ?? null,
      ].map(asText),
    ),
    {
      header: true,
      columns: [
        'production',
        'client',
        'master',
        'cut',
        'outlet',
        'placement',
        'file',
        'stage',
        'due',
        'has it',
        'waits for',
        'last',
        'last at',
      ],
    },
  );
  res
    .type('text/csv; charset=utf-8')
    .set('Content-Disposition', contentDisposition('ledger.csv'))
    .send(table);
}

async function changeTracking(ws: Workspace, req: Request, res: Response): Promise<void> {
  const { id } = await findProduction(ws.db, param(req));
  const { versionIds, dueOn, holder } = bodyOf(trackingChangeSchema, req);
  const changed = await ws.db.transaction(async (tx) => {
    let count = 0;
    const rows = await tx.select().from(versions).where(inArray(versions.id, versionIds));
    const own = rows.filter((row) => row.productionId === id);
    for (const row of own) {
      const change = {
        ...(dueOn !== undefined && dueOn !== row.dueOn ? { dueOn } : {}),
        ...(holder !== undefined && holder !== row.holder ? { holder } : {}),
      };
      if (Object.keys(change).length === 0) continue;
      await tx.update(versions).set(change).where(eq(versions.id, row.id));
      count++;
      const of = { by: whoOf(req), productionId: id, versionId: row.id };
      if ('dueOn' in change)
        await happened(tx, [{ ...of, what: { kind: 'due', day: change.dueOn ?? null } }]);
      if ('holder' in change)
        await happened(tx, [{ ...of, what: { kind: 'holder', holder: change.holder ?? '' } }]);
    }
    return count;
  });
  await tellProduction(ws, id, windowOf(req));
  res.json({ changed });
}
