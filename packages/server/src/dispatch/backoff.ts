/** Before the first next try, milliseconds; each one after waits twice as long. */
const firstMs = 1000;
const longestMs = 60_000;

/** So often a file is tried before somebody has to look at it. */
export const mostTries = 8;

/**
 * How long to wait before the next try: twice as long each time, and by chance up to half more or less, so that many
 * that failed together do not come back together.
 *
 * @param attempt tries so far, from 1
 * @param chance from 0 up to 1
 */
export function waitBefore(attempt: number, chance: number): number {
  return Math.min(longestMs, firstMs * 2 ** (attempt - 1)) * (0.5 + chance);
}
