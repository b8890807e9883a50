// Every check; the last line counts the tests. What only reads the code runs two at a time, the tests one after the other.
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const dir = mkdtempSync(join(tmpdir(), 'mivvy-check-'));
const unitReport = join(dir, 'unit.json');
const browserReport = join(dir, 'browser.json');
const env = { ...process.env, NODE_OPTIONS: '', FORCE_COLOR: '0' };

/** Each check: what it is, and how it is run. */
const readings = [
  ['layout', 'npx', ['prettier', '--check', '--log-level', 'warn', '.'], env],
  ['types', 'npx', ['tsc', '--noEmit', '-p', '.'], env],
  ['lint', 'npx', ['eslint', '.'], env],
  ['types of the core, without DOM or Node', 'npx', ['tsc', '--noEmit', '-p', 'packages/core'], env],
  ['allowed imports', 'npx', ['depcruise', 'packages', '--config', '.dependency-cruiser.cjs'], env],
  ['unused code', 'npx', ['knip', '--no-config-hints'], env],
];
const tests = [
  [
    'unit and engine tests',
    'npx',
    ['jest', '--json', `--outputFile=${unitReport}`],
    { ...env, NODE_OPTIONS: '--experimental-vm-modules --no-warnings' },
  ],
  [
    'browser tests',
    'npx',
    ['playwright', 'test', '-c', 'e2e/playwright.config.ts'],
    { ...env, PLAYWRIGHT_JSON_OUTPUT_NAME: browserReport },
  ],
];

let broken = 0;
/** Runs a check. What it says is shown as it comes, or all at once when it has ended. */
async function run([name, command, args, environment], atOnce) {
  const started = Date.now();
  let said = '';
  if (!atOnce) process.stdout.write(`\n== ${name}\n`);
  const child = spawn(command, ['--no-install', ...args], {
    stdio: ['ignore', atOnce ? 'pipe' : 'inherit', atOnce ? 'pipe' : 'inherit'],
    env: environment,
  });
  for (const stream of [child.stdout, child.stderr]) stream?.on('data', (chunk) => (said += chunk));
  const status = await new Promise((resolve) => {
    child.on('error', () => resolve(1));
    child.on('close', resolve);
  });
  if (status !== 0) broken++;
  process.stdout.write(
    `${atOnce ? `\n== ${name}\n${said}` : ''}== ${name}: ${status === 0 ? 'passed' : 'FAILED'}, ${((Date.now() - started) / 1000).toFixed(0)} s\n`,
  );
}
const waiting = [...readings];
await Promise.all(
  [0, 1].map(async () => {
    for (let check = waiting.shift(); check; check = waiting.shift()) await run(check, true);
  }),
);
for (const check of tests) await run(check, false);

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
const failed =
  (unit?.numFailedTests ?? 0) +
  (unit?.numRuntimeErrorTestSuites ?? 0) +
  (browser?.unexpected ?? 0) +
  (unit && browser ? 0 : 1);
process.stdout.write(
  `\n${readings.length + tests.length - broken} of ${readings.length + tests.length} checks passed\n${passed} passed, ${failed} failed\n`,
);
process.exit(broken === 0 && failed === 0 && passed > 0 ? 0 : 1);
