import { rename, stat } from 'node:fs/promises';
import { fail, frameToSeconds, pictureStart, planMaster, type MasterFacts, type Result } from '@mivvy/core';
import { stillImageFilters } from '../render/filters.ts';
import { wayInto } from '../render/way-in.ts';
import { catching, inputArgs, must, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';

/** Height of a still of a shot, pixels: twice the height that shots are shown in. */
export const stillHeight = 108;
/** Width of a poster, pixels. */
const posterWidth = 640;

/** Draws one frame of a master as a JPEG of some height. It is sought, so a late one takes no longer. Whole or not at all. */
export async function makeStill(
  path: string,
  facts: MasterFacts,
  frame: number,
  height: number,
  out: string,
  options: RunOptions = {},
): Promise<Result<void>> {
  const { displayed, rate, frames, streamIndex } = facts.video;
  const even = (n: number) => Math.max(2, Math.round(n / 2) * 2);
  const wanted = Math.max(0, Math.min(frames - 1, frame));
  const at = pictureStart(facts) + frameToSeconds(wanted, rate);
  return catching(async () => {
    const part = `${out}.${process.pid}.part.jpg`;
    // The bytes' sum plays no part in how a picture is shown.
    const look = stillImageFilters(
      planMaster(facts, ''),
      even((height * displayed.width) / displayed.height),
      even(height),
    );
    const { before, after, choose } = wayTo(facts, wanted, at);
    const filters = choose ? `${choose},${look}` : look;
    must(
      await runFfmpeg(
        [
          '-threads',
          '1',
          ...before,
          ...inputArgs(path),
          ...after,
          '-map',
          `0:${streamIndex}`,
          '-vf',
          filters,
          '-frames:v',
          '1',
          '-q:v',
          '4',
          '-f',
          'image2',
          '-update',
          '1',
          part,
        ],
        options,
      ),
    );
    if (!(await stat(part).catch(() => null)))
      must(
        fail(
          'no-still',
          'This frame cannot be drawn from the film.',
          'Look at another one; the film may be damaged there.',
        ),
      );
    await rename(part, out);
  });
}

/** Longest wait for a keyframe that is reckoned with while the film has not been counted, seconds. */
const keyframeWithin = 12;

/**
 * How a frame is reached: by its time, by its time from a keyframe well before it, or as an export reaches it, where the
 * frame's own time does not say which picture is shown then.
 */
export function wayTo(
  facts: MasterFacts,
  frame: number,
  at: number,
): { before: string[]; after: string[]; choose: string } {
  const { countedFromStart, untimed, longestKeyframeGap, longestKeyframeDelay, rate, rateVaries } =
    facts.video;
  const seek = (seconds: number) => ['-ss', seconds.toFixed(3)];
  const time = Math.max(0, at - 0.001);
  if (untimed || (rateVaries && !countedFromStart && longestKeyframeDelay !== undefined)) {
    const way = wayInto(planMaster(facts, ''), frame);
    return { before: way.args, after: [], choose: `${way.counted},select=gte(n\\,${frame - way.skipped})` };
  }
  if (!countedFromStart) return { before: seek(time), after: [], choose: '' };
  // A seek here lands between keyframes, and pictures come only from the next one on.
  const early = Math.max(
    0,
    time - (longestKeyframeGap ? frameToSeconds(longestKeyframeGap, rate) : keyframeWithin) - 1,
  );
  return { before: early > 0 ? seek(early) : [], after: seek(time - early), choose: '' };
}

/** Draws a master's poster: a frame from its first fifth, larger than a still. */
export async function makePoster(
  path: string,
  facts: MasterFacts,
  out: string,
  options: RunOptions,
): Promise<Result<void>> {
  const { displayed, frames } = facts.video;
  return makeStill(
    path,
    facts,
    Math.floor(frames / 5),
    (posterWidth * displayed.height) / displayed.width,
    out,
    options,
  );
}
