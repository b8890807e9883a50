import { isAbsolute, join, relative } from 'node:path';
import { nanoid } from 'nanoid';
import writeFileAtomic from 'write-file-atomic';
import type { Storage } from '../storage.ts';

/** Writes something new into the data folder, by which a machine knows whether the folder that it sees is this one. */
export async function writeShareProof(storage: Storage): Promise<string> {
  const proof = nanoid(32);
  await writeFileAtomic(join(storage.root, 'share-proof'), `${proof}\n`);
  return proof;
}

/** Where a file lies in the data folder; null where it lies elsewhere. */
export function placeInShare({ root }: Storage, path: string): string | null {
  const inside = relative(root, path);
  return inside.startsWith('..') || isAbsolute(inside) ? null : inside;
}
