import { copyFile, mkdtemp, rename, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ok, type Loudness, type RenderPlan, type Result } from '@mivvy/core';
import { inputArgs, must, runFfmpeg } from '../ffmpeg/run.ts';
import { measureLoudness } from '../ingest/loudness.ts';
import { cutSound, type SoundRun } from './cut-sound.ts';
import {
  firstAttempt,
  limited,
  missedBy,
  mostGain,
  nextAttempt,
  type Attempt,
  type Try,
} from './loudness-attempts.ts';

/** Attempts at meeting loudness and true peak together before the nearest is taken (and the check says so). */
const attempts = 7;

/** A plan's finished sound. */
export interface MadeSound {
  path: string;
  /** What was measured of the master's part before anything was done to it. */
  source: Loudness;
}

/**
 * Makes a plan's finished sound as a file of its own, coded as it will be delivered.
 *
 * Loudness is normalised in two passes: the cut is measured (ITU-R BS.1770), then brought to the target by one
 * constant gain, with a true-peak limiter only where that gain would break the ceiling. The coded result is measured
 * again and corrected, because a limiter lowers loudness and coding raises peaks.
 */
export async function makeSound(plan: RenderPlan, run: SoundRun): Promise<MadeSound | null> {
  const audio = plan.audio;
  if (!audio) return null;
  const out = join(run.workDir, audio.codec === 'aac' ? 'sound.m4a' : 'sound.webm');
  const cut = join(run.workDir, 'sound.wav');
  must(await cutSound(plan, audio, cut, run));

  const encode = (filters: string[], steady: boolean) =>
    runFfmpeg(
      [
        ...inputArgs(cut),
        ...(filters.length ? ['-af', filters.join(',')] : []),
        '-c:a',
        audio.codec === 'aac' ? 'aac' : 'libopus',
        ...(steady && audio.codec === 'aac' ? ['-aac_coder', 'fast'] : []),
        '-b:a',
        `${audio.kbps}k`,
        '-ar',
        String(audio.sampleRate),
        '-ac',
        String(audio.channels),
        '-map_metadata',
        '-1',
        '-fflags',
        '+bitexact',
        '-flags:a',
        '+bitexact',
        out,
      ],
      run,
    );

  const target = audio.loudness;
  const before = must(await measureLoudness(cut, 0, run.signal, run.logFile));
  const made: MadeSound = { path: out, source: before };
  if (!target || before.integratedLufs === null) {
    must(await encode([], false));
    return made;
  }
  const kept = `${out}.best`;
  let best = Infinity;
  let tried: Try | null = null;
  let next: Attempt = firstAttempt(before, target);
  const most = mostGain(next);
  for (let i = 0; i < attempts; i++) {
    must(await encode(limited(next, target, audio.sampleRate), next.steady));
    const coded = must(await measureLoudness(out, 0, run.signal, run.logFile));
    if (coded.integratedLufs === null || coded.truePeakDbtp === null) return made;
    const now: Try = {
      ...next,
      off: target.integratedLufs - coded.integratedLufs,
      over: coded.truePeakDbtp - target.truePeakDbtp,
    };
    if (missedBy(now) === 0) {
      await rm(kept, { force: true });
      return made;
    }
    if (missedBy(now) < best) {
      best = missedBy(now);
      await copyFile(out, kept);
    }
    next = nextAttempt(now, tried, most);
    tried = now;
  }
  await rename(kept, out);
  return made;
}

/** Whether something is heard in what of a master a plan plays; null where no sound is wanted of it. */
export async function heardIn(
  plan: RenderPlan,
  masterPath: string,
  signal?: AbortSignal,
): Promise<Result<boolean | null>> {
  const { audio } = plan;
  if (!audio) return ok(null);
  const workDir = await mkdtemp(join(tmpdir(), 'mivvy-sound-'));
  const cut = join(workDir, 'cut.wav');
  try {
    const made = await cutSound(plan, audio, cut, { masterPath, workDir, signal });
    if (!made.ok) return made;
    const loudness = await measureLoudness(cut, 0, signal);
    return loudness.ok ? ok(loudness.value.integratedLufs !== null) : loudness;
  } finally {
    await rm(workDir, { recursive: true, force: true });
  }
}
