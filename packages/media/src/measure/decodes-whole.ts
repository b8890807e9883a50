import { fail, ok, type Result } from '@mivvy/core';
import { inputArgs, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';

/**
 * Decodes every stream of a file to its end, and stops at the first error: bytes that were lost or exchanged on the way
 * are found here even where a player would hide them. Throws `Cancelled`.
 */
export async function decodesWhole(path: string, options: RunOptions = {}): Promise<Result<void>> {
  const run = await runFfmpeg(
    ['-xerror', '-err_detect', 'explode', ...inputArgs(path), '-map', '0', '-f', 'null', '-'],
    options,
  );
  if (run.ok) return ok(undefined);
  const { code } = run.problem;
  // What the machine lacks says nothing about the file.
  if (code === 'disk-full' || code === 'memory-full' || code === 'tool-killed') return run;
  return fail(
    'damaged',
    'The file cannot be decoded to its end: bytes of it are damaged.',
    'Export it again.',
  );
}
