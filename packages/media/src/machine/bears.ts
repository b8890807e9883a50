import { readFileSync } from 'node:fs';
import { availableParallelism, cpus, freemem } from 'node:os';

/** What is known of the machine when another job might be begun beside those that run. */
export interface MachineNow {
  /** Jobs of the kind that run. */
  running: number;
  cores: number;
  /** Cores that did nothing in the last seconds, on the average. */
  idleCores: number;
  /** Since the last one was begun; it has to show first what it needs. */
  secondsSince: number;
  freeBytes: number;
}

/** What a job must find idle before it is begun beside others: an encoder hardly ever needs less. */
const leastIdleCores = 1.5;
const leastSeconds = 8;
const leastFreeBytes = 1_500_000_000;

/**
 * Whether the machine bears another export. One is always begun; another only where those that run leave cores idle: on
 * two cores two at once take as long as one after the other, and on many cores one alone leaves most of them idle.
 */
export const bearsAnother = (now: MachineNow): boolean =>
  now.running === 0 ||
  (now.running < Math.floor(now.cores / 2) &&
    now.secondsSince >= leastSeconds &&
    now.idleCores >= leastIdleCores &&
    now.freeBytes >= leastFreeBytes);

const sampleEveryMs = 1000;
/** Samples that the average is taken over. */
const samplesKept = 6;

/** Processor time since the machine was started, of all cores together: idle, and in all. Milliseconds. */
interface Used {
  idle: number;
  all: number;
}

function usedNow(): Used {
  const sum: Used = { idle: 0, all: 0 };
  for (const { times } of cpus()) {
    sum.idle += times.idle;
    sum.all += times.user + times.nice + times.sys + times.irq + times.idle;
  }
  return sum;
}

/** Cores that this process may use: fewer than the machine has where a container gives it a share. */
function coresAllowed(): number {
  const cores = availableParallelism();
  try {
    const [quota, period] = readFileSync('/sys/fs/cgroup/cpu.max', 'utf8').split(' ').map(Number);
    return quota && period ? Math.max(1, Math.min(cores, quota / period)) : cores;
  } catch {
    return cores;
  }
}

/** Watches how much of the machine is idle. */
export class IdleWatch {
  private readonly samples: Used[] = [usedNow()];
  private readonly timer = setInterval(() => this.sample(), sampleEveryMs).unref();
  private readonly cores = coresAllowed();
  private lastBegun = -Infinity;

  /** Whether another job may be begun beside so many. */
  bears(running: number): boolean {
    const [first, last] = [this.samples[0]!, this.samples.at(-1)!];
    const all = last.all - first.all;
    return bearsAnother({
      running,
      cores: this.cores,
      idleCores: all > 0 ? (this.cores * (last.idle - first.idle)) / all : 0,
      secondsSince: (performance.now() - this.lastBegun) / 1000,
      freeBytes: freemem(),
    });
  }

  /** One was begun: what it needs shows from now on. */
  begun(): void {
    this.lastBegun = performance.now();
    this.samples.splice(0, this.samples.length, usedNow());
  }

  stop(): void {
    clearInterval(this.timer);
  }

  private sample(): void {
    this.samples.push(usedNow());
    if (this.samples.length > samplesKept) this.samples.shift();
  }
}
