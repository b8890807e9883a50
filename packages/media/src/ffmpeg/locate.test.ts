import { afterEach, expect, test } from '@jest/globals';
import { chmod, readFile, writeFile } from 'node:fs/promises';
import { once } from 'node:events';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { testFolder } from '../testing/helpers.ts';
import { forgetTools, locateTools } from './locate.ts';

afterEach(() => forgetTools());

/** What a thread that is started now is given to find. */
async function handedOn(): Promise<unknown> {
  const ask =
    "const { getEnvironmentData, parentPort } = require('node:worker_threads'); parentPort.postMessage(getEnvironmentData('mivvy tools'));";
  const [found] = await once(new Worker(ask, { eval: true }), 'message');
  return found;
}

test('two who ask at once look once, and threads that are started later need not look', async () => {
  const { dir, clean } = await testFolder();
  const tool = join(dir, 'noting tool');
  const asked = join(dir, 'asked');
  await writeFile(tool, `#!/bin/sh\necho asked >> '${asked}'\necho 'ffmpeg version 5.1'\n`);
  await chmod(tool, 0o755);
  forgetTools();
  expect(await handedOn()).toBeUndefined();
  const env = { MIVVY_FFMPEG: tool, MIVVY_FFPROBE: tool };
  const both = await Promise.all([locateTools(env), locateTools(env)]);
  expect(both.every(({ ok }) => ok)).toBe(true);
  expect(await readFile(asked, 'utf8')).toBe('asked\nasked\n');
  expect(await handedOn()).toEqual({ ffmpeg: tool, ffprobe: tool, version: 'ffmpeg version 5.1' });
  await clean();
});

test('one that is too old is refused, and nothing is handed on', async () => {
  const { dir, clean } = await testFolder();
  const tool = join(dir, 'old tool');
  await writeFile(tool, "#!/bin/sh\necho 'ffmpeg version 4.4.1'\n");
  await chmod(tool, 0o755);
  forgetTools();
  const refused = await locateTools({ MIVVY_FFMPEG: tool, MIVVY_FFPROBE: tool });
  expect(!refused.ok && refused.problem.sentence).toContain('too old');
  expect(await handedOn()).toBeUndefined();
  await clean();
});
