import { mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@playwright/test';
import { execa } from 'execa';

test('a run in which no further test is begun is ended, and says which files it did not come to', async () => {
  const dir = await mkdtemp(join(tmpdir(), 'mivvy hung run '));
  try {
    const counted = join(dir, 'count.json');
    const config = fileURLToPath(new URL('testing/hung-run/playwright.config.ts', import.meta.url));
    const { TEST_WORKER_INDEX: _index, TEST_PARALLEL_INDEX: _parallel, ...env } = process.env;
    const run = await execa('npx', ['playwright', 'test', '-c', config], {
      ...{ env: { ...env, MIVVY_E2E_COUNT: counted }, extendEnv: false, reject: false, timeout: 90_000 },
    });
    expect(run.stdout).toContain('No test was begun for 4 s; files that were not reached: 1.');
    expect(run.exitCode).toBe(1);
    expect(JSON.parse(await readFile(counted, 'utf8'))).toEqual({
      passed: 2,
      failed: 0,
      left: ['second.case.ts'],
    });
  } finally {
    await rm(dir, { recursive: true, force: true });
  }
});
