import { setImmediate } from 'node:timers/promises';
import type { FrameSpan, Planes } from '@mivvy/core';
import type { CompareJob } from './compare-job.ts';
import { decodePictures, type Decoded } from './decode-pictures.ts';
import { masterDecode } from './decodes.ts';
import { MasterShelf, type MasterPictures } from './master-shelf.ts';

/** What of a plan's master is read. */
export interface MasterWanted {
  /** Its frames that are given small. */
  span: FrameSpan;
  /** Those of them that are given larger too, in order. */
  larger: readonly number[];
}

/** Who takes a master's pictures, by the master's frame; the bytes of a small one are used again for the next. */
export interface TakesMaster {
  small: (bytes: Uint8Array, frame: number) => void;
  large: (planes: Planes, frame: number) => void;
}

/** Of the thread that this runs in: it compares one file after the other. */
const shelf = new MasterShelf();

/** Pictures that are handed over before the decoders of other films are heard again. */
const hearEvery = 4;

/** Decodes a plan's master. */
export function decodeMaster(job: CompareJob, wanted: MasterWanted, take: TakesMaster): Promise<Decoded> {
  const decode = masterDecode(job.plan, job.masterPath, wanted.span, wanted.larger);
  return decodePictures(decode, job, {
    small: (bytes, i) => take.small(bytes, i + decode.skipped),
    large: (planes, i) => take.large(planes, wanted.larger[i]!),
  });
}

/** Gives a plan's master's pictures: those that a version before was compared by, or else as they are decoded. */
export async function readMaster(job: CompareJob, wanted: MasterWanted, take: TakesMaster): Promise<Decoded> {
  const { args, skipped, small } = masterDecode(job.plan, job.masterPath, wanted.span, wanted.larger);
  const key = await MasterShelf.keyOf(job.plan, job.masterPath, args);
  // Of a film that is gone, the decoder says so.
  if (key === null) return decodeMaster(job, wanted, take);
  const known = shelf.find(key);
  if (known) {
    await handOver(known, skipped, take);
    return { ok: true, words: '' };
  }
  if (!shelf.bears((wanted.span.to - skipped) * small.width * small.height))
    return decodeMaster(job, wanted, take);
  const smalls: Uint8Array[] = [];
  const larges = new Map<number, Planes>();
  const end = await decodeMaster(job, wanted, {
    small: (bytes, frame) => {
      smalls.push(bytes.slice());
      take.small(bytes, frame);
    },
    large: (planes, frame) => {
      larges.set(frame, planes);
      take.large(planes, frame);
    },
  });
  if (end.ok) shelf.keep(key, { smalls, larges });
  return end;
}

async function handOver({ smalls, larges }: MasterPictures, first: number, take: TakesMaster): Promise<void> {
  larges.forEach(take.large);
  for (const [i, bytes] of smalls.entries()) {
    take.small(bytes, first + i);
    if (i % hearEvery === 0) await setImmediate();
  }
}
