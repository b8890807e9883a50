import { createRequire } from 'node:module';
import { pathToFileURL } from 'node:url';
import { Worker } from 'node:worker_threads';
import type * as z from 'zod';
import { Cancelled } from '../ffmpeg/run.ts';

/** Starts a worker thread. It is TypeScript like everything else, and a loader given to this process does not reach its workers. */
export function startWorker(file: URL, data: unknown): Worker {
  const loader = pathToFileURL(
    createRequire(import.meta.url)
      .resolve('tsx/esm/api')
      .replace(/cjs$/, 'mjs'),
  ).href;
  const start = `import { register } from ${JSON.stringify(loader)}; register(); await import(${JSON.stringify(file.href)});`;
  return new Worker(new URL(`data:text/javascript,${encodeURIComponent(start)}`), {
    workerData: data,
    execArgv: [],
  });
}

interface WorkerRun<News extends { kind: string }> {
  file: URL;
  data: unknown;
  news: z.ZodType<News>;
  /** Everything the worker tells before its end. */
  onNews?: (news: Exclude<News, { kind: 'ended' }>) => void;
  signal?: AbortSignal | undefined;
}

/** A worker that is still being loaded hears nothing; it has started no tool yet, and is ended from outside. */
const stopsWithinMs = 1500;

/**
 * Runs a worker thread until it tells its end. Aborting asks it to stop, so that it can end the tools it has started;
 * then {@link Cancelled} is thrown. A worker that dies on the way throws its error.
 */
export async function runWorker<News extends { kind: string }>({
  file,
  data,
  news,
  onNews,
  signal,
}: WorkerRun<News>): Promise<Extract<News, { kind: 'ended' }>> {
  if (signal?.aborted) throw new Cancelled();
  const worker = startWorker(file, data);
  let giveUp: NodeJS.Timeout | undefined;
  const stop = () => {
    worker.postMessage('stop');
    giveUp = setTimeout(() => void worker.terminate(), stopsWithinMs);
  };
  signal?.addEventListener('abort', stop, { once: true });
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
    return end;
  } finally {
    signal?.removeEventListener('abort', stop);
    clearTimeout(giveUp);
  }
}
