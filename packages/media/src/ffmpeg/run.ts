import { appendFile } from 'node:fs/promises';
import { execa } from 'execa';
import { ok, type Problem, type Result } from '@mivvy/core';
import { locateTools } from './locate.ts';
import { toolCall } from './tool.ts';

/**
 * Containers that a person may bring in. Everything that can point at other files or addresses (playlists, concat
 * scripts, image sequences, manifests) is absent, so ffmpeg refuses to open it.
 */
const allowedFormats = [
  'mov,mp4,m4a,3gp,3g2,mj2',
  'matroska,webm',
  'avi',
  'mpegts',
  'mpeg',
  'mxf',
  'flv',
  'asf',
  'ogg',
  'nut',
  'm4v',
  'dv',
  'gif',
  'ivf',
  'y4m',
  'yuv4mpegpipe',
  // Sound alone is opened only so that it can be refused in the right words.
  'wav',
  'mp3',
  'flac',
  'aac',
  'aiff',
  'w64',
  'caf',
].join(',');

/** Arguments that open a file a person brought in: one local file, a known container, nothing it refers to. */
export function inputArgs(path: string): string[] {
  return ['-protocol_whitelist', 'file', '-format_whitelist', allowedFormats, '-i', `file:${path}`];
}

/** The same for a still picture. */
export function pictureInput(path: string): string[] {
  return ['-protocol_whitelist', 'file', '-format_whitelist', allowedPictures, '-i', `file:${path}`];
}
const allowedPictures = 'png_pipe,jpeg_pipe,webp_pipe';

/** How far a run has come. */
export interface RunProgress {
  /** Pictures written so far. */
  frames: number;
  /** Seconds of film written so far. */
  seconds: number;
  /** Film seconds a second; 0 while unknown. */
  speed: number;
}

export interface RunOptions {
  cwd?: string;
  signal?: AbortSignal | undefined;
  onProgress?: (progress: RunProgress) => void;
  /** A file that the tool's own words are appended to. */
  logFile?: string | undefined;
  /** Lower the priority, so that the server and the browser stay quick. */
  nice?: boolean;
}

/** Thrown inside the engine when a run was cancelled; the caller turns it into a state, never into a message. */
export class Cancelled extends Error {
  constructor() {
    super('cancelled');
    this.name = 'Cancelled';
  }
}

/** What is said in a tool's words where something else than we has ended it. */
export const killedFromOutside = (signal: string): string =>
  `\nmivvy: the tool was ended from outside by ${signal}\n`;

/** A line without the places of this machine: of each path, the last part. */
const withoutPlaces = (line: string): string =>
  line.replace(/(?:file:)?\/(?:[^/\n:'"]+\/)+([^/\n:'"]*)/g, '$1');

/** What a stopped tool's words mean, the first that is found in them. */
const meanings: readonly (Problem & { said: RegExp })[] = [
  {
    said: /No space left on device|ENOSPC|Disk quota exceeded/i,
    code: 'disk-full',
    sentence: 'The disk is full, so the file could not be written.',
    mend: 'Free some space and start it again; nothing else was touched.',
  },
  {
    said: /Cannot allocate memory|ENOMEM/i,
    code: 'memory-full',
    sentence: 'The machine ran out of memory.',
    mend: 'Close other programs and start it again.',
  },
  {
    said: /mivvy: the tool was ended from outside/,
    code: 'tool-killed',
    sentence: 'The video tool was ended from outside before it had finished.',
    mend: 'Start it again. If it happens again, the machine may be short of memory.',
  },
  {
    said: /No such file or directory/i,
    code: 'file-gone',
    sentence: 'A file that is needed is no longer there.',
    mend: 'Put the film back where it was, or bring it in again.',
  },
  {
    said: /Permission denied/i,
    code: 'not-allowed',
    sentence: 'A file may not be read or written by Mivvy.',
    mend: 'Give it the right to, and start it again.',
  },
  {
    said: /Input\/output error/i,
    code: 'disk-error',
    sentence: 'The disk could not be read or written.',
    mend: 'Check the disk and its connection, then start it again.',
  },
];

/** What a stopped tool said, as a problem in words. */
export function explainFailure(stderr: string, exit: string): Problem {
  const known = meanings.find(({ said }) => said.test(stderr));
  if (known) return { code: known.code, sentence: known.sentence, mend: known.mend };
  const lines = stderr
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean);
  const last =
    lines
      .filter((l) => !/^Conversion failed/.test(l))
      .findLast((l) => /error|invalid|fail|unable|not /i.test(l)) ??
    lines.at(-1) ??
    exit;
  const said = withoutPlaces(last.replace(/^\[[^\]]*\]\s*/, ''))
    .slice(0, 300)
    .replace(/[.\s]*$/, '');
  return {
    code: 'ffmpeg-failed',
    sentence: `The video tool stopped: ${said}.`,
    mend: 'Its log has the details; start it again once that is mended.',
  };
}

/**
 * Whether a tool that ended well left its file without its end: ffmpeg 5 exits with 0 where the disk has no room for the
 * last bytes, and only says so.
 */
export const leftUnfinished = (stderr: string): boolean =>
  /Error (?:writing trailer|closing file)\b/.test(stderr);

/** What every call of ffmpeg starts with. */
export const quietly = ['-hide_banner', '-nostdin', '-nostats'];

/** Runs ffmpeg with an argument array, never a shell. Returns its standard error. Throws {@link Cancelled}. */
export async function runFfmpeg(args: string[], options: RunOptions = {}): Promise<Result<string>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const all = [
    ...quietly,
    '-y',
    ...(options.onProgress ? ['-progress', 'pipe:1', '-stats_period', '0.25'] : []),
    ...args,
  ];
  const [file, argv] = toolCall(tools.value.ffmpeg, all, options.nice);
  const child = execa(file, argv, {
    cwd: options.cwd,
    cancelSignal: options.signal,
    reject: false,
    buffer: { stdout: false, stderr: true },
    maxBuffer: 20_000_000,
    stdin: 'ignore',
    forceKillAfterDelay: 3000,
  });
  if (options.onProgress) followProgress(child.stdout, options.onProgress);
  else child.stdout?.resume();
  const result = await child;
  const stderr = `${String(result.stderr ?? '')}${result.signal && !result.isCanceled ? killedFromOutside(result.signal) : ''}`;
  if (options.logFile) {
    await appendFile(options.logFile, `$ ffmpeg ${all.join(' ')}\n${tools.value.version}\n${stderr}\n`).catch(
      () => undefined,
    );
  }
  if (result.isCanceled || options.signal?.aborted) throw new Cancelled();
  if (result.failed || leftUnfinished(stderr))
    return { ok: false, problem: explainFailure(stderr, result.shortMessage ?? 'no reason given') };
  return ok(stderr);
}

