import { mkdir, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { RenderPlan, Result } from '@mivvy/core';
import { catching, must, pictureInput, runFfmpegToMemory } from '../ffmpeg/run.ts';
import { pictureAsPlanned, pictureInFile } from './frame-pictures.ts';
import type { GraphicPath } from '../layers/overlay-input.ts';

/** Pictures are compared so small that what an encoder does to them is averaged away, pixels a side. */
const side = 48;
/** Where the looks are taken, in parts of the film. */
const looks = [0.1, 0.5, 0.9];
/** Small pictures of one frame differ by less than this, as a mean square of 0 to 255; 25 dB below white. */
const mostDifferent = 200;

/**
 * Whether a file shows in a few places what its plan wants there. Far cheaper than holding all of it against its film:
 * it finds another film, another crop, another order; no small fault.
 *
 * @param from.folder for its work alone; it is gone afterwards
 */
export function picturesAgree(
  plan: RenderPlan,
  path: string,
  from: { masterPath: string; graphicPath: GraphicPath; folder: string; signal?: AbortSignal },
): Promise<Result<boolean>> {
  const { folder, signal, ...film } = from;
  return catching(async () => {
    await mkdir(folder, { recursive: true });
    try {
      for (const [i, part] of looks.entries()) {
        const frame = Math.min(plan.frames - 1, Math.floor(plan.frames * part));
        const own = join(folder, `${i}`);
        const there = must(await pictureInFile(path, frame, join(own, 'file'), { signal }));
        const wanted = must(
          await pictureAsPlanned(plan, frame, { ...film, folder: join(own, 'plan') }, { signal }),
        );
        const [a, b] = [await small(there, folder, signal), await small(wanted, folder, signal)];
        if (meanSquareDifference(a, b) > mostDifferent) return false;
      }
      return true;
    } finally {
      await rm(folder, { recursive: true, force: true });
    }
  });
}

/** A picture in a few grey pixels. */
async function small(png: Buffer, folder: string, signal: AbortSignal | undefined): Promise<Uint8Array> {
  const path = join(folder, 'picture.png');
  await writeFile(path, png);
  return must(
    await runFfmpegToMemory(
      [...pictureInput(path), '-vf', `scale=${side}:${side}:flags=area,format=gray`, '-f', 'rawvideo', '-'],
      { signal },
    ),
  );
}

function meanSquareDifference(a: Uint8Array, b: Uint8Array): number {
  let sum = 0;
  for (const [i, value] of a.entries()) sum += (value - (b[i] ?? 0)) ** 2;
  return sum / Math.max(1, a.length);
}
