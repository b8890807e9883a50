import { copyFile, mkdtemp, rename, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { frameToSeconds, ok, planSeconds, type Loudness, type RenderPlan, type Result } from '@mivvy/core';
import { inputArgs, must, runFfmpeg } from '../ffmpeg/run.ts';
import { measureLoudness } from '../ingest/loudness.ts';
import { soundFrom } from './filters.ts';
import { joinSound, soundPiece } from './join-sound.ts';

/** How near integrated loudness is brought to its target, LU. */
const closeEnough = 0.2;
/** Coding moves peaks; the limiter starts this far under the ceiling, dB. */
const firstHeadroom = 0.6;
/** Attempts at meeting loudness and true peak together before the nearest is taken (and the check says so). */
const attempts = 7;
/** Coding that raises the limiter's ceiling by more than this has made peaks of its own, dB. From trials with speech. */
const codedPeaks = 1;
/** A decibel more adds at least so many; the gain is changed by no more at once, dB. */
const leastEffect = 0.2;
const mostStep = 6;
/** A limiter is not asked for more than this, dB over what a gain alone would take: it would be heard. */
const mostLimited = 12;
/** A decibel above the ceiling counts as much as so many of loudness. */
const overWeight = 20;

export interface SoundRun {
  masterPath: string;
  workDir: string;
  signal?: AbortSignal | undefined;
  logFile?: string | undefined;
}

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
  const most = next.gain + mostLimited;
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

/** How a sound is brought to its loudness. */
interface Attempt {
  /** Decibels. */
  gain: number;
  /** A limiter holds peaks this far under the ceiling, dB, where there is one. */
  headroom: number;
  limiting: boolean;
  /** Coded in the way that makes no peaks of its own, where the usual one does. */
  steady: boolean;
}

/** An attempt and what came of it. */
interface Try extends Attempt {
  /** What the loudness lacks of its target, LU. */
  off: number;
  /** What the true peak lies over its ceiling, dB. */
  over: number;
}

type Target = NonNullable<NonNullable<RenderPlan['audio']>['loudness']>;

const firstAttempt = (before: Loudness, target: Target): Attempt => {
  const gain = target.integratedLufs - before.integratedLufs!;
  const limiting =
    before.truePeakDbtp !== null && before.truePeakDbtp + gain > target.truePeakDbtp - firstHeadroom;
  return { gain, headroom: firstHeadroom, limiting, steady: false };
};

/** Filters of an attempt. */
function limited({ gain, headroom, limiting }: Attempt, target: Target, sampleRate: number): string[] {
  const ceiling = 10 ** ((target.truePeakDbtp - headroom) / 20);
  return [
    `volume=${gain.toFixed(3)}dB:precision=float`,
    // The limiter works at four times the rate, where peaks between samples show.
    ...(limiting
      ? [
          `aresample=${sampleRate * 4}`,
          `alimiter=limit=${Math.max(0.0625, ceiling).toFixed(5)}:level=false:attack=2:release=60`,
          `aresample=${sampleRate}`,
        ]
      : []),
  ];
}

/** How far an attempt is from what was wanted, 0 for not at all. A peak above its ceiling is worse than any loudness. */
const missedBy = ({ off, over }: Try): number =>
  Math.max(0, Math.abs(off) - closeEnough) + overWeight * Math.max(0, over);

/** What is tried after an attempt that missed, by what the one before it came to, with a gain of at most `most`. */
function nextAttempt(now: Try, before: Try | null, most: number): Attempt {
  const { headroom, limiting, steady, off, over } = now;
  // A limiter takes some of each decibel: how much is told by what the last step came to.
  const isLike = before?.limiting === limiting && before.headroom === headroom && before.steady === steady;
  const step = isLike ? now.gain - before.gain : 0;
  const effect = step ? Math.max(leastEffect, Math.min(1, (before!.off - off) / step)) : 1;
  const louder = Math.abs(off) > closeEnough ? Math.min(mostStep, off / effect) : 0;
  const gain = Math.min(most, now.gain + louder);
  if (over <= 0) return { gain, headroom, limiting, steady };
  if (!limiting) return { gain, headroom, limiting: true, steady };
  // Peaks that coding itself makes are not got under by limiting harder: that takes loudness away and leaves them.
  if (!steady && over + headroom > codedPeaks) return { gain, headroom, limiting, steady: true };
  return { gain, headroom: headroom + over + 0.2, limiting, steady };
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

/** A tenth of a second of the film beside each end is read as well, for fades across joins. */
const handleSeconds = 0.6;

/**
 * The sound of what is kept, joined and at its pace, as one uncompressed file of exactly the picture's length: silence
 * before the film's sound starts and after it ends.
 */
export async function cutSound(
  plan: RenderPlan,
  audio: NonNullable<RenderPlan['audio']>,
  out: string,
  run: SoundRun,
): Promise<Result<unknown>> {
  const seconds = planSeconds(plan);
  const paced = plan.pace.num !== plan.pace.den;
  const one = plan.kept.length === 1;
  const first = plan.kept.reduce((n, s) => Math.min(n, s.from), Infinity);
  const last = plan.kept.reduce((n, s) => Math.max(n, s.to), 0);
  // For fades, a little of what lies before the first kept frame, as far as the film has it.
  const handle = one
    ? 0
    : Math.min(first, Math.ceil((handleSeconds * plan.master.rate.num) / plan.master.rate.den));
  const start = plan.master.videoStartSeconds + frameToSeconds(first - handle, plan.master.rate);
  const whole = frameToSeconds(last - first + handle, plan.master.rate) + (one ? 0 : handleSeconds);
  const format = `aformat=sample_fmts=flt:channel_layouts=${audio.channels === 1 ? 'mono' : 'stereo'}`;
  const length = one && !paced ? seconds : whole;
  const trim = [
    ...soundFrom(start),
    `aresample=${audio.sampleRate}:async=1:first_pts=0`,
    format,
    `apad,atrim=end=${length.toFixed(6)}`,
  ];
  const read = (target: string, ...as: string[]) =>
    runFfmpeg(
      [
        ...inputArgs(run.masterPath),
        '-map',
        `0:${audio.stream}`,
        '-af',
        trim.join(','),
        '-c:a',
        'pcm_f32le',
        ...as,
        target,
      ],
      run,
    );
  if (one && !paced) return read(out, '-f', 'wav');
  const [raw, joined] = [join(run.workDir, 'sound.raw'), join(run.workDir, 'joined.raw')];
  must(await read(raw, '-f', 'f32le'));
  const pieces = plan.kept.map((span) =>
    soundPiece(span, first - handle, plan.master.rate, audio.sampleRate),
  );
  await joinSound(raw, joined, pieces, audio.channels, Math.round((audio.joinMs * audio.sampleRate) / 1000));
  await rm(raw, { force: true });
  const pace = paced ? [paceFilter(plan.pace)] : [];
  // These two read raw samples that were written here a moment ago, and nothing that a person brought.
  const done = await runFfmpeg(
    [
      '-f',
      'f32le',
      '-ar',
      String(audio.sampleRate),
      '-ac',
      String(audio.channels),
      '-i',
      joined,
      '-af',
      [...pace, `apad,atrim=end=${seconds.toFixed(6)}`].join(','),
      '-c:a',
      'pcm_f32le',
      '-f',
      'wav',
      out,
    ],
    run,
  );
  await rm(joined, { force: true });
  return done;
}

/** Changes the pace of sound and keeps its pitch. */
const paceFilter = ({ num, den }: RenderPlan['pace']): string =>
  `rubberband=tempo=${(num / den).toFixed(9)}:pitchq=quality:transients=smooth`;
