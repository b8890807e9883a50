import type { Worker } from 'node:worker_threads';
import type { Judged } from '@mivvy/core';
import { startWorker } from '../workers/run-worker.ts';
import { judgeNewsSchema, type JudgeJob } from './judge-job.ts';

const workerFile = new URL('./judge-worker.ts', import.meta.url);

/** A judgement that is waited for. */
interface Waiting {
  job: JudgeJob;
  resolve: (judged: Judged) => void;
  reject: (error: unknown) => void;
}

/**
 * Judges pictures in a thread of its own, one after the other, so that whoever reads the decoders goes on: judging one takes
 * as long as decoding some does. The thread ends with the one that it was started by.
 */
export class PictureJudge {
  private worker: Promise<Worker> | null = null;
  private readonly waiting: Waiting[] = [];

  /** Judges a picture. Throws what the thread fails at. */
  judge(job: JudgeJob): Promise<Judged> {
    return new Promise((resolve, reject) => {
      this.waiting.push({ job, resolve, reject });
      // One at a time: pictures are copied when they are handed over, and need not be there twice while they wait.
      if (this.waiting.length === 1) void this.handOver();
    });
  }

  private async handOver(): Promise<void> {
    try {
      this.worker ??= this.start();
      const worker = await this.worker;
      worker.ref();
      worker.postMessage(this.waiting[0]!.job);
    } catch (error) {
      this.fail(error);
    }
  }

  private async start(): Promise<Worker> {
    const worker = await startWorker(workerFile, null);
    worker.on('message', (message) => {
      this.waiting.shift()?.resolve(judgeNewsSchema.parse(message));
      // One that waits for pictures keeps no program running.
      if (this.waiting.length) void this.handOver();
      else worker.unref();
    });
    // Told once: a thread that has failed ends too, when its place may be another's already.
    let over = false;
    const end = (error: unknown) => {
      if (!over) this.fail(error);
      over = true;
    };
    worker.on('error', end);
    worker.on('exit', () => end(new Error('the judging thread ended without a word')));
    return worker;
  }

  /** A thread that has failed is not used again. */
  private fail(error: unknown): void {
    this.worker = null;
    for (const { reject } of this.waiting.splice(0)) reject(error);
  }
}
