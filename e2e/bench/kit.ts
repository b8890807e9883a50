import { mkdir, readFile, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { execa } from 'execa';
import { heldFraming, makePlan, type Placement } from '../../packages/core/src/index.ts';
import { countFrames, probeMaster } from '../../packages/media/src/index.ts';

/** What every part of the measurements is given. */
export interface Bench {
  /** A folder that goes with the run. */
  dir: string;
  /** Of the project. */
  root: string;
  /** Pairs of runs that are set against each other, where a part runs pairs. */
  pairs: number;
  say: (line: string) => void;
}

/** A placement as upright films are asked for. */
export const tall: Placement = {
  id: 'tall',
  name: 'Tall',
  frame: { width: 1080, height: 1920 },
  container: 'mp4',
  video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 3500, maxKbps: 4000 }, keyframeSeconds: 2 },
  audio: {
    codec: 'aac',
    kbps: 128,
    sampleRate: 48000,
    channels: 2,
    loudness: { integratedLufs: -14, truePeakDbtp: -1 },
  },
};

/** Frames of eight versions as they usually stand on a sheet. */
export const eightShapes = [
  [1080, 1920],
  [1080, 1350],
  [1080, 1080],
  [1920, 1080],
  [1000, 1500],
  [1500, 500],
  [1440, 1080],
  [1080, 1920],
] as const;

/** A moving 1080p film of 20 s with sound; `grain` makes it as hard to code as a camera's. */
export async function film({ dir }: Pick<Bench, 'dir'>, grain: number, ...args: string[]): Promise<string> {
  const path = join(dir, `film ${grain} ${args.join(' ')}.mp4`);
  if (await stat(path).catch(() => null)) return path;
  await mkdir(dir, { recursive: true });
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=1920x1080:r=25:d=20',
    '-f',
    'lavfi',
    '-i',
    'anoisesrc=c=pink:a=0.2:d=20:seed=2',
    '-vf',
    grain ? `noise=alls=${grain}:allf=t:all_seed=3` : 'null',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-crf',
    '16',
    '-pix_fmt',
    'yuv420p',
    '-c:a',
    'aac',
    ...args,
    '-movflags',
    '+faststart',
    path,
  ]);
  return path;
}

/** Minutes of a film of 20 s, by repeating its packets. */
export async function longFilm({ dir }: Pick<Bench, 'dir'>, source: string, minutes = 10): Promise<string> {
  const path = join(dir, `${minutes} minutes of ${basename(source)}`);
  if (await stat(path).catch(() => null)) return path;
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-stream_loop',
    String(minutes * 3 - 1),
    '-i',
    source,
    '-c',
    'copy',
    '-movflags',
    '+faststart',
    path,
  ]);
  return path;
}

/** A film's facts, its frames counted. */
export async function factsFor(path: string) {
  const quick = await probeMaster(path);
  if (!quick.ok) throw new Error(quick.problem.sentence);
  const facts = await countFrames(path, quick.value);
  if (!facts.ok) throw new Error(facts.problem.sentence);
  return facts.value;
}

/** A film's plan for a placement, through a window that stands still. */
export async function planFor(path: string, placement: Placement) {
  return makePlan({
    facts: await factsFor(path),
    sha256: '0'.repeat(64),
    placement,
    framing: heldFraming({ x: 0.4, y: 0.5, zoom: 1 }),
  }).plan;
}

/** Seconds that something takes. */
export const timed = async (work: () => Promise<unknown>): Promise<number> => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};

export const median = (n: readonly number[]): number => {
  const sorted = [...n].sort((a, b) => a - b);
  return (sorted[Math.floor((n.length - 1) / 2)]! + sorted[Math.floor(n.length / 2)]!) / 2;
};

/** Highest resident memory of a process so far, bytes. */
export async function peakMemory(pid: number): Promise<number> {
  const status = await readFile(`/proc/${pid}/status`, 'utf8').catch(() => '');
  return Number(/VmHWM:\s+(\d+) kB/.exec(status)?.[1] ?? 0) * 1024;
}

/** Asks a server for something, by its address. Throws what it refuses. */
export const asker =
  (base: string) =>
  async <T>(method: string, path: string, body?: unknown): Promise<T> => {
    const headers = { 'Content-Type': 'application/json' };
    const answer = await fetch(`${base}/api${path}`, {
      method,
      ...(body === undefined ? {} : { headers, body: JSON.stringify(body) }),
    });
    const text = await answer.text();
    if (!answer.ok) throw new Error(`${method} ${path}: ${text}`);
    return (text ? JSON.parse(text) : null) as T;
  };
