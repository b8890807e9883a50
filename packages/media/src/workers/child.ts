import { spawn, type ChildProcess } from 'node:child_process';
import { parentPort } from 'node:worker_threads';

/** A tool that a worker has started. */
export interface WorkerChild {
  child: ChildProcess;
  /** Its exit code; null when it was killed or could not be started. */
  ended: Promise<number | null>;
  /** What it has said on standard error. */
  words: () => string;
}

/** Tools that are running; all of them end when the worker is told to stop. */
const living = new Set<ChildProcess>();
let listening = false;

/** Starts ffmpeg from inside a worker; it is killed when the worker is told to stop. `more` opens pipe 3 for a second output. */
export function startChild(ffmpeg: string, args: string[], options: { cwd?: string; nice: boolean; stdin: 'ignore' | 'pipe'; stdout: 'ignore' | 'pipe'; more?: 'pipe' }): WorkerChild {
  const [file, argv] = options.nice ? ['nice', ['-n', '10', ffmpeg, ...args]] : [ffmpeg, args];
  const child = spawn(file, argv, { ...(options.cwd ? { cwd: options.cwd } : {}), stdio: [options.stdin, options.stdout, 'pipe', ...(options.more ? [options.more] : [])] });
  let words = '';
  child.stderr!.on('data', (chunk: Buffer) => (words = (words + chunk.toString()).slice(-200_000)));
  const ended = new Promise<number | null>((resolve) => {
    child.on('error', (error) => {
      words += `${error.message}\n`;
      resolve(null);
    });
    child.on('close', (code) => resolve(code));
  });
  living.add(child);
  child.on('close', () => living.delete(child));
  if (!listening) {
    listening = true;
    parentPort!.on('message', () => living.forEach((one) => one.kill('SIGKILL')));
  }
  return { child, ended, words: () => words };
}

/** Cuts a stream of bytes into pieces of one length. The piece handed over is used again for the next. */
export async function eachPiece(stream: AsyncIterable<Buffer>, length: number, take: (piece: Uint8Array) => void | Promise<void>): Promise<void> {
  const piece = new Uint8Array(length);
  let filled = 0;
  for await (const chunk of stream) {
    for (let at = 0; at < chunk.length; ) {
      const part = Math.min(chunk.length - at, length - filled);
      piece.set(chunk.subarray(at, at + part), filled);
      filled += part;
      at += part;
      if (filled < length) continue;
      filled = 0;
      await take(piece);
    }
  }
}
