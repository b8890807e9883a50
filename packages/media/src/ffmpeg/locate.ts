import { getEnvironmentData, setEnvironmentData } from 'node:worker_threads';
import { execa } from 'execa';
import { fail, ok, type Result } from '@mivvy/core';

/** The two programs that do the work. */
export interface Tools {
  ffmpeg: string;
  ffprobe: string;
  /** First line of `ffmpeg -version`, kept with every log. */
  version: string;
}

/** Under this name a thread finds what the one that started it had found. */
const handedOn = 'mivvy tools';
let found = getEnvironmentData(handedOn) as Tools | undefined;
let looking: Promise<Result<Tools>> | undefined;

/**
 * Finds ffmpeg and ffprobe: `MIVVY_FFMPEG` and `MIVVY_FFPROBE` where set, else the PATH. Found once per process, however
 * many threads ask; a failure is looked for again, so that installing ffmpeg mends a running server.
 */
export async function locateTools(env: NodeJS.ProcessEnv = process.env): Promise<Result<Tools>> {
  if (found) return ok(found);
  looking ??= look(env).finally(() => (looking = undefined));
  const located = await looking;
  if (located.ok) keep(located.value);
  return located;
}

function keep(tools: Tools | undefined): void {
  found = tools;
  setEnvironmentData(handedOn, tools);
}

async function look(env: NodeJS.ProcessEnv): Promise<Result<Tools>> {
  const ffmpeg = env.MIVVY_FFMPEG || 'ffmpeg';
  const ffprobe = env.MIVVY_FFPROBE || 'ffprobe';
  try {
    const [first] = await Promise.all([
      execa(ffmpeg, ['-hide_banner', '-version']),
      execa(ffprobe, ['-hide_banner', '-version']),
    ]);
    const version = first.stdout.split('\n')[0] ?? '';
    const major = /version n?(\d+)\./.exec(version);
    if (major && Number(major[1]) < 5) {
      return fail(
        'ffmpeg-old',
        `This ffmpeg is too old (${version}).`,
        'Install version 5.1 or newer, or point MIVVY_FFMPEG and MIVVY_FFPROBE at one.',
      );
    }
    return ok({ ffmpeg, ffprobe, version });
  } catch {
    return fail(
      'ffmpeg-missing',
      'ffmpeg is not on this machine, so nothing can be read or exported.',
      'Install it with “apt-get install ffmpeg”, or point MIVVY_FFMPEG and MIVVY_FFPROBE at it; work goes on by itself then.',
    );
  }
}

/** Forgets what was found; for tests of a machine without ffmpeg. */
export function forgetTools(): void {
  keep(undefined);
}
