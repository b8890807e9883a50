import {
  fps,
  looksEvery,
  ok,
  thumbHeight,
  thumbWidth,
  type Thumbnails,
  type MasterFacts,
  type Result,
  type Shot,
} from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { explainFailure, inputArgs, quietly } from '../ffmpeg/run.ts';
import { fromStart, type MasterHandling } from '../render/way-in.ts';
import { runWorker } from '../workers/run-worker.ts';
import { shotsNewsSchema, type ShotsJob } from './shots-job.ts';

/** A film's shots, grouped by camera position, and small pictures of it to compare shots by. */
export interface FoundShots {
  shots: Shot[];
  looks: Thumbnails;
}

/** Decodes a film once, small, and finds its shots. Whatever nobody sees at this size is left out: the
 * in-loop filter, exact arithmetic, a careful first reduction. */
export async function findShots(
  path: string,
  facts: MasterFacts,
  master: MasterHandling,
  options: { signal?: AbortSignal; onFraction?: (fraction: number) => void } = {},
): Promise<Result<FoundShots>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const every = looksEvery(fps(facts.video.rate));
  const job: ShotsJob = {
    ffmpeg: tools.value.ffmpeg,
    frames: facts.video.frames,
    looksEvery: every,
    decode: [
      ...quietly,
      '-skip_loop_filter',
      'all',
      '-flags2',
      '+fast',
      ...inputArgs(path),
      '-map',
      `0:${facts.video.streamIndex}`,
      '-vf',
      `${fromStart(master).counted},scale=${thumbWidth * 4}:${thumbHeight * 4}:flags=fast_bilinear,scale=${thumbWidth}:${thumbHeight}:flags=area,format=yuv444p`,
      '-fps_mode',
      'passthrough',
      '-f',
      'rawvideo',
      'pipe:1',
    ],
  };
  const end = await runWorker({
    file: new URL('./shots-worker.ts', import.meta.url),
    data: job,
    news: shotsNewsSchema,
    signal: options.signal,
    onNews: (news) => options.onFraction?.(news.fraction),
  });
  if (!end.ok || !end.shots)
    return { ok: false, problem: explainFailure(end.stderr, 'the film could not be looked through') };
  return ok({ shots: end.shots, looks: { every, data: end.looks } });
}
