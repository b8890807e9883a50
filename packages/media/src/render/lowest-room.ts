import { statfs } from 'node:fs/promises';

/** How often the room is looked at, milliseconds: what fills a disk for a moment can be found out only in that moment. */
const everyMs = 250;

/** Watches the room on a folder's disk. */
export class LowestRoom {
  /** The fewest bytes that were free so far; infinity where nothing could be told. */
  lowest = Infinity;
  private readonly timer = setInterval(() => void this.look(), everyMs);

  constructor(private readonly folder: string) {
    this.timer.unref();
  }

  private async look(): Promise<void> {
    const disk = await statfs(this.folder).catch(() => null);
    if (disk) this.lowest = Math.min(this.lowest, disk.bavail * disk.bsize);
  }

  /** Looks once more, and ends watching. */
  async end(): Promise<void> {
    clearInterval(this.timer);
    await this.look();
  }
}
