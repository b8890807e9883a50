import type { Request, RequestHandler, Response } from 'express';
import { count } from 'drizzle-orm';
import { collectDefaultMetrics, Gauge, Histogram, Registry } from 'prom-client';
import { deliverables, jobs, productions } from '../db/schema.ts';
import type { Workspace } from '../workspace.ts';

/** Seconds that answers are sorted by: a screen's request, a slow one, a film that is fetched. */
const buckets = [0.01, 0.05, 0.2, 1, 5, 30];

/** What is to be watched of a running workspace, in the text format of Prometheus. */
export class Metrics {
  private readonly registry = new Registry();
  private readonly answered = new Histogram({
    name: 'mivvy_http_request_seconds',
    help: 'How long answers of the API took, by method and kind of status',
    labelNames: ['method', 'status'],
    buckets,
    registers: [this.registry],
  });
  private watched = false;

  constructor(private readonly ws: Workspace) {
    const { registry } = this;
    new Gauge({
      name: 'mivvy_jobs',
      help: 'Jobs by kind and state',
      labelNames: ['kind', 'state'],
      registers: [registry],
      async collect() {
        this.reset();
        const rows = await ws.db
          .select({ kind: jobs.kind, state: jobs.state, n: count() })
          .from(jobs)
          .groupBy(jobs.kind, jobs.state);
        for (const { kind, state, n } of rows) this.set({ kind, state }, n);
      },
    });
    new Gauge({
      name: 'mivvy_files',
      help: 'Files that were made, by whether they passed their check',
      labelNames: ['passed'],
      registers: [registry],
      async collect() {
        this.reset();
        const rows = await ws.db
          .select({ passed: deliverables.passed, n: count() })
          .from(deliverables)
          .groupBy(deliverables.passed);
        for (const { passed, n } of rows) this.set({ passed: String(passed) }, n);
      },
    });
    new Gauge({
      name: 'mivvy_productions',
      help: 'Productions of the workspace',
      registers: [registry],
      async collect() {
        const [row] = await ws.db.select({ n: count() }).from(productions);
        this.set(row!.n);
      },
    });
    new Gauge({
      name: 'mivvy_disk_free_bytes',
      help: 'Bytes free on the disk of the data folder',
      registers: [registry],
      async collect() {
        this.set(await ws.freeBytes());
      },
    });
  }

  /** Times every answer. Event streams are open for as long as their page is, and are left out. */
  timing(): RequestHandler {
    return (request, response, next) => {
      if (request.path !== '/events') {
        const started = performance.now();
        response.once('finish', () =>
          this.answered.observe(
            { method: request.method, status: `${Math.floor(response.statusCode / 100)}xx` },
            (performance.now() - started) / 1000,
          ),
        );
      }
      next();
    };
  }

  /** Tells all of it. */
  async tell(_request: Request, response: Response): Promise<void> {
    // What the process itself needs is watched from when somebody asks for it.
    if (!this.watched) collectDefaultMetrics({ register: this.registry });
    this.watched = true;
    await this.ws.disk.look();
    response.type(this.registry.contentType).send(await this.registry.metrics());
  }
}
