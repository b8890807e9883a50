import type { Size } from '@mivvy/core';
import { inputArgs, must, runFfmpegToMemory } from '../ffmpeg/run.ts';
import { wayInto, type MasterHandling } from '../render/way-in.ts';
import { comparedMaster } from './decodes.ts';

/**
 * The luma of the first picture that a reading gives, limited range. Throws the problem of a tool that fails, and where no
 * picture comes.
 *
 * @param reading arguments that open the film and say which of its streams is read
 * @param filters bring its pictures to `size` in 4:2:0
 */
export async function oneLuma(
  reading: readonly string[],
  filters: string,
  size: Size,
  signal?: AbortSignal,
): Promise<Uint8Array> {
  const bytes = must(
    await runFfmpegToMemory(
      [...reading, '-vf', `${filters},extractplanes=y`, '-frames:v', '1', '-f', 'rawvideo', 'pipe:1'],
      { signal },
    ),
  );
  if (bytes.length !== size.width * size.height) throw new Error('no picture came of it');
  return bytes;
}

/** The luma of one frame of a master, read by other means than the renderer's. Throws as {@link oneLuma} does. */
export function masterLuma(
  master: MasterHandling,
  path: string,
  frame: number,
  size: Size,
  signal?: AbortSignal,
): Promise<Uint8Array> {
  const way = wayInto(master, frame);
  const reading = [...way.args, ...inputArgs(path), '-map', `0:${master.videoStream}`];
  return oneLuma(reading, comparedMaster(master, way, [frame], size), size, signal);
}
