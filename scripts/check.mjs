// Every check, one after the other; the last line counts the tests.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const dir = mkdtempSync(join(tmpdir(), 'mivvy-check-'));
const unitReport = join(dir, 'unit.json');
const browserReport = join(dir, 'browser.json');
const env = { ...process.env, NODE_OPTIONS: '', FORCE_COLOR: '0' };

/** Each check: what it is, and how it is run. */
const checks = [
  ['types', 'npx', ['tsc', '--noEmit', '-p', '.'], env],
  ['types of the core, without DOM or Node', 'npx', ['tsc', '--noEmit', '-p', 'packages/core'], env],
  ['lint', 'npx', ['eslint', '.'], env],
  ['allowed imports', 'npx', ['depcruise', 'packages', '--config', '.dependency-cruiser.cjs'], env],
  ['unused code', 'npx', ['knip', '--no-config-hints'], env],
  ['unit and engine tests', 'npx', ['jest', '--json', `--outputFile=${unitReport}`], { ...env, NODE_OPTIONS: '--experimental-vm-modules --no-warnings' }],
  ['browser tests', 'npx', ['playwright', 'test', '-c', 'e2e/playwright.config.ts'], { ...env, PLAYWRIGHT_JSON_OUTPUT_NAME: browserReport }],
];

let broken = 0;
for (const [name, command, args, environment] of checks) {
  const started = Date.now();
  process.stdout.write(`\n== ${name}\n`);
  const { status } = spawnSync(command, ['--no-install', ...args], { stdio: ['ignore', 'inherit', 'inherit'], env: environment });
  if (status !== 0) broken++;
  process.stdout.write(`== ${name}: ${status === 0 ? 'passed' : 'FAILED'}, ${((Date.now() - started) / 1000).toFixed(0)} s\n`);
}

const read = (path) => {
  try {
    return JSON.parse(readFileSync(path, 'utf8'));
  } catch {
    return null;
  }
};
const unit = read(unitReport);
const browser = read(browserReport)?.stats;
rmSync(dir, { recursive: true, force: true });
const passed = (unit?.numPassedTests ?? 0) + (browser?.expected ?? 0);
const failed = (unit?.numFailedTests ?? 0) + (unit?.numRuntimeErrorTestSuites ?? 0) + (browser?.unexpected ?? 0) + (unit && browser ? 0 : 1);
process.stdout.write(`\n${checks.length - broken} of ${checks.length} checks passed\n${passed} passed, ${failed} failed\n`);
process.exit(broken === 0 && failed === 0 && passed > 0 ? 0 : 1);
