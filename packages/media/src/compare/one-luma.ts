import type { Size } from '@mivvy/core';
import { inputArgs, must, runFfmpegToMemory } from '../ffmpeg/run.ts';
import { wayInto, type MasterHandling } from '../render/way-in.ts';
import { comparedMaster } from './decodes.ts';

/**
 * The luma of the first picture that a reading gives, limited range; null where none comes. Throws the problem of a tool that
 * fails.
 *
 * @param reading arguments that open the film and say which of its streams is read
 * @param filters bring its pictures to `size` in 4:2:0
 */
export async function oneLuma(
  reading: readonly string[],
  filters: string,
  size: Size,
  signal?: AbortSignal,
): Promise<Uint8Array | null> {
  const bytes = must(
    await runFfmpegToMemory(
      [...reading, '-vf', `${filters},extractplanes=y`, '-frames:v', '1', '-f', 'rawvideo', 'pipe:1'],
      { signal },
    ),
  );
  return bytes.length === size.width * size.height ? bytes : null;
}

/** The luma of one frame of a master, read by other means than the renderer's. Throws where it cannot be read. */
export async function masterLuma(
  master: MasterHandling,
  path: string,
  frame: number,
  size: Size,
  signal?: AbortSignal,
): Promise<Uint8Array> {
  const way = wayInto(master, frame);
  const reading = [...way.args, ...inputArgs(path), '-map', `0:${master.videoStream}`];
  const luma = await oneLuma(reading, comparedMaster(master, way, [frame], size), size, signal);
  if (!luma) throw new Error('no picture came of the film');
  return luma;
}
