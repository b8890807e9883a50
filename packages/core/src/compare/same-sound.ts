import { compareSoundRate } from './sound-offset.ts';

/** Sounds are weighed in pieces of so many seconds. */
const pieceSeconds = 0.25;
/** A piece quieter than this, full scale being 1, is silence beside what counts. */
const silent = 0.002;
/** Two sounds of the same piece differ by so much at most, as a ratio: 2 dB, more than encoders make. */
const mostRatio = 10 ** (2 / 20);
/** So many pieces in a row that differ are another sound and not an encoder's. */
const leastInRow = 2;
/** A sound may stand beside the other by so much, seconds: encoders pad. */
const reachSeconds = 0.03;

const levelOf = (samples: Float32Array, from: number, to: number): number => {
  let sum = 0;
  for (let i = from; i < to; i++) sum += (samples[i] ?? 0) ** 2;
  return Math.sqrt(sum / Math.max(1, to - from));
};

/**
 * Where two sounds that should be the same are not, seconds; null where they are, by their level in every quarter of a
 * second. Both mono at {@link compareSoundRate}.
 */
export function otherSound(one: Float32Array, other: Float32Array): number | null {
  const piece = Math.round(pieceSeconds * compareSoundRate);
  const reach = Math.round(reachSeconds * compareSoundRate);
  let inRow = 0;
  for (let from = 0; from < Math.max(one.length, other.length); from += piece) {
    const to = from + piece;
    const level = levelOf(one, from, to);
    // Beside the same place as well: an attack at a piece's edge is in one of them or in the next.
    const levels = [-reach, 0, reach].map((by) => levelOf(other, from + by, to + by));
    const alike = levels.some(
      (near) => Math.max(level, near) < silent || (near <= level * mostRatio && level <= near * mostRatio),
    );
    inRow = alike ? 0 : inRow + 1;
    if (inRow >= leastInRow) return (from - (leastInRow - 1) * piece) / compareSoundRate;
  }
  return null;
}
