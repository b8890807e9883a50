import type { Problem } from '@mivvy/core';

/** What is said where something could not be written for want of room. */
export const diskFullProblem: Problem = {
  code: 'disk-full',
  sentence: 'The disk is full, so nothing can be written.',
  mend: 'Free some space; work goes on by itself then. Nothing that was there is lost.',
};

/** Whether an error, or one that lies behind it, is a disk without room: the system’s, SQLite’s or our own word for it. */
export function isDiskFull(error: unknown): boolean {
  for (
    let e = error as { code?: unknown; message?: unknown; cause?: unknown; problem?: Problem } | undefined,
      depth = 0;
    e && depth < 6;
    depth++
  ) {
    if (e.code === 'ENOSPC' || e.code === 'EDQUOT' || e.problem?.code === 'disk-full') return true;
    // Under a full disk SQLite cannot grow its shared memory either, and calls that an error of input and output.
    if (typeof e.code === 'string' && /^SQLITE_(FULL|IOERR_(SHM|WRITE|FSYNC|TRUNCATE))/.test(e.code))
      return true;
    if (typeof e.message === 'string' && /ENOSPC|no space left|database or disk is full/i.test(e.message))
      return true;
    e = e.cause as typeof e;
  }
  return false;
}

/** Writes what is only noted, and found out again when it is missing: on a full disk it is let be. */
export async function keepWhereThereIsRoom(write: PromiseLike<unknown>): Promise<void> {
  try {
    await write;
  } catch (error) {
    if (!isDiskFull(error)) throw error;
  }
}
