import { join } from 'node:path';
import { frameToSeconds, planSeconds, type RenderPlan } from '@mivvy/core';
import { inputArgs, must, runFfmpeg } from '../ffmpeg/run.ts';
import { measureLoudness } from '../ingest/loudness.ts';

/** How near integrated loudness is brought to its target, LU. */
const closeEnough = 0.2;
/** Coding moves peaks; the limiter starts this far under the ceiling, dB. */
const firstHeadroom = 0.6;
/** Attempts at meeting loudness and true peak together before the nearest is taken (and the check says so). */
const attempts = 4;

interface SoundRun {
  masterPath: string;
  workDir: string;
  signal?: AbortSignal | undefined;
  logFile?: string | undefined;
}

/**
 * Makes a plan's finished sound as a file of its own, coded as it will be delivered, and returns its path.
 *
 * Loudness is normalised in two passes: the cut is measured (ITU-R BS.1770), then brought to the target by one
 * constant gain, with a true-peak limiter only where that gain would break the ceiling. The coded result is measured
 * again and corrected, because a limiter lowers loudness and coding raises peaks.
 */
export async function makeSound(plan: RenderPlan, run: SoundRun): Promise<string | null> {
  const audio = plan.audio;
  if (!audio) return null;
  const out = join(run.workDir, audio.codec === 'aac' ? 'sound.m4a' : 'sound.webm');
  const cut = join(run.workDir, 'sound.wav');
  const start = plan.master.videoStartSeconds + frameToSeconds(plan.source.from, plan.master.rate);
  const seconds = planSeconds(plan);
  // Sample-exact: silence before the sound starts, silence after it ends, the picture's length.
  const trim = [
    ...(start > 0 ? [`atrim=start=${start.toFixed(6)}`, `asetpts=PTS-${start.toFixed(6)}/TB`] : []),
    `aresample=${audio.sampleRate}:async=1:first_pts=0`,
    `aformat=sample_fmts=flt:channel_layouts=${audio.channels === 1 ? 'mono' : 'stereo'}`,
    `apad,atrim=end=${seconds.toFixed(6)}`,
  ];
  must(await runFfmpeg([...inputArgs(run.masterPath), '-map', `0:${audio.stream}`, '-af', trim.join(','), '-c:a', 'pcm_f32le', '-f', 'wav', cut], run));

  const encode = (filters: string[]) =>
    runFfmpeg([...inputArgs(cut), ...(filters.length ? ['-af', filters.join(',')] : []), '-c:a', audio.codec === 'aac' ? 'aac' : 'libopus', '-b:a', `${audio.kbps}k`, '-ar', String(audio.sampleRate), '-ac', String(audio.channels), '-map_metadata', '-1', '-fflags', '+bitexact', '-flags:a', '+bitexact', out], run);

  const target = audio.loudness;
  const before = target ? must(await measureLoudness(cut, 0, run.signal, run.logFile)) : null;
  if (!target || before?.integratedLufs == null) {
    must(await encode([]));
    return out;
  }
  let gain = target.integratedLufs - before.integratedLufs;
  let headroom = firstHeadroom;
  let limiting = before.truePeakDbtp !== null && before.truePeakDbtp + gain > target.truePeakDbtp - headroom;
  for (let i = 0; i < attempts; i++) {
    const ceiling = 10 ** ((target.truePeakDbtp - headroom) / 20);
    must(
      await encode([
        `volume=${gain.toFixed(3)}dB:precision=float`,
        // The limiter works at four times the rate, where peaks between samples show.
        ...(limiting ? [`aresample=${audio.sampleRate * 4}`, `alimiter=limit=${Math.max(0.0625, ceiling).toFixed(5)}:level=false:attack=2:release=60`, `aresample=${audio.sampleRate}`] : []),
      ]),
    );
    const coded = must(await measureLoudness(out, 0, run.signal, run.logFile));
    if (coded.integratedLufs === null || coded.truePeakDbtp === null) break;
    const off = target.integratedLufs - coded.integratedLufs;
    const over = coded.truePeakDbtp - target.truePeakDbtp;
    if (Math.abs(off) <= closeEnough && over <= 0) break;
    if (Math.abs(off) > closeEnough) gain += off;
    if (over > 0) {
      if (limiting) headroom += over + 0.2;
      limiting = true;
    }
  }
  return out;
}
