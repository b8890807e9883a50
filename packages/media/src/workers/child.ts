import { spawn, type ChildProcess } from 'node:child_process';
import { parentPort } from 'node:worker_threads';
import { killedFromOutside, leftUnfinished } from '../ffmpeg/run.ts';
import { toolCall } from '../ffmpeg/tool.ts';

/** A tool that a worker has started. */
export interface WorkerChild {
  child: ChildProcess;
  /** Its exit code; null when it was killed, could not be started, or left its file without its end. */
  ended: Promise<number | null>;
  /** What it has said on standard error, and whether something else than {@link stop} ended it. */
  words: () => string;
  /** Ends it at once. */
  stop: () => void;
}

/** Tools that are running; all of them end when the worker is told to stop. */
const living = new Set<() => void>();
let listening = false;

/** Starts ffmpeg from inside a worker; it is killed when the worker is told to stop. `more` opens pipe 3 for a second output. */
export function startChild(
  ffmpeg: string,
  args: string[],
  options: {
    cwd?: string;
    nice: boolean;
    stdin: 'ignore' | 'pipe';
    stdout: 'ignore' | 'pipe';
    more?: 'pipe';
  },
): WorkerChild {
  const [file, argv] = toolCall(ffmpeg, args, options.nice);
  const child = spawn(file, argv, {
    ...(options.cwd ? { cwd: options.cwd } : {}),
    stdio: [options.stdin, options.stdout, 'pipe', ...(options.more ? [options.more] : [])],
  });
  let words = '';
  let stopped = false;
  const stop = () => {
    stopped = true;
    child.kill('SIGKILL');
  };
  child.stderr!.on('data', (chunk: Buffer) => (words = (words + chunk.toString()).slice(-200_000)));
  const ended = new Promise<number | null>((resolve) => {
    child.on('error', (error) => {
      words += `${error.message}\n`;
      resolve(null);
    });
    child.on('close', (code, signal) => {
      living.delete(stop);
      if (signal && !stopped) words += killedFromOutside(signal);
      resolve(leftUnfinished(words) ? null : code);
    });
  });
  living.add(stop);
  if (!listening) {
    listening = true;
    parentPort!.on('message', (message) => {
      if (message === 'stop') living.forEach((end) => end());
    });
  }
  return { child, ended, words: () => words, stop };
}

/** Cuts a stream of bytes into pieces of one length. The piece handed over is used again for the next. */
export async function* piecesOf(stream: AsyncIterable<Buffer>, length: number): AsyncGenerator<Uint8Array> {
  const piece = new Uint8Array(length);
  let filled = 0;
  for await (const chunk of stream) {
    for (let at = 0; at < chunk.length;) {
      const part = Math.min(chunk.length - at, length - filled);
      piece.set(chunk.subarray(at, at + part), filled);
      filled += part;
      at += part;
      if (filled < length) continue;
      filled = 0;
      yield piece;
    }
  }
}

/** Hands each piece of a stream over, one after the other: see {@link piecesOf}. */
export async function eachPiece(
  stream: AsyncIterable<Buffer>,
  length: number,
  take: (piece: Uint8Array) => void | Promise<void>,
): Promise<void> {
  for await (const piece of piecesOf(stream, length)) await take(piece);
}
