import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import express, { type Express } from 'express';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import { locateTools } from '@mivvy/media';
import { release } from '@mivvy/api';
import { openApiDocument } from '@mivvy/api/openapi';
import { isDiskFull } from './disk/full.ts';
import { guardOrigin, guardWorkspace } from './http/guard.ts';
import { gate } from './people/gate.ts';
import { Metrics } from './http/metrics.ts';
import { answerProblems } from './http/problems.ts';

import { apiRoutes } from './routes/api.ts';
import { resultRoutes } from './routes/results.ts';
import { uploadRoutes } from './routes/uploads.ts';
import type { Workspace } from './workspace.ts';

/** The built interface; absent while it is being developed, when Vite serves it. Measuring uses a build of its own. */
const interfaceDir = process.env.MIVVY_INTERFACE ?? fileURLToPath(new URL('../../web/dist', import.meta.url));

/** The whole HTTP side: API, event stream, uploads, and the built interface. */
export function createApp(ws: Workspace): Express {
  const app = express();
  app.disable('x-powered-by');
  if (ws.access.trustedProxies.length) app.set('trust proxy', [...ws.access.trustedProxies]);
  app.use(
    pinoHttp({
      logger: ws.log,
      serializers: {
        req: (r: { method: string; url: string }) => ({ method: r.method, url: r.url }),
        res: (r: { statusCode: number }) => ({ status: r.statusCode }),
      },
      autoLogging: { ignore: (req) => req.url === '/api/events' },
      customLogLevel: (_req, res, error) =>
        error || res.statusCode >= 500 ? 'error' : res.statusCode >= 400 ? 'warn' : 'debug',
    }),
  );
  app.use(
    helmet({
      // Over plain HTTP, on this machine alone, there is nothing to be strict about.
      strictTransportSecurity: ws.access.secure,
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          baseUri: ["'none'"],
          objectSrc: ["'none'"],
          frameAncestors: ["'none'"],
          formAction: ["'self'"],
          imgSrc: ["'self'", 'data:', 'blob:'],
          mediaSrc: ["'self'", 'blob:'],
          fontSrc: ["'self'", 'data:'],
          connectSrc: ["'self'"],
          scriptSrc: ["'self'"],
          styleSrc: ["'self'", "'unsafe-inline'"], // the component library writes its styles at run time
          workerSrc: ["'self'", 'blob:'],
        },
      },
    }),
  );
  app.use(guardOrigin(ws.access), guardWorkspace());
  const metrics = new Metrics(ws);
  app.use('/api', metrics.timing(), gate(ws));

  app.all(['/api/uploads', '/api/uploads/*rest'], uploadRoutes(ws));
  app.all(['/api/machines/results', '/api/machines/results/*rest'], resultRoutes(ws));

  app.get('/api/health', async (_req, res) => {
    const tools = await locateTools();
    await ws.disk.look();
    res.json({
      disk: ws.disk.state,
      ok: tools.ok,
      release,
      ffmpeg: tools.ok ? tools.value.version : null,
      problem: tools.ok ? null : tools.problem,
      freeBytes: ws.disk.state.freeBytes,
    });
  });
  app.get('/api/metrics', (req, res) => metrics.tell(req, res));
  app.get('/api/openapi.json', (_req, res) => void res.json(openApiDocument(release)));
  app.get('/api/events', async (req, res) => ws.events.join(req, res));
  app.use('/api', express.json({ limit: '24mb' }), ...apiRoutes(ws));
  app.use(
    '/api',
    (_req, res) =>
      void res
        .status(404)
        .json({ code: 'not-found', sentence: 'There is nothing at this address.', mend: '' }),
  );

  if (existsSync(interfaceDir)) {
    app.use(
      express.static(interfaceDir, {
        index: false,
        setHeaders: (res, path) =>
          res.setHeader(
            'Cache-Control',
            path.includes(`${join('dist', 'assets')}`) ? 'public, max-age=31536000, immutable' : 'no-cache',
          ),
      }),
    );
    app.get('/*path', (_req, res) =>
      res.sendFile(join(interfaceDir, 'index.html'), { headers: { 'Cache-Control': 'no-cache' } }),
    );
    app.get('/', (_req, res) =>
      res.sendFile(join(interfaceDir, 'index.html'), { headers: { 'Cache-Control': 'no-cache' } }),
    );
  }
  app.use(
    answerProblems((error) => {
      ws.log.error({ err: error }, 'request failed');
      if (isDiskFull(error)) void ws.disk.look();
    }),
  );
  return app;
}
