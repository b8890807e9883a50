import type { Logger } from 'pino';
import type { DiskState } from '@mivvy/api';
import type { Events } from '../events.ts';
import { steadyNow } from '../clocks.ts';

/** Below this a disk counts as full: rows and small pictures still fit, films do not. Bytes. */
const fullBelow = 8_000_000;
/** Room that must be there before work that stopped goes on, so that it does not stop again at once. Bytes. */
const roomAbove = 32_000_000;
const lookEveryMs = 3000;
/** Work that met a full disk is started again no more often than this, milliseconds. */
const againEveryMs = 15_000;

interface WatchOptions {
  freeBytes: () => Promise<number>;
  events: Events;
  log: Logger;
  /** Called when there is room again for what had stopped, with the free bytes; whether something waits for more. */
  onRoom: (free: number) => Promise<boolean>;
}

/** Knows whether the data disk is full, tells when that changes, and lets work go on when there is room again. */
export class DiskWatch {
  state: DiskState = { full: false, freeBytes: 0 };
  private timer: NodeJS.Timeout | undefined;
  /** Something stopped for want of room and waits for it; it may have done so before this start. */
  private owed = true;
  private lastAgain = steadyNow();
  private looking: Promise<void> | null = null;

  constructor(private readonly options: WatchOptions) {}

  async start(): Promise<void> {
    await this.look();
    this.timer = setInterval(() => void this.look(), lookEveryMs);
    this.timer.unref();
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.looking;
  }

  /** Something has met a full disk, which may have room again by now; it is started again when there is. */
  met(): void {
    this.owed = true;
    void this.look();
  }

  /** Looks now; whoever asks meanwhile waits for the same look. */
  look(): Promise<void> {
    return (this.looking ??= this.lookOnce()
      .catch((error: unknown) =>
        this.options.log.warn({ err: error }, 'the disk could not be asked for its room'),
      )
      .finally(() => (this.looking = null)));
  }

  private async lookOnce(): Promise<void> {
    const { freeBytes, events, log, onRoom } = this.options;
    const free = await freeBytes();
    const was = this.state.full;
    const full = was ? free < roomAbove : free < fullBelow;
    this.state = { full, freeBytes: free };
    if (full !== was) {
      log.warn({ free }, full ? 'the disk is full' : 'the disk has room again');
      events.tell({ kind: 'disk', disk: this.state });
    }
    if (was && !full) this.owed = true;
    if (full || !this.owed || free < roomAbove || steadyNow() - this.lastAgain < againEveryMs) return;
    this.lastAgain = steadyNow();
    // Put down before it is asked for: something may stop meanwhile, and what that is owed stands.
    this.owed = false;
    try {
      if (await onRoom(free)) this.owed = true;
    } catch (error) {
      this.owed = true;
      throw error;
    }
  }
}
