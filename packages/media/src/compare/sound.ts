import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  compareSoundRate,
  frameToSeconds,
  nearestFrame,
  soundOffsets,
  type Comparison,
  type RenderPlan,
} from '@mivvy/core';
import { inputArgs, must, runFfmpegToMemory } from '../ffmpeg/run.ts';
import { soundFrom } from '../render/filters.ts';
import { cutSound } from '../render/cut-sound.ts';

/** Below this no piece of a file's sound is the master's, correlation. */
const leastAlike = 0.35;

/** Reads a sound, mono, in the rate in which sounds are compared, from a time of its file on. */
export async function readSound(
  path: string,
  stream: number,
  start: number,
  signal?: AbortSignal,
): Promise<Float32Array> {
  const bytes = must(
    await runFfmpegToMemory(
      [
        ...inputArgs(path),
        '-map',
        `0:${stream}`,
        '-af',
        [
          ...soundFrom(start),
          `aresample=${compareSoundRate}:async=1:first_pts=0`,
          'aformat=sample_fmts=flt:channel_layouts=mono',
        ].join(','),
        '-f',
        'f32le',
        'pipe:1',
      ],
      { signal },
    ),
  );
  return new Float32Array(bytes.buffer, bytes.byteOffset, bytes.length >> 2);
}

/** The master's sound as the plan plays it. */
async function plannedSound(plan: RenderPlan, path: string, signal?: AbortSignal): Promise<Float32Array> {
  const audio = plan.audio!;
  if (plan.pace.num !== plan.pace.den) {
    const work = await mkdtemp(join(tmpdir(), 'mivvy-sound-'));
    try {
      const cut = join(work, 'cut.wav');
      must(await cutSound(plan, audio, cut, { masterPath: path, workDir: work, signal }));
      return await readSound(cut, 0, 0, signal);
    } finally {
      await rm(work, { recursive: true, force: true });
    }
  }
  // Not by the renderer's way: the film's sound whole, and what is kept of it by arithmetic.
  const whole = await readSound(path, audio.stream, plan.master.videoStartSeconds, signal);
  const at = (frame: number) => Math.round(frameToSeconds(frame, plan.master.rate) * compareSoundRate);
  const pieces = plan.kept.map(({ from, to }) => {
    const piece = new Float32Array(at(to) - at(from));
    piece.set(whole.subarray(Math.min(whole.length, at(from)), Math.min(whole.length, at(to))));
    return piece;
  });
  const joined = new Float32Array(pieces.reduce((sum, p) => sum + p.length, 0));
  let filled = 0;
  for (const piece of pieces) {
    joined.set(piece, filled);
    filled += piece.length;
  }
  return joined;
}

/**
 * Where a file's sound stands beside its picture, by what the master's sound is there; null where nothing can be told.
 *
 * @param start where the file's first picture stands in its sound, seconds
 */
export async function compareSound(
  plan: RenderPlan,
  masterPath: string,
  file: { path: string; stream: number; start: number },
  signal?: AbortSignal,
): Promise<Comparison['sound']> {
  if (!plan.audio) return null;
  const [own, planned] = await Promise.all([
    readSound(file.path, file.stream, file.start, signal),
    plannedSound(plan, masterPath, signal),
  ]);
  const pieces = soundOffsets(own, planned);
  if (!pieces.length) return null;
  const frameOf = (seconds: number) =>
    Math.max(0, Math.min(plan.frames - 1, nearestFrame(seconds, plan.rate)));
  const best = pieces.reduce((a, b) => (b.alike > a.alike ? b : a));
  if (best.alike < leastAlike) {
    // A pace may be made in many ways, and then what is heard is the same and its waves are not.
    return plan.pace.num !== plan.pace.den ? null : { seconds: 0, at: frameOf(best.at), found: false };
  }
  const heard = pieces.filter((p) => p.alike >= Math.max(leastAlike, best.alike * 0.6));
  const worst = heard.reduce((a, b) => (Math.abs(b.seconds) > Math.abs(a.seconds) ? b : a));
  return { seconds: worst.seconds, at: frameOf(worst.at), found: true };
}
