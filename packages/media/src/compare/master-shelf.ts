import { availableParallelism } from 'node:os';
import { LRUCache } from 'lru-cache';
import type { Planes, RenderPlan } from '@mivvy/core';
import { filmKey } from '../render/film-key.ts';

/** Pictures of one master as they are compared: all that are needed small, luma alone, and some of them larger. */
export interface MasterPictures {
  /** From the first that was decoded on. */
  smalls: readonly Uint8Array[];
  /** By their frame. */
  larges: ReadonlyMap<number, Planes>;
}

/**
 * Decoded pictures that are kept by all threads that compare, bytes; as many files are compared at once as exports run,
 * half as many as there are cores. On two cores that is a film of about a hundred seconds.
 */
const allShelvesBytes = 384_000_000;
const shelfBytes = Math.floor(allShelvesBytes / Math.max(2, availableParallelism() / 2));
/** They are let go when nothing was compared with them for so long, milliseconds. */
const keptMs = 5 * 60_000;

const bytesOf = ({ luma, cb, cr }: Planes): number => luma.bytes.length + cb.bytes.length + cr.bytes.length;
const sizeOf = ({ smalls, larges }: MasterPictures): number =>
  smalls.reduce((sum, bytes) => sum + bytes.length, 1) +
  [...larges.values()].reduce((sum, planes) => sum + bytesOf(planes), 0);

/**
 * Decoded pictures of a while, so that versions of one film that are compared one after the other have it decoded once.
 * They are what the film itself gives: what a version shows of them is drawn anew for each.
 */
export class MasterShelf {
  private readonly kept: LRUCache<string, MasterPictures>;

  constructor(bytes = shelfBytes) {
    this.kept = new LRUCache({ maxSize: bytes, sizeCalculation: sizeOf, ttl: keptMs, ttlAutopurge: true });
  }

  /** What pictures of a master are known by: its file as it lies there now, and how they were decoded; null where it is gone. */
  static keyOf(
    { master: { range, hdr } }: RenderPlan,
    path: string,
    args: readonly string[],
  ): Promise<string | null> {
    return filmKey(path, { args, range, hdr });
  }

  find(key: string): MasterPictures | undefined {
    return this.kept.get(key);
  }

  keep(key: string, pictures: MasterPictures): void {
    this.kept.set(key, pictures);
  }

  /** Whether pictures of a size would be kept: what would not need not be gathered. */
  bears(bytes: number): boolean {
    return bytes <= this.kept.maxSize;
  }
}
