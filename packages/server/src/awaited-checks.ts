import { fail, type CheckReport, type Problem, type Result } from '@mivvy/core';
import type { HeldAgainst } from '@mivvy/media';

/** A file that was made elsewhere, and what it is held against. */
export interface CheckOrder extends HeldAgainst {
  file: { path: string; sha256: string };
}

type Answer = (report: Result<CheckReport>) => void;

const stopped: Problem = {
  code: 'check-stopped',
  sentence: 'The check was stopped before it had ended.',
  mend: 'Check the file again.',
};

/** Checks that somebody waits for, by their jobs: none outlives who asked for it. */
export class AwaitedChecks {
  private readonly waiting = new Map<string, { order: CheckOrder; answer: Answer }>();

  /** Waits for a job's report; `answer` is called with it. */
  await(jobId: string, order: CheckOrder, answer: Answer): void {
    this.waiting.set(jobId, { order, answer });
  }

  /** Nobody waits for a job's report any more. */
  leave(jobId: string): void {
    this.waiting.delete(jobId);
  }

  get size(): number {
    return this.waiting.size;
  }

  /** What a job's file is to be checked with; undefined where nobody waits for that. */
  orderOf(jobId: string): CheckOrder | undefined {
    return this.waiting.get(jobId)?.order;
  }

  /** Tells whoever waits, if somebody does, what came of a job. */
  answer(jobId: string, report: Result<CheckReport>): void {
    this.waiting.get(jobId)?.answer(report);
  }

  /** Tells whoever waits that a job failed, or that it was stopped where it had no problem. */
  notChecked(jobId: string, problem: Problem | null): void {
    const { code, sentence, mend } = problem ?? stopped;
    this.answer(jobId, fail(code, sentence, mend));
  }
}
