// Every check; the last line counts the tests. What only reads the code runs two at a time, the tests one after the other.
import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const dir = mkdtempSync(join(tmpdir(), 'mivvy-check-'));
const unitReport = join(dir, 'unit.json');
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
const unitTests = [
  'unit and engine tests',
  'npx',
  ['jest', '--json', `--outputFile=${unitReport}`],
  { ...env, NODE_OPTIONS: '--experimental-vm-modules --no-warnings' },
];
/** All browser tests, or those of some files; what came of them is counted in a file. */
const browserTests = (name, count, files = []) => [
  name,
  'npx',
  ['playwright', 'test', '-c', 'e2e/playwright.config.ts', ...files],
  { ...env, MIVVY_E2E_COUNT: count },
];

/** Runs a check, and says whether it passed. What it says is shown as it comes, or all at once when it has ended. */
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
  process.stdout.write(
    `${atOnce ? `\n== ${name}\n${said}` : ''}== ${name}: ${status === 0 ? 'passed' : 'FAILED'}, ${((Date.now() - started) / 1000).toFixed(0)} s\n`,
  );
  return status === 0;
}
const waiting = [...readings];
const passes = [];
await Promise.all(
  [0, 1].map(async () => {
    for (let check = waiting.shift(); check; check = waiting.shift()) passes.push(await run(check, true));
  }),
);

const read = (path) => {
  try {
    return JSON.parse(readFileSync(path, 'utf8'));
  } catch {
    return null;
  }
};
passes.push(await run(unitTests, false));
const unit = read(unitReport);

const [count, rest] = [join(dir, 'browser.json'), join(dir, 'rest.json')];
let browserPassed = await run(browserTests('browser tests', count), false);
const counts = [read(count)];
const left = counts[0]?.left ?? [];
if (left.length > 0) {
  // A worker hung while it loaded a file. The files that it did not come to are run once more; no test is.
  const restPassed = await run(browserTests('browser tests that were not reached', rest, left), false);
  counts.push(read(rest));
  browserPassed = restPassed && counts[0].failed === 0;
}
passes.push(browserPassed);
rmSync(dir, { recursive: true, force: true });

const sum = (of) => counts.reduce((all, each) => all + (each?.[of] ?? 0), 0);
const passed = (unit?.numPassedTests ?? 0) + sum('passed');
const failed =
  (unit?.numFailedTests ?? 0) +
  (unit?.numRuntimeErrorTestSuites ?? 0) +
  sum('failed') +
  (unit && counts.every(Boolean) ? 0 : 1);
const whole = passes.filter(Boolean).length;
process.stdout.write(`\n${whole} of ${passes.length} checks passed\n${passed} passed, ${failed} failed\n`);
process.exit(whole === passes.length && failed === 0 && passed > 0 ? 0 : 1);
