import { readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Lying } from '@mivvy/api';

/** The workspace's data folder, where this machine sees it as well. */
export class SharedFolder {
  private constructor(private readonly dir: string) {}

  /** Null where what the folder says is not what the workspace wrote there a moment ago: it is another one. */
  static async proved(dir: string, proof: string): Promise<SharedFolder | null> {
    const said = (await readFile(join(dir, 'share-proof'), 'utf8').catch(() => '')).trim();
    return proof !== '' && said === proof ? new SharedFolder(dir) : null;
  }

  /** Where a file lies in it; null where it does not. */
  async find({ path, bytes }: Lying): Promise<string | null> {
    if (path === null) return null;
    const here = join(this.dir, path);
    return (await stat(here).catch(() => null))?.size === bytes ? here : null;
  }
}
