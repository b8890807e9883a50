import { relative, resolve } from 'node:path';
import { refuse } from '../http/problems.ts';
import type { Workspace } from '../workspace.ts';

/** Refuses a folder inside the workspace's own: what is not known there goes when the server starts. */
export function refuseOwnFolder({ storage }: Pick<Workspace, 'storage'>, folder: string): void {
  const inside = relative(resolve(storage.root), resolve(folder));
  if (inside === '' || (!inside.startsWith('..') && !inside.startsWith('/')))
    refuse(
      400,
      'own-folder',
      'That folder is inside Mivvy’s own data, where files of others are removed.',
      'Choose a folder outside it.',
    );
}
