import { stat } from 'node:fs/promises';
import { canonicalJson } from '@mivvy/core';

/** What something made of a film is known by: the film's file as it lies there now, and what was made of it; null where it is gone. */
export async function filmKey(path: string, what: Record<string, unknown>): Promise<string | null> {
  const file = await stat(path).catch(() => null);
  return file && canonicalJson({ size: file.size, mtimeMs: file.mtimeMs, ino: file.ino, ...what });
}
