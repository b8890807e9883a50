import { stat } from 'node:fs/promises';
import { sha256File } from '@mivvy/media';
import type { FileMark } from '../db/codecs.ts';

/**
 * Whether a file is the one that its row was written for. `comparing`: its mark differs and its bytes are being summed;
 * the answer comes with the next question.
 */
export type FileState = 'same' | 'changed' | 'gone' | 'comparing';
/** A made file may also have been cleared from the disk by a rule. */
export type MadeFileState = FileState | 'cleared';

/** What a row knows of its file. Without a sum, the mark alone decides. */
export interface KnownFile {
  path: string;
  bytes: number;
  mark: FileMark | null;
  sha256: string | null;
}

/** The answer, with the mark to remember where the bytes were found to be the same under another one. */
export interface FileAnswer {
  state: FileState;
  remember?: FileMark;
}

/** A file's mark; null where there is none. */
export async function markOf(path: string): Promise<FileMark | null> {
  const info = await stat(path).catch(() => null);
  return info?.isFile() ? { bytes: info.size, modifiedMs: info.mtimeMs, changedMs: info.ctimeMs } : null;
}

export const sameMark = (a: FileMark | null, b: FileMark | null): boolean =>
  a !== null &&
  b !== null &&
  a.bytes === b.bytes &&
  a.modifiedMs === b.modifiedMs &&
  a.changedMs === b.changedMs;

/** Sums that are being taken or were taken last, by path: a list that is asked for often sums a file once. */
const sums = new Map<string, { mark: FileMark; sum: Promise<string | null>; done?: string | null }>();
const mostSums = 2000;

function sumOf(path: string, mark: FileMark) {
  const known = sums.get(path);
  if (known && sameMark(known.mark, mark)) return known;
  const entry: { mark: FileMark; sum: Promise<string | null>; done?: string | null } = {
    mark,
    sum: sha256File(path)
      .catch(() => null)
      .then((sum) => (entry.done = sum)),
  };
  sums.delete(path);
  sums.set(path, entry);
  if (sums.size > mostSums) sums.delete(sums.keys().next().value!);
  return entry;
}

/**
 * Looks whether a file is still the one that is known: by size and times, and by its sum where these differ. With
 * `wait` false a file that has to be summed is answered as `comparing`, and `told` is called when that has ended.
 */
export async function stateOfFile(
  known: KnownFile,
  { wait, told }: { wait: boolean; told?: () => void },
): Promise<FileAnswer> {
  const mark = await markOf(known.path);
  if (!mark) return { state: 'gone' };
  if (sameMark(mark, known.mark)) return { state: 'same' };
  if (mark.bytes !== known.bytes) return { state: 'changed' };
  if (known.sha256 === null) return { state: known.mark === null ? 'same' : 'changed' };
  const entry = sumOf(known.path, mark);
  if (!wait && entry.done === undefined) {
    if (told) void entry.sum.then(told);
    return { state: 'comparing' };
  }
  const sum = await entry.sum;
  if (sum === null) return { state: 'gone' };
  // Bytes that were written while they were summed are asked about again.
  const after = await markOf(known.path);
  if (!sameMark(mark, after)) return { state: 'changed' };
  return sum === known.sha256 ? { state: 'same', remember: mark } : { state: 'changed' };
}
