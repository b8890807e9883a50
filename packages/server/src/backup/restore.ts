import { existsSync } from 'node:fs';
import { readdir, rename, rm, utimes } from 'node:fs/promises';
import { dirname, isAbsolute, join, normalize } from 'node:path';
import { fail, ok, type Result } from '@mivvy/core';
import { makeFolder } from '../storage.ts';
import { provedBackup } from './backup.ts';
import { copyWhole } from './copy.ts';
import { bytesPath, newestManifest } from './manifest.ts';

/** What a restoring came to. */
export interface RestoreEnd {
  madeAt: string;
  files: number;
  bytes: number;
  /** What is worth saying, in sentences. */
  words: string[];
}

const leaves = (path: string): boolean => normalize(path).startsWith('..');

/**
 * Makes a workspace from the newest backup in a folder. It appears whole, by renaming, or not at all; everything is
 * proved by its sum before. Films that were used outside the workspace are put where they lay, unless something is there.
 */
export async function restore(folder: string, dataDir: string): Promise<Result<RestoreEnd>> {
  const manifest = await newestManifest(folder);
  if (!manifest)
    return fail(
      'no-backup',
      `There is no finished backup in ${folder}.`,
      'Name the folder that backups go to.',
    );
  const there = await readdir(dataDir).catch((): string[] => []);
  if (there.length > 0)
    return fail(
      'not-empty',
      `${dataDir} is not empty.`,
      'Set MIVVY_DATA to an empty folder, or to one that is not there yet.',
    );
  const damaged = await provedBackup(folder, manifest);
  if (damaged.length)
    return fail(
      'damaged',
      damaged.slice(0, 5).join(' '),
      'Take an older copy of the backup folder; nothing was restored.',
    );
  const unfinished = `${dataDir}.restoring`;
  await rm(unfinished, { recursive: true, force: true });
  const end: RestoreEnd = { madeAt: manifest.madeAt, files: 0, bytes: 0, words: [] };
  const put = async (sha256: string, to: string) => {
    await makeFolder(dirname(to));
    await copyWhole(bytesPath(folder, sha256), to, (found) =>
      found === sha256
        ? Promise.resolve(to)
        : Promise.reject(new Error('the backup changed while it was read')),
    );
  };
  try {
    await makeFolder(unfinished);
    await put(manifest.database, join(unfinished, 'mivvy.sqlite'));
    for (const { path, sha256, bytes, modified } of manifest.files) {
      const outside = isAbsolute(path);
      if (!outside && leaves(path))
        return fail('bad-backup', `The backup names ${path}, outside the workspace.`, '');
      const to = outside ? path : join(unfinished, path);
      if (outside && existsSync(to)) {
        end.words.push(`${path} is there already and was left as it is.`);
        continue;
      }
      const failed = await put(sha256, to).then(
        () => null,
        (error: NodeJS.ErrnoException) => error,
      );
      if (failed && !outside) throw failed;
      if (failed) {
        end.words.push(`${path} lies outside the workspace and could not be written: ${failed.message}.`);
        continue;
      }
      await utimes(to, modified / 1000, modified / 1000);
      end.files++;
      end.bytes += bytes;
    }
    await rm(dataDir, { recursive: true, force: true });
    await rename(unfinished, dataDir);
    return ok(end);
  } finally {
    await rm(unfinished, { recursive: true, force: true });
  }
}
