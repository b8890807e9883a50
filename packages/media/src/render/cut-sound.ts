import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { frameToSeconds, planSeconds, type RenderPlan, type Result } from '@mivvy/core';
import { inputArgs, must, runFfmpeg } from '../ffmpeg/run.ts';
import { soundFrom } from './filters.ts';
import { joinSound, soundPiece } from './join-sound.ts';

/** What a sound is made from, and where. */
export interface SoundRun {
  masterPath: string;
  workDir: string;
  signal?: AbortSignal | undefined;
  logFile?: string | undefined;
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
