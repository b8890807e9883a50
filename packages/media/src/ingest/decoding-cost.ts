import { masterSeconds, ok, type MasterFacts, type Result } from '@mivvy/core';
import { explainFailure, inputArgs, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';

/** So much of a film is decoded to measure what that costs, seconds. */
const measuredSeconds = 2;

/**
 * What decoding a film costs: processor seconds for a second of film, measured on its start. It does not depend on what
 * else the machine does meanwhile, as the time on the clock would.
 */
export async function decodingCost(
  path: string,
  facts: MasterFacts,
  options: RunOptions = {},
): Promise<Result<number>> {
  const seconds = Math.min(measuredSeconds, masterSeconds(facts));
  const run = await runFfmpeg(
    [
      '-benchmark',
      ...inputArgs(path),
      ...['-map', `0:${facts.video.streamIndex}`, '-t', seconds.toFixed(3), '-f', 'null', '-'],
    ],
    options,
  );
  if (!run.ok) return run;
  const found = /bench: utime=([\d.]+)s stime=([\d.]+)s/.exec(run.value);
  if (!found) return { ok: false, problem: explainFailure(run.value, 'what decoding costs was not told') };
  return ok((Number(found[1]) + Number(found[2])) / seconds);
}
