import { createReadStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline';
import { fail, ok, type Loudness, type LoudnessOverTime, type Result } from '@mivvy/core';
import { inputArgs, runFfmpeg } from '../ffmpeg/run.ts';
import { parseLoudness } from '../ingest/loudness.ts';

/** Below this the meter has heard nothing; LUFS. */
const silenceLufs = -69.9;
const tenth = (lufs: number): number | null => (lufs <= silenceLufs ? null : Math.round(lufs * 10) / 10);

/** Reads what ffmpeg's meter writes down ten times a second. */
async function readMeter(path: string): Promise<LoudnessOverTime> {
  const over: LoudnessOverTime = { momentary: [], shortTerm: [], peakSeconds: null };
  let [at, highest] = [0, -Infinity];
  for await (const line of createInterface({ input: createReadStream(path), crlfDelay: Infinity })) {
    const time = /pts_time:(-?[\d.]+)/.exec(line);
    if (time) {
      at = Math.max(0, Number(time[1]));
      continue;
    }
    const [key, text] = line.split('=');
    const value = Number(text);
    if (!Number.isFinite(value)) continue;
    const second = Math.floor(at + 1e-6);
    if (key === 'lavfi.r128.M') {
      // The loudest of each second.
      const before = over.momentary[second] ?? null;
      const now = tenth(value);
      over.momentary[second] = before === null || (now !== null && now > before) ? now : before;
    } else if (key === 'lavfi.r128.S') over.shortTerm[second] = tenth(value);
    else if (key === 'lavfi.r128.true_peak' && value > highest) [highest, over.peakSeconds] = [value, at];
  }
  // A film may have a hole in its sound: what was not heard is silence.
  const filled = (values: readonly (number | null)[]) => Array.from(values, (value) => value ?? null);
  return {
    momentary: filled(over.momentary),
    shortTerm: filled(over.shortTerm),
    peakSeconds: highest > 0 ? over.peakSeconds : null,
  };
}

/**
 * Measures a sound as a whole and second by second, as ITU-R BS.1770 and EBU Tech 3341 prescribe, with ffmpeg's own
 * meter: momentary loudness over 0.4 s, short-term loudness over 3 s, and where its true peak lies.
 */
export async function measureLoudnessOverTime(
  path: string,
  streamIndex: number,
  signal?: AbortSignal,
): Promise<Result<{ loudness: Loudness; over: LoudnessOverTime }>> {
  const folder = await mkdtemp(join(tmpdir(), 'mivvy-meter-'));
  try {
    const filter = 'ebur128=peak=true:framelog=verbose:metadata=1,ametadata=mode=print:file=meter.txt';
    const run = await runFfmpeg(
      [...inputArgs(resolve(path)), '-map', `0:${streamIndex}`, '-af', filter, '-f', 'null', '-'],
      { signal, cwd: folder },
    );
    if (!run.ok) return run;
    const loudness = parseLoudness(run.value);
    if (!loudness)
      return fail('loudness-unknown', 'The loudness could not be measured.', 'Check that the sound plays.');
    return ok({ loudness, over: await readMeter(join(folder, 'meter.txt')) });
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
