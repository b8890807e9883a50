import type { Comparison, MeasuredFile, RenderPlan, Result, Size } from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { catching, explainFailure, ProblemError } from '../ffmpeg/run.ts';
import { runWorker } from '../workers/run-worker.ts';
import { compareNewsSchema, type CompareJob } from './compare-job.ts';
import { compareCaptions } from './captions.ts';
import { compareSound } from './sound.ts';

interface CompareOptions {
  signal?: AbortSignal | undefined;
  nice?: boolean;
  /** How far it has come, 0 to 1. */
  onProgress?: (fraction: number) => void;
}

/** A finished file as it is shown: turned as its flags say, with square pixels. */
function displayedSize({ frame, pixelAspect, rotation }: MeasuredFile['video']): Size {
  const width = Math.max(1, Math.round((frame.width * (pixelAspect?.num ?? 1)) / (pixelAspect?.den ?? 1)));
  return rotation % 180 === 0 ? { width, height: frame.height } : { width: frame.height, height: width };
}

/**
 * Compares a finished file with its plan and its master: every picture small, some closely, and the sound. The plan's
 * pictures are drawn from the master by other code than the renderer's.
 */
export async function compareFile(
  path: string,
  measured: MeasuredFile,
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
    file: {
      path,
      stream: measured.video.stream ?? 0,
      displayed: displayedSize(measured.video),
      matrix: measured.video.matrix,
      rate: measured.video.rate,
    },
    nice: nice ?? false,
  };
  const { audio } = measured;
  return catching(async () => {
    const sound = audio
      ? compareSound(
          plan,
          masterPath,
          { path, stream: audio.stream ?? 1, start: measured.video.startSeconds ?? 0 },
          signal,
        )
      : Promise.resolve(null);
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
    return { ...end.comparison, ...captions, sound: await sound };
  });
}
