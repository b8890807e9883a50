import { stat } from 'node:fs/promises';
import type { Lying } from '@mivvy/api';
import type { Workspace } from '../workspace.ts';
import { placeInShare } from './share-proof.ts';

/** A file that a machine needs, as it is told of it. */
export async function lying(
  { storage }: Pick<Workspace, 'storage'>,
  of: { path: string; sha256: string; address: string },
): Promise<Lying> {
  return { ...of, bytes: (await stat(of.path)).size, path: placeInShare(storage, of.path) };
}
