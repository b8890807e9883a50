import { createRequire } from 'node:module';
import { pathToFileURL } from 'node:url';
import { Worker } from 'node:worker_threads';
import type * as z from 'zod';
import { bundled } from '@mivvy/bundle';
import { Cancelled } from '../ffmpeg/run.ts';

/** A module that loads another one through the loader that reads TypeScript, which a process does not pass on to its workers. */
function throughLoader(file: URL): URL {
  const loader = pathToFileURL(
    createRequire(import.meta.url)
      .resolve('tsx/esm/api')
      .replace(/cjs$/, 'mjs'),
  ).href;
  const start = `import { register } from ${JSON.stringify(loader)}; register(); await import(${JSON.stringify(file.href)});`;
  return new URL(`data:text/javascript,${encodeURIComponent(start)}`);
}

/** Starts a worker thread: of the bundle of its modules, or slower where that cannot be written down. */
export async function startWorker(file: URL, data: unknown): Promise<Worker> {
  const module = await bundled(file).catch(() => throughLoader(file));
  return new Worker(module, { workerData: data, execArgv: [] });
}

interface WorkerRun<News extends { kind: string }> {
  file: URL;
  data: unknown;
  news: z.ZodType<News>;
  /** Everything the worker tells before its end. */
  onNews?: (news: Exclude<News, { kind: 'ended' }>) => void;
  signal?: AbortSignal | undefined;
  /** The worker takes one job after the other. */
  kept?: boolean;
}

/** A worker that is still being loaded hears nothing; it has started no tool yet, and is ended from outside. */
const stopsWithinMs = 1500;

/** Workers that wait for their next job, by their file: starting one takes longer than many a job. */
const waiting = new Map<string, Worker[]>();
/** A worker that has waited so long is let go, milliseconds: the next file of a set takes some minutes to be made. */
const waitsMs = 5 * 60_000;

/** A worker that waits, or a new one, with a job given to it. */
async function takeKept(file: URL, data: unknown): Promise<Worker> {
  const worker = waiting.get(file.href)?.pop() ?? (await startWorker(file, null));
  worker.ref();
  worker.postMessage(data);
  return worker;
}

/** Lets a worker wait for its next job, without keeping the process alive. */
function keep(file: URL, worker: Worker): void {
  // By name: a worker has listeners of its own, without which it is deaf.
  for (const event of ['message', 'error', 'exit']) worker.removeAllListeners(event);
  const others = waiting.get(file.href) ?? [];
  waiting.set(file.href, [...others, worker]);
  worker.unref();
  const forget = () => {
    const left = waiting.get(file.href)?.filter((w) => w !== worker) ?? [];
    waiting.set(file.href, left);
  };
  // One that dies while it waits is not given a job.
  worker.once('error', forget);
  worker.once('exit', forget);
  setTimeout(() => {
    if (!waiting.get(file.href)?.includes(worker)) return;
    forget();
    void worker.terminate();
  }, waitsMs).unref();
}

/**
 * Runs a worker thread until it tells its end. Aborting asks it to stop, so that it can end the tools it has started;
 * then {@link Cancelled} is thrown. A worker that dies on the way throws its error. With `kept` the worker gets its job
 * as a message, and waits for the next one afterwards.
 */
export async function runWorker<News extends { kind: string }>({
  file,
  data,
  news,
  onNews,
  signal,
  kept = false,
}: WorkerRun<News>): Promise<Extract<News, { kind: 'ended' }>> {
  if (signal?.aborted) throw new Cancelled();
  const worker = await (kept ? takeKept(file, data) : startWorker(file, data));
  let giveUp: NodeJS.Timeout | undefined;
  const stop = () => {
    worker.postMessage('stop');
    giveUp = setTimeout(() => void worker.terminate(), stopsWithinMs);
  };
  signal?.addEventListener('abort', stop, { once: true });
  // Aborted while it was started.
  if (signal?.aborted) stop();
  try {
    const end = await new Promise<Extract<News, { kind: 'ended' }> | null>((resolve, reject) => {
      worker.on('message', (message) => {
        const told = news.parse(message);
        if (told.kind === 'ended') resolve(told as Extract<News, { kind: 'ended' }>);
        else onNews?.(told as Exclude<News, { kind: 'ended' }>);
      });
      worker.on('error', reject);
      worker.on('exit', () => resolve(null));
    });
    if (signal?.aborted) throw new Cancelled();
    if (!end) throw new Error('a worker ended without a word');
    if (kept) keep(file, worker);
    return end;
  } catch (error) {
    // One that waits for jobs would wait for ever.
    if (kept) void worker.terminate();
    throw error;
  } finally {
    signal?.removeEventListener('abort', stop);
    clearTimeout(giveUp);
  }
}
