import { defineConfig } from '@playwright/test';

// A run that hangs while it loads its second file; made by a test of what ends such a run.
export default defineConfig({
  testDir: '.',
  testMatch: '*.case.ts',
  workers: 1,
  reporter: [['../count-tests.ts', { outputFile: process.env.MIVVY_E2E_COUNT, longestGap: 4000 }]],
});
