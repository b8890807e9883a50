import { appendFile } from 'node:fs/promises';

/** So much is kept while the file cannot be written; what comes on top is counted and left out. Characters. */
const mostWaiting = 1_000_000;
/** How long it waits after a failure, milliseconds. */
const retryMs = 2000;

/**
 * The destination of the server's log. It never stops the product: lines are appended one batch after another, and
 * while the disk is full they wait, up to a limit, without anybody waiting for them.
 */
export class PatientLog {
  private lines: string[] = [];
  private waiting = 0;
  private left = 0;
  private writing: Promise<void> | null = null;

  constructor(private readonly file: string) {}

  write(line: string): void {
    if (this.waiting + line.length > mostWaiting) {
      this.left++;
      return;
    }
    this.lines.push(line);
    this.waiting += line.length;
    this.writing ??= this.drain().finally(() => (this.writing = null));
  }

  /** Waits a moment for what has been written to reach the file. */
  async flush(patienceMs = 500): Promise<void> {
    await Promise.race([this.writing, new Promise((resolve) => setTimeout(resolve, patienceMs).unref())]);
  }

  private async drain(): Promise<void> {
    while (this.lines.length) {
      const batch = this.lines.splice(0);
      const said = this.left
        ? [`{"level":40,"msg":"${this.left} lines were left out while the disk was full"}\n`]
        : [];
      try {
        await appendFile(this.file, [...said, ...batch].join(''));
        this.waiting -= batch.reduce((sum, line) => sum + line.length, 0);
        this.left = 0;
      } catch {
        this.lines.unshift(...batch);
        await new Promise((resolve) => setTimeout(resolve, retryMs).unref());
      }
    }
  }
}
