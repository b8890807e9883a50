/** The same moments in every run; another seed tries others. */
export const seed = Number(process.env.MIVVY_SEED) || 20261125;

/** Numbers from 0 up to 1, the same for the same start. */
export function randomFrom(start: number): () => number {
  let state = start >>> 0;
  // A linear congruential generator; its numbers need not be good, only other ones each time.
  return () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}
