/** Unit and engine tests. Run with NODE_OPTIONS=--experimental-vm-modules: the whole project is ES modules. */
export default {
  testEnvironment: 'node',
  roots: ['<rootDir>/packages'],
  testMatch: ['**/*.test.ts', '**/*.test.tsx'],
  extensionsToTreatAsEsm: ['.ts', '.tsx'],
  transform: {
    '^.+\\.tsx?$': '<rootDir>/scripts/jest-transform.mjs',
  },
  setupFiles: ['<rootDir>/scripts/property-seed.mjs'],
  // Engine tests each run ffmpeg on its own threads; two at a time fill two cores.
  maxWorkers: 2,
  testTimeout: 240_000,
  // Left on, each test file's end wraps what it finds on shared objects once more, until the stack overflows after a
  // hundred files in one worker.
  testEnvironmentOptions: { globalsCleanup: 'off' },
};
