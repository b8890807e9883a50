import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { execa } from 'execa';
import { pino } from 'pino';
import * as z from 'zod';
import {
  jobSchema,
  problemSchema,
  productionDetailSchema,
  type Job,
  type ProductionDetail,
} from '@mivvy/api';
import { operations } from '@mivvy/api/openapi';
import { createApp } from '../app.ts';
import { serveHere } from '../http/listen.ts';
import { openWorkspace, type OpenOptions } from '../open.ts';

const described = operations.map((op) => ({
  ...op,
  address: new RegExp(`^${op.path.replace(/^\/api/, '').replace(/\{\w+\}/g, '[^/]+')}$`),
}));

/** Whatever a test asks for, its answer is one that the API's description knows. Throws where it is not. */
function expectDescribed(method: string, path: string, answer: Response, text: string): void {
  const [address = ''] = path.split('?');
  const op = described.find((o) => o.method === method.toLowerCase() && o.address.test(address));
  const isJson = /json/.test(answer.headers.get('content-type') ?? '');
  const schema = answer.ok ? op?.answer : problemSchema;
  if (!schema || !isJson || !text) return;
  const read = schema.safeParse(JSON.parse(text));
  if (!read.success)
    throw new Error(`${method} ${path} answers what is not described: ${JSON.stringify(read.error.issues)}`);
}

/** It waits or runs. */
export const isActive = (job: Job): boolean => job.state === 'queued' || job.state === 'running';

/** A server on a data folder of its own, for one test file. */
export async function testServer(over: Partial<OpenOptions> = {}) {
  const dir = over.dataDir ?? (await mkdtemp(join(tmpdir(), 'mivvy server ')));
  const ws = await openWorkspace({
    dataDir: dir,
    log: pino({ level: 'silent' }),
    looking: 'when-asked',
    // The same order on every machine.
    exportsAtOnce: 1,
    detector: false,
    ...over,
  });
  const { base, close } = await serveHere(createApp(ws));
  const call = async (method: string, path: string, body?: unknown, headers: Record<string, string> = {}) => {
    const answer = await fetch(`${base}/api${path}`, {
      method,
      headers: { ...(body === undefined ? {} : { 'Content-Type': 'application/json' }), ...headers },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const text = await answer.text();
    expectDescribed(method, path, answer, text);
    return {
      status: answer.status,
      body: (text && /json/.test(answer.headers.get('content-type') ?? '')
        ? JSON.parse(text)
        : text) as never,
      headers: answer.headers,
    };
  };
  const get = async <S extends z.ZodType>(
    schema: S,
    method: string,
    path: string,
    body?: unknown,
  ): Promise<z.infer<S>> => {
    const answer = await call(method, path, body);
    if (answer.status >= 300)
      throw new Error(`${method} ${path}: ${answer.status} ${JSON.stringify(answer.body)}`);
    return schema.parse(answer.body);
  };
  return {
    dir,
    ws,
    base,
    call,
    /** Asks and parses; anything but success is a failed test. */
    get,
    /** A production with the jobs that wait or run for it. */
    async detail(id: string): Promise<ProductionDetail & { jobs: Job[] }> {
      // Jobs first: one that ends in between has changed the production by then.
      const jobs = await get(z.array(jobSchema), 'GET', `/productions/${id}/jobs`);
      return {
        ...(await get(productionDetailSchema, 'GET', `/productions/${id}`)),
        jobs: jobs.filter(isActive),
      };
    },
    async stop(keep = false) {
      await close();
      await ws.close();
      if (!keep) await rm(dir, { recursive: true, force: true });
    },
  };
}
export type TestServer = Awaited<ReturnType<typeof testServer>>;

/** A small film for tests, with sound. */
export async function smallFilm(path: string, seconds = 2): Promise<void> {
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    `testsrc2=s=320x180:r=25:d=${seconds}`,
    '-f',
    'lavfi',
    '-i',
    `sine=440:d=${seconds}`,
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-pix_fmt',
    'yuv420p',
    '-c:a',
    'aac',
    '-f',
    'mp4',
    path,
  ]);
}

/** Waits until something is true; five minutes at most, because a machine may be loaded. */
export async function until<T>(look: () => Promise<T | undefined | false>): Promise<T> {
  const started = performance.now();
  for (;;) {
    const value = await look();
    if (value) return value;
    if (performance.now() - started > 300_000) throw new Error('waited in vain');
    await new Promise((resolve) => setTimeout(resolve, 60));
  }
}

/** A book with quick placements. */
export const quickBook = JSON.stringify({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'quick',
      name: 'Quick',
      placements: [
        {
          id: 'quick-tall',
          name: 'Tall',
          frame: { width: 90, height: 160 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
          audio: null,
        },
        {
          id: 'quick-square',
          name: 'Square',
          frame: { width: 120, height: 120 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
          audio: null,
        },
        {
          id: 'quick-short',
          name: 'Short',
          frame: { width: 120, height: 120 },
          duration: { maxSeconds: 1 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
          audio: null,
        },
      ],
    },
  ],
});

/** A book with so many placements, `place-0` and on, each of a shape of its own; wider ones take longer. */
export function bookOf(placements: number, { width, height }: { width: number; height: number }): string {
  const { outlets, ...rest } = JSON.parse(quickBook) as {
    outlets: { placements: Record<string, unknown>[] }[];
  };
  const [like] = outlets[0]!.placements;
  const made = Array.from({ length: placements }, (_, i) => ({
    ...like,
    id: `place-${i}`,
    name: `Place ${i}`,
    frame: { width: width + 20 * i, height },
  }));
  return JSON.stringify({ ...rest, outlets: [{ ...outlets[0], placements: made }] });
}
