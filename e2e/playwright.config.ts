import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { defineConfig } from '@playwright/test';
import { browserArgs } from './testing/browser-args.ts';

const root = fileURLToPath(new URL('..', import.meta.url));
const port = 4688;
// Workers read this file too; they are told the folder that the first reading made.
const dataDir = (process.env.MIVVY_E2E_DATA ??= mkdtempSync(join(tmpdir(), 'mivvy browser ')));

export default defineConfig({
  testDir: '.',
  outputDir: '../test-results',
  workers: 1,
  // Generous: a shared machine may give a test a third of its time, and nothing here measures speed.
  timeout: 240_000,
  expect: { timeout: 45_000 },
  // A second try would hide a fault that shows one time in many.
  retries: 0,
  forbidOnly: true,
  reporter: [
    ['list'],
    ['./testing/count-tests.ts', { outputFile: process.env.MIVVY_E2E_COUNT ?? join(dataDir, 'count.json') }],
  ],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: process.env.MIVVY_CHROMIUM ?? '/usr/bin/chromium',
      args: browserArgs,
    },
  },
  webServer: {
    command: `node "${join(root, 'packages/bundle/src/run.mjs')}" "${join(root, 'packages/server/src/main.ts')}"`,
    url: `http://127.0.0.1:${port}/api/health`,
    env: {
      MIVVY_DATA: dataDir,
      MIVVY_PORT: String(port),
      MIVVY_LOOKING: 'when-asked',
      // The same order on every machine.
      MIVVY_EXPORTS: '1',
    },
    timeout: 180_000,
    reuseExistingServer: false,
  },
});
