import { readFileSync, writeFileSync } from 'node:fs';
import { relative } from 'node:path';
import type { FullConfig, Reporter, Suite, TestCase } from '@playwright/test/reporter';

/** Longest time between two tests, ms. Nothing else limits how long a worker may take to load the next file. */
const longestGap = 180_000;

/**
 * Counts the tests, and ends a run in which no further test is begun. Files of which no test was begun are named, so
 * that they can be run; what was begun is never tried again.
 */
export default class CountTests implements Reporter {
  private readonly begun = new Set<TestCase>();
  private tests: TestCase[] = [];
  private root = '';
  private timer: NodeJS.Timeout | undefined;

  constructor(private readonly options: { outputFile: string; longestGap?: number }) {}

  onBegin(config: FullConfig, suite: Suite): void {
    this.root = config.rootDir;
    this.tests = suite.allTests();
    this.waitForNext();
  }

  onTestBegin(test: TestCase): void {
    clearTimeout(this.timer);
    this.begun.add(test);
  }

  onTestEnd(): void {
    this.waitForNext();
  }

  onEnd(): void {
    clearTimeout(this.timer);
    this.write([]);
  }

  private waitForNext(): void {
    clearTimeout(this.timer);
    const gap = this.options.longestGap ?? longestGap;
    this.timer = setTimeout(() => {
      const started = new Set([...this.begun].map((test) => test.location.file));
      const left = new Set(this.tests.map((test) => test.location.file).filter((file) => !started.has(file)));
      process.stdout.write(
        `No test was begun for ${gap / 1000} s; files that were not reached: ${left.size}.\n`,
      );
      this.write([...left]);
      // What hangs does not end by being told to.
      const children = readFileSync(`/proc/self/task/${process.pid}/children`, 'utf8').trim();
      for (const child of children.split(' ').filter(Boolean)) process.kill(Number(child), 'SIGKILL');
      process.exit(1);
    }, gap);
  }

  /** What was counted; `left` are files that are to be run. A test that was not begun in a file that was has failed. */
  private write(left: readonly string[]): void {
    const counted = this.tests.filter((test) => !left.includes(test.location.file));
    const outcomes = counted.map((test) => (this.begun.has(test) ? test.outcome() : 'unexpected'));
    const result = {
      passed: outcomes.filter((outcome) => outcome === 'expected').length,
      failed: outcomes.filter((outcome) => outcome === 'unexpected' || outcome === 'flaky').length,
      left: left.map((file) => relative(this.root, file)),
    };
    writeFileSync(this.options.outputFile, JSON.stringify(result));
  }
}