/** Runs ffmpeg and returns what it writes to its standard output, which has to fit into memory. Throws {@link Cancelled}. */
export async function runFfmpegToMemory(
  args: string[],
  { signal }: { signal?: AbortSignal | undefined } = {},
): Promise<Result<Uint8Array>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const result = await execa(...toolCall(tools.value.ffmpeg, [...quietly, '-v', 'error', ...args]), {
    cancelSignal: signal,
    reject: false,
    encoding: 'buffer',
    maxBuffer: 2_000_000_000,
    stdin: 'ignore',
    forceKillAfterDelay: 3000,
  });
  if (result.isCanceled || signal?.aborted) throw new Cancelled();
  const said = `${Buffer.from(result.stderr).toString()}${result.signal ? killedFromOutside(result.signal) : ''}`;
  return result.failed
    ? { ok: false, problem: explainFailure(said, result.shortMessage ?? '') }
    : ok(result.stdout);
}

function followProgress(stream: NodeJS.ReadableStream | null, tell: (progress: RunProgress) => void): void {
  let rest = '';
  let now: RunProgress = { frames: 0, seconds: 0, speed: 0 };
  stream?.on('data', (chunk: Buffer) => {
    const lines = (rest + chunk.toString()).split('\n');
    rest = lines.pop() ?? '';
    for (const line of lines) {
      const [key, value = ''] = line.split('=');
      if (key === 'frame') now = { ...now, frames: Number(value) || 0 };
      else if (key === 'out_time_us' && Number(value) > 0) now = { ...now, seconds: Number(value) / 1e6 };
      else if (key === 'speed') now = { ...now, speed: Number.parseFloat(value) || 0 };
      else if (key === 'progress') tell(now);
    }
  });
}

/** Runs ffprobe and returns its standard output and error, whatever it exits with. */
export async function runFfprobe(
  args: string[],
  signal?: AbortSignal,
): Promise<Result<{ stdout: string; stderr: string; failed: boolean }>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const result = await execa(...toolCall(tools.value.ffprobe, ['-hide_banner', ...args]), {
    reject: false,
    cancelSignal: signal,
    maxBuffer: 200_000_000,
    stdin: 'ignore',
  });
  if (result.isCanceled || signal?.aborted) throw new Cancelled();
  return ok({ stdout: result.stdout, stderr: result.stderr, failed: result.failed });
}

/** Runs ffprobe and hands over its output line by line, so that memory stays flat however long the film is. */
export async function eachProbeLine(
  args: string[],
  onLine: (line: string) => void,
  signal?: AbortSignal,
): Promise<Result<void>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const child = execa(...toolCall(tools.value.ffprobe, ['-hide_banner', ...args]), {
    reject: false,
    cancelSignal: signal,
    buffer: { stdout: false, stderr: true },
    maxBuffer: 5_000_000,
    stdin: 'ignore',
  });
  for await (const line of child) onLine(String(line));
  const result = await child;
  if (result.isCanceled || signal?.aborted) throw new Cancelled();
  if (result.failed)
    return { ok: false, problem: explainFailure(String(result.stderr ?? ''), result.shortMessage ?? '') };
  return ok(undefined);
}

/** A result's value; throws its problem as a {@link ProblemError} for code that is several steps long. */
export function must<T>(result: Result<T>): T {
  if (!result.ok) throw new ProblemError(result.problem);
  return result.value;
}

/** Carries a problem through code that throws. {@link catching} turns it back into a value. */
export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.sentence);
    this.name = 'ProblemError';
  }
}

/** Runs several steps and returns the first problem as a value. Cancellation still throws. */
export async function catching<T>(steps: () => Promise<T>): Promise<Result<T>> {
  try {
    return ok(await steps());
  } catch (error) {
    if (error instanceof ProblemError) return { ok: false, problem: error.problem };
    const code = (error as NodeJS.ErrnoException).code;
    if (code === 'ENOSPC' || code === 'EDQUOT')
      return { ok: false, problem: explainFailure('No space left on device', '') };
    if (code === 'ENOENT') return { ok: false, problem: explainFailure('No such file or directory', '') };
    throw error;
  }
}
