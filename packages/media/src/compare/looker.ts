import type { Worker } from 'node:worker_threads';
import type { Judged } from '@mivvy/core';
import { startWorker } from '../workers/run-worker.ts';
import { lookNewsSchema, type LookJob } from './look-job.ts';

const workerFile = new URL('./look-worker.ts', import.meta.url);

/** A look that is waited for. */
interface Waiting {
  job: LookJob;
  resolve: (judged: Judged) => void;
  reject: (error: unknown) => void;
}

/**
 * Looks at pictures closely in a thread of its own, one after the other, so that whoever reads the decoders goes on: a look
 * takes as long as decoding some frames does. The thread ends with the one that it was started by.
 */
export class Looker {
  private worker: Promise<Worker> | null = null;
  private readonly waiting: Waiting[] = [];

  /** Looks at a picture. Throws what the thread fails at. */
  look(job: LookJob): Promise<Judged> {
    return new Promise((resolve, reject) => {
      this.waiting.push({ job, resolve, reject });
      // One at a time: pictures are copied when they are handed over, and need not be there twice while they wait.
      if (this.waiting.length === 1) void this.handOver();
    });
  }

  private async handOver(): Promise<void> {
    try {
      this.worker ??= this.start();
      (await this.worker).postMessage(this.waiting[0]!.job);
    } catch (error) {
      this.fail(error);
    }
  }

  private async start(): Promise<Worker> {
    const worker = await startWorker(workerFile, null);
    worker.on('message', (message) => {
      this.waiting.shift()?.resolve(lookNewsSchema.parse(message));
      if (this.waiting.length) void this.handOver();
    });
    worker.on('error', (error) => this.fail(error));
    worker.on('exit', () => this.fail(new Error('the looking thread ended without a word')));
    return worker;
  }

  /** A thread that has failed is not used again. */
  private fail(error: unknown): void {
    this.worker = null;
    for (const { reject } of this.waiting.splice(0)) reject(error);
  }
}
