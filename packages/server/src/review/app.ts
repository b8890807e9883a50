import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import express, { type Express } from 'express';
import helmet from 'helmet';
import { isDiskFull } from '../disk/full.ts';
import { answerProblems } from '../http/problems.ts';
import type { Workspace } from '../workspace.ts';
import { reviewRoutes } from './routes.ts';

/** The built page, which has nothing of the workspace's interface in it. */
const pageDir =
  process.env.MIVVY_REVIEW_PAGE ?? fileURLToPath(new URL('../../../web/dist-review', import.meta.url));

/**
 * The review surface: an application of its own on a port of its own, so that what is bound to another address than
 * this machine's cannot reach anything of the workspace.
 */
export function createReviewApp(ws: Workspace): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    helmet({
      strictTransportSecurity: false,
      // The address holds the link's secret: no other site is told it.
      referrerPolicy: { policy: 'no-referrer' },
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'none'"],
          baseUri: ["'none'"],
          formAction: ["'none'"],
          frameAncestors: ["'none'"],
          imgSrc: ["'self'", 'data:'],
          mediaSrc: ["'self'"],
          fontSrc: ["'self'", 'data:'],
          connectSrc: ["'self'"],
          scriptSrc: ["'self'"],
          styleSrc: ["'self'", "'unsafe-inline'"],
        },
      },
    }),
  );
  app.use('/api/review', reviewRoutes(ws));
  if (existsSync(pageDir)) {
    app.use(
      '/assets',
      express.static(join(pageDir, 'assets'), { index: false, immutable: true, maxAge: '1y' }),
    );
    app.get('/r/:secret', (_req, res) =>
      res.sendFile(join(pageDir, 'review.html'), { headers: { 'Cache-Control': 'no-cache' } }),
    );
  }
  app.use(
    (_req, res) =>
      void res
        .status(404)
        .json({ code: 'not-found', sentence: 'There is nothing at this address.', mend: '' }),
  );
  app.use(
    answerProblems((error) => {
      ws.log.error({ err: error }, 'a review request failed');
      if (isDiskFull(error)) void ws.disk.look();
    }),
  );
  return app;
}
