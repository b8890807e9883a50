import { fail, ok, type Loudness, type Result } from '@mivvy/core';
import { inputArgs, runFfmpeg } from '../ffmpeg/run.ts';

/** Below this ffmpeg's meter has heard nothing that passes the gate of ITU-R BS.1770. */
const silenceLufs = -69.9;

/** Reads the summary that ffmpeg's ebur128 filter prints. */
export function parseLoudness(stderr: string): Loudness | undefined {
  const summary = stderr.slice(stderr.lastIndexOf('Summary:'));
  const integrated = /I:\s+(-?[\d.]+|-inf|nan) LUFS/.exec(summary);
  const peak = /Peak:\s+(-?[\d.]+|-inf|nan) dBFS/.exec(summary);
  if (!integrated) return undefined;
  const number = (text: string | undefined) =>
    text !== undefined && Number.isFinite(Number(text)) ? Number(text) : null;
  const lufs = number(integrated[1]);
  return {
    integratedLufs: lufs === null || lufs <= silenceLufs ? null : lufs,
    truePeakDbtp: number(peak?.[1]),
  };
}

/** Measures a sound stream as ITU-R BS.1770 and EBU Tech 3341 prescribe, with ffmpeg's own meter. */
export async function measureLoudness(
  path: string,
  streamIndex: number,
  signal?: AbortSignal,
  logFile?: string,
): Promise<Result<Loudness>> {
  const run = await runFfmpeg(
    [
      ...inputArgs(path),
      '-map',
      `0:${streamIndex}`,
      '-af',
      'ebur128=peak=true:framelog=verbose',
      '-f',
      'null',
      '-',
    ],
    { signal, logFile },
  );
  if (!run.ok) return run;
  const loudness = parseLoudness(run.value);
  return loudness
    ? ok(loudness)
    : fail('loudness-unknown', 'The loudness could not be measured.', 'Check that the sound plays.');
}
