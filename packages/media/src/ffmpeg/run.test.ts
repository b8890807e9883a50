import { expect, test } from '@jest/globals';
import { catching, Cancelled, explainFailure, must, ProblemError, runFfmpeg } from './run.ts';

test.each([
  ['av_interleaved_write_frame(): No space left on device\nConversion failed!', 'disk-full'],
  ['x264 [error]: malloc failed\nCannot allocate memory', 'memory-full'],
  ['file:/home/anna/films/kite.mp4: No such file or directory', 'file-gone'],
  ['frame= 12\nmivvy: the tool was ended from outside by SIGKILL', 'tool-killed'],
  ['[out#0 @ 0x55] /srv/data/exports/x.mp4: Permission denied', 'not-allowed'],
  ['[in#0 @ 0x55] Error opening input: Input/output error', 'disk-error'],
  ['[in#0 @ 0x55] Error in /home/anna/films/kite.mp4: odd', 'ffmpeg-failed'],
  ['[libx264 @ 0x55] Error setting profile high\nConversion failed!', 'ffmpeg-failed'],
])('what the tool says becomes words: %j', (stderr, code) => {
  const problem = explainFailure(stderr, 'exit 1');
  expect(problem.code).toBe(code);
  expect(problem.sentence).not.toMatch(/0x55|Conversion failed|undefined|\/(home|srv)\//);
  expect(problem.sentence).toMatch(/^[A-Z].*\.$/);
});

test('problems travel through steps as values; anything else is a mistake of ours and is thrown', async () => {
  const problem = { code: 'x', sentence: 'It stopped.', mend: '' };
  expect(await catching(async () => must({ ok: false, problem }))).toEqual({ ok: false, problem });
  expect(
    await catching(async () => {
      throw Object.assign(new Error('full'), { code: 'ENOSPC' });
    }),
  ).toMatchObject({ ok: false, problem: { code: 'disk-full' } });
  await expect(
    catching(async () => {
      throw new TypeError('ours');
    }),
  ).rejects.toThrow('ours');
  expect(new ProblemError(problem).message).toBe('It stopped.');
});

test('a run that fails says why; one that is cancelled throws that', async () => {
  const failed = await runFfmpeg(['-i', '/nowhere/film.mp4', '-f', 'null', '-']);
  expect(!failed.ok && failed.problem.sentence).toMatch(/no longer there/);
  // A disk without room for the last bytes, of which ffmpeg 5 says so and exits with 0.
  const picture = ['-f', 'lavfi', '-i', 'testsrc2=s=32x32:r=25:d=0.2', '-f', 'matroska', '/dev/full'];
  expect(await runFfmpeg(picture)).toMatchObject({ ok: false, problem: { code: 'disk-full' } });
  const controller = new AbortController();
  controller.abort();
  await expect(runFfmpeg(['-version'], { signal: controller.signal })).rejects.toThrow(Cancelled);
});
