import { rename } from 'node:fs/promises';
import { frameToSeconds, planMaster, type MasterFacts, type Result } from '@mivvy/core';
import { stillImageFilters } from '../render/filters.ts';
import { catching, inputArgs, must, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';

/** Height of a still of a shot, pixels: twice the height that shots are shown in. */
export const stillHeight = 108;
/** Width of a poster, pixels. */
const posterWidth = 640;

/** Draws one frame of a master as a JPEG of some height. It is sought, so a late one takes no longer. Whole or not at all. */
export async function makeStill(path: string, facts: MasterFacts, frame: number, height: number, out: string, options: RunOptions = {}): Promise<Result<void>> {
  const { displayed, rate, startSeconds, frames, streamIndex } = facts.video;
  const even = (n: number) => Math.max(2, Math.round(n / 2) * 2);
  const at = startSeconds + frameToSeconds(Math.max(0, Math.min(frames - 1, frame)), rate);
  return catching(async () => {
    const part = `${out}.${process.pid}.part.jpg`;
    // The bytes' sum plays no part in how a picture is shown.
    const look = stillImageFilters(planMaster(facts, ''), even((height * displayed.width) / displayed.height), even(height));
    must(await runFfmpeg(['-threads', '1', '-ss', Math.max(0, at - 0.001).toFixed(3), ...inputArgs(path), '-map', `0:${streamIndex}`, '-vf', look, '-frames:v', '1', '-q:v', '4', '-f', 'image2', '-update', '1', part], options));
    await rename(part, out);
  });
}

/** Draws a master's poster: a frame from its first fifth, larger than a still. */
export async function makePoster(path: string, facts: MasterFacts, out: string, options: RunOptions): Promise<Result<void>> {
  const { displayed, frames } = facts.video;
  return makeStill(path, facts, Math.floor(frames / 5), (posterWidth * displayed.height) / displayed.width, out, options);
}
