import type { Comparison, Rate, RenderPlan, Result, Size } from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { catching, explainFailure, ProblemError } from '../ffmpeg/run.ts';
import type { FileHead } from '../measure/file-head.ts';
import { runWorker } from '../workers/run-worker.ts';
import { compareNewsSchema, type CompareJob } from './compare-job.ts';
import { compareCaptions } from './captions.ts';
import { soundNewsSchema, type ComparedSound, type SoundJob } from './sound-job.ts';

export interface CompareOptions {
  signal?: AbortSignal | undefined;
  nice?: boolean;
  /** How far it has come, 0 to 1. */
  onProgress?: (fraction: number) => void;
}

/** A finished file, as much of it as has to be known before it is compared. */
export interface ComparedFile {
  path: string;
  stream: number;
  /** How its picture is meant to be shown. */
  shown: FileHead['shown'];
  /** Frames a second. */
  rate: Rate;
  /** Its sound, and where its first picture stands in it, seconds; null for a silent film. */
  sound: { stream: number; begins: Promise<number> } | null;
}

/** A finished file as it is shown: turned as its flags say, with square pixels. */
function displayedSize({ frame, pixelAspect, rotation }: FileHead['shown']): Size {
  const width = Math.max(1, Math.round((frame.width * pixelAspect.num) / pixelAspect.den));
  return rotation % 180 === 0 ? { width, height: frame.height } : { width: frame.height, height: width };
}

/** Compares a file's sound in a worker of its own: it goes on beside the pictures. Throws the problem that stops it. */
async function soundBeside(job: SoundJob, signal: AbortSignal | undefined): Promise<ComparedSound> {
  const { compared, problem } = await runWorker({
    file: new URL('./sound-worker.ts', import.meta.url),
    data: job,
    news: soundNewsSchema,
    signal,
    kept: true,
  });
  if (problem) throw new ProblemError(problem);
  return compared ?? { sound: null };
}

/**
 * Compares a finished file with its plan and its master: every picture small, some closely, and the sound. The plan's
 * pictures are drawn from the master by other code than the renderer's.
 */
export async function compareFile(
  { path, stream, shown, rate, sound: heard }: ComparedFile,
  plan: RenderPlan,
  masterPath: string,
  { signal, nice, onProgress }: CompareOptions = {},
): Promise<Result<Comparison>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const job: CompareJob = {
    ffmpeg: tools.value.ffmpeg,
    plan,
    masterPath,
    file: { path, stream, displayed: displayedSize(shown), matrix: shown.matrix, rate },
    nice: nice ?? false,
  };
  return catching(async () => {
    const sound = heard
      ? heard.begins.then((start) =>
          soundBeside({ plan, masterPath, file: { path, stream: heard.stream, start } }, signal),
        )
      : Promise.resolve({ sound: null });
    sound.catch(() => undefined); // awaited below
    const end = await runWorker({
      file: new URL('./compare-worker.ts', import.meta.url),
      data: job,
      news: compareNewsSchema,
      signal,
      kept: true,
      onNews: ({ fraction }) => onProgress?.(fraction),
    });
    if (!end.comparison)
      throw new ProblemError(explainFailure(end.stderr, 'its pictures could not be compared'));
    const captions = plan.captions?.cues.length
      ? { captions: await compareCaptions(plan.captions, plan, job.file, signal) }
      : {};
    return { ...end.comparison, ...captions, ...(await sound) };
  });
}
