import {
  clamp,
  fps,
  looksAtEvery,
  lookSize,
  ok,
  type LookBox,
  type MasterFacts,
  type TrackedBox,
  type Result,
} from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { explainFailure, inputArgs, quietly } from '../ffmpeg/run.ts';
import { wayInto, type MasterHandling } from '../render/way-in.ts';
import { runWorker } from '../workers/run-worker.ts';
import { followNewsSchema, type FollowJob } from './follow-job.ts';

/** A drawn box is followed so far either way at most, seconds. */
const reachSeconds = 40;

/**
 * Follows a box that a person drew through its shot, from its frame forwards and backwards.
 *
 * @param shot the shot's frames; @param frame where it was drawn; @param box fractions of the master
 */
export async function followDrawnBox(
  path: string,
  facts: MasterFacts,
  master: MasterHandling,
  shot: { from: number; to: number },
  frame: number,
  box: LookBox,
  signal?: AbortSignal,
): Promise<Result<TrackedBox[]>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const rate = fps(facts.video.rate);
  const step = looksAtEvery(rate);
  const size = lookSize(facts.video.displayed);
  const reach = Math.round(reachSeconds * rate);
  // Counted so that the frame it was drawn on is one of those looked at.
  const back = Math.floor((frame - Math.max(shot.from, frame - reach)) / step);
  const from = frame - back * step;
  const to = Math.min(shot.to, frame + reach);
  const way = wayInto(master, from);
  const chosen = `select=gte(n\\,${from - way.skipped})*lt(n\\,${to - way.skipped})*eq(mod(n-${from - way.skipped}\\,${step})\\,0)`;
  const count = Math.ceil((to - from) / step);
  const job: FollowJob = {
    ffmpeg: tools.value.ffmpeg,
    size,
    step,
    from,
    to,
    framesPerSecond: rate,
    at: back,
    box: {
      x: box.x * size.width,
      y: box.y * size.height,
      width: Math.max(2, box.width * size.width),
      height: Math.max(2, box.height * size.height),
    },
    decode: [
      ...quietly,
      ...way.args,
      ...inputArgs(path),
      '-map',
      `0:${facts.video.streamIndex}`,
      '-vf',
      `${way.counted},${chosen},scale=${size.width * 3}:${size.height * 3}:flags=fast_bilinear,scale=${size.width}:${size.height}:flags=area,format=yuv444p`,
      '-fps_mode',
      'passthrough',
      '-frames:v',
      String(count),
      '-f',
      'rawvideo',
      'pipe:1',
    ],
  };
  const end = await runWorker({
    file: new URL('./follow-worker.ts', import.meta.url),
    data: job,
    news: followNewsSchema,
    signal,
  });
  if (!end.ok || !end.places.length)
    return { ok: false, problem: explainFailure(end.stderr, 'the subject could not be followed') };
  return ok(end.places.map((p) => ({ ...p, at: clamp(p.at, shot.from, shot.to - 1) })));
}
