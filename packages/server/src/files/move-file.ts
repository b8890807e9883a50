import { copyFile, rename, rm } from 'node:fs/promises';

/**
 * Moves a file, also to another disk: whoever looks finds it whole or not at all. Throws what Node throws, such as ENOENT
 * where there is none.
 */
export async function moveFile(from: string, to: string): Promise<void> {
  try {
    await rename(from, to);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EXDEV') throw error;
    const part = `${to}.part`;
    try {
      await copyFile(from, part);
      await rename(part, to);
    } catch (failed) {
      await rm(part, { force: true });
      throw failed;
    }
    await rm(from, { force: true });
  }
}
